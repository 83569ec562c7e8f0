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
export type Remedy = S["Remedy"];

// The sentence in an error answer, or one that says that nothing answered.
export function sentence(error: unknown): string {
  if (error && typeof error === "object" && "detail" in error && typeof error.detail === "string") {
    const e = error as S["ErrorModel"];
    const more = (e.errors ?? []).map((d) => d.message).filter((m) => m && !e.detail?.includes(m));
    return [e.detail, ...more].join(" ");
  }
  return "The application does not answer. Nothing was changed; it is tried again.";
}
