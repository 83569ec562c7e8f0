import createClient from "openapi-fetch";
import { awaited } from "./busy";
import { page } from "./page";
import type { components, paths } from "./schema";

// What takes long is answered with the address at which the answer will be, and asked for there
// until it is; what nobody waits for any more is broken off.
async function answered(asked: Request): Promise<Response> {
  let answer = await window.fetch(asked);
  for (
    let at = answer.headers.get("Location");
    answer.status === 202 && at;
    at = answer.headers.get("Location")
  ) {
    const left = at;
    try {
      answer = await window.fetch(left, { signal: asked.signal });
    } catch (e) {
      if (asked.signal.aborted)
        void window.fetch(left, { method: "DELETE" }).catch(() => undefined);
      throw e;
    }
  }
  // It is answered when all of it is there: what follows from it begins before the page is at rest.
  const all = await answer.arrayBuffer();
  return new Response(all.byteLength > 0 ? all : null, answer);
}

export const api = createClient<paths>({
  baseUrl: location.origin,
  headers: { "Keenarc-Page": page, Prefer: "respond-async" },
  fetch: (r) => awaited(answered(r)),
});

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
export type FramesView = S["FramesView"];
export type FrameLayer = S["FrameLayer"];
export type FrameCell = S["FrameCell"];
export type Cell = S["Cell"];
export type Scheme = S["Scheme"];
export type BenchView = S["BenchView"];
export type CameraPackage = S["CameraPackage"];
export type Settled = S["Settled"];
export type Seen = S["Seen"];
export type GravityCurve = S["GravityCurve"];
export type OnCrane = S["OnCrane"];
export type Swapping = S["Swapping"];
export type LensView = S["LensView"];
export type RingScale = S["RingScale"];
export type LensDoc = S["Package"];
export type OrderView = S["OrderView"];
export type OrderDoc = S["Order"];
export type OrderStep = S["OrderStep"];
export type OrderCourse = S["OrderCourse"];
export type Setup = S["Setup"];
export type Learnt = S["Learnt"];
export type PowerView = S["PowerView"];
export type PowerNode = S["PowerNode"];
export type GroundView = S["GroundView"];
export type GroundDoc = S["Ground"];
export type PointsView = S["PointsView"];
export type Fixed = S["Fixed"];
export type Remedy = S["Remedy"];
export type PathVersion = S["PathVersion"];
export type PreviewSays = S["PreviewSays"];
export type AxisReport = S["AxisReport"];
export type Changing = S["Changing"];
export type Key = S["Key"];
export type RingMark = S["RingMark"];
export type Difference = S["DifferenceView"];

// The sentence in an error answer, or one that says that nothing answered.
export function sentence(error: unknown): string {
  if (error && typeof error === "object" && "detail" in error && typeof error.detail === "string")
    return error.detail;
  return "The application does not answer. Nothing was changed; it is tried again.";
}
