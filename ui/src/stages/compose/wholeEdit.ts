// What is done to a move as a whole, as it is typed, and as an edit.
import { api, sentence, type Edit } from "../../api/client";
import { needNumber } from "../../fields/numbers";

type Whole = NonNullable<Edit["whole"]>;
export type Do = Whole["do"];

export const names: Record<Do, string> = {
  shift: "shift in time",
  stretch: "stretch in time",
  reverse: "reverse",
  scale: "scale an axis",
  offset: "offset an axis",
  quantise: "quantise keyframes",
  cut: "keep a part",
  join: "join another move on",
};

export const hints: Record<Do, string> = {
  shift: "All keyframes of all axes.",
  stretch: "All keyframes of all axes.",
  offset: "All keyframes of all axes.",
  reverse: "The last frame comes first, between the same frames.",
  scale: "A factor of −1 mirrors about that place.",
  quantise: "0 leaves frames, or values, as they are.",
  cut: "The other part goes; the pose at that frame is kept. Name a version first to have both.",
  join:
    "The way between the two is smooth: it takes up the speed of one and gives it to the " +
    "other.",
};

/** Typed is what stands in the fields. */
interface Typed {
  what: Do;
  axis: string;
  frames: string;
  factor: string;
  about: string;
  by: string;
  keep: "before" | "after";
  other: string;
}

/** wholeEdit is the edit that is typed. It throws what is wrong with a field, in a sentence. */
export async function wholeEdit(t: Typed): Promise<Edit> {
  const w: Whole = { do: t.what };
  const e: Edit = { op: "whole", whole: w };
  if (["shift", "quantise", "join"].includes(w.do)) w.frames = needNumber(t.frames, "Frames");
  if (["stretch", "scale"].includes(w.do)) w.factor = needNumber(t.factor, "Factor");
  if (["stretch", "scale", "cut"].includes(w.do)) w.about = needNumber(t.about, "About");
  if (["offset", "quantise"].includes(w.do)) w.by = needNumber(t.by, "By");
  if (["scale", "offset"].includes(w.do) || (w.do === "quantise" && w.by)) e.axis = t.axis;
  if (w.do === "cut") w.keep = t.keep;
  if (w.do === "join") {
    const r = await api.GET("/api/shots/{id}", { params: { path: { id: t.other } } });
    if (!r.data)
      throw new Error(t.other ? sentence(r.error) : "Choose the move that is joined on.");
    e.tracks = r.data.path.tracks;
  }
  return e;
}
