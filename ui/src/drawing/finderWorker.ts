import type { ShotView, View } from "../api/client";
import { FinderScene } from "./finderScene";

// The finder's picture is drawn here, on a thread of its own: the page's keeps
// the hold's beats and the drawings, however slow this is.
export interface Mark {
  x: number;
  y: number;
  size: number;
  from: number;
}
export type Ask =
  | { canvas: OffscreenCanvas; set: ShotView["set"]; ratio: number }
  | { set: ShotView["set"] }
  | { view: View; width: number; height: number; scale: number };
export type Answer = { ready: true } | { failed: true } | { mark: Mark | null; ms: number };

let scene: FinderScene | null = null;
const say = (a: Answer): void => self.postMessage(a);

self.onmessage = (e: MessageEvent<Ask>) => {
  const m = e.data;
  if ("canvas" in m) {
    try {
      scene = new FinderScene(m.canvas, m.set, m.ratio);
      say({ ready: true });
    } catch {
      say({ failed: true });
    }
  } else if ("view" in m) {
    const began = performance.now();
    const mark = scene?.draw(m.view, m.width, m.height, m.scale) ?? null;
    say({ mark: mark && { ...mark, from: m.view.at_m[0] ?? 0 }, ms: performance.now() - began });
  } else scene?.build(m.set);
};
