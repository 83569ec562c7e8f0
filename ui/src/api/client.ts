import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export const api = createClient<paths>({ baseUrl: location.origin, fetch: (r) => window.fetch(r) });

type S = components["schemas"];
export type ShotView = S["ShotView"];
export type View = S["View"];
export type Axis = S["Axis"];
export type Edit = S["Edit"];
export type Track = S["Track"];
export type Plot = S["Plot"];
export type Proof = S["Proof"];
export type PassView = S["PassView"];
export type TakeView = S["TakeView"];
export type Production = S["Production"];
export type LogLine = S["LogLine"];
export type Seal = S["Seal"];
export type LiveMessage = S["LiveMessage"];
export type HoldSays = S["HoldSays"];
export type SetDoc = S["Set"];
export type Sheet = S["Sheet"];
export type Bounds = S["Bounds"];
export type MachineView = S["MachineView"];
export type LiveMachine = S["LiveMachine"];
export type RigSheet = S["RigSheet"];
export type RigDoc = S["Rig"];
export type RigLine = S["RigLine"];
export type Wish = S["Wish"];
export type Answer = S["Answer"];
export type Measurement = S["Measurement"];
export type Drive = S["Drive"];
export type Mark = S["PoseMark"];
export type Chain = S["Chain"];
export type InStepNow = S["InStepNow"];
export type WireFinding = S["WireFinding"];
export type Start = S["Start"];
export type AxisHomings = S["AxisHomings"];
export type MachineState = S["State"];
export type DayAxis = S["DayAxis"];
export type Person = S["Person"];
export type FramesView = S["FramesView"];
export type FrameLayer = S["FrameLayer"];
export type FrameCell = S["FrameCell"];
export type Cell = S["Cell"];
export type Scheme = S["Scheme"];
export type LiveFrames = S["LiveFrames"];
export type BenchView = S["BenchView"];
export type CameraPackage = S["CameraPackage"];
export type Settled = S["Settled"];
export type Seen = S["Seen"];
export type BenchSheet = S["BenchSheet"];
export type GravityCurve = S["GravityCurve"];
export type OnCrane = S["OnCrane"];
export type Swapping = S["Swapping"];
export type LensView = S["LensView"];
export type RingScale = S["RingScale"];
export type LensDoc = S["Package"];
export type Remedy = S["Remedy"];

// The sentence in an error answer, or one that says that nothing answered.
export function sentence(error: unknown): string {
  if (error && typeof error === "object" && "detail" in error && typeof error.detail === "string") return error.detail;
  return "The application does not answer. Nothing was changed; it is tried again.";
}
