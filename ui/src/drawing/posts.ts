import type { Axis, Edit, ShotView } from "../api/client";
import { four } from "../stores/shot";
import type { Post } from "../stores/score";
import type { Lift } from "./StaffPosts.vue";

// Keyframes in the hand: where they were, and by how much they are off by now.
export interface Hand {
  posts: (Post & { value: number })[];
  all: boolean; // all axes' keyframes at one frame
  axis: number; // of the post that is held
  held: Post & { value: number };
  to: number; // its frame
  dv: number; // in the unit of its axis, for posts on that axis
  at: { x: number; y: number; v: number };
}

const rounded = (v: number, a: Axis): number =>
  Number(Math.min(Math.max(v, a.min), a.max).toFixed(a.unit === "deg" ? 2 : 1));
const frameOf = (h: Hand, p: Post): number =>
  p.axis === h.held.axis && p.frame === h.held.frame ? h.to : p.frame + h.to - h.held.frame;
const valueOf = (h: Hand, p: Hand["posts"][number], a: Axis | undefined): number =>
  h.dv !== 0 && a && p.axis === h.held.axis ? rounded(p.value + h.dv, a) : p.value;

// Where they are drawn, by axis.
export function lifted(h: Hand | null, axes: Axis[]): Map<string, Map<number, Lift>> {
  const out = new Map<string, Map<number, Lift>>();
  for (const p of h?.posts ?? []) {
    const m = out.get(p.axis) ?? new Map<number, Lift>();
    m.set(p.frame, {
      frame: frameOf(h as Hand, p),
      value: valueOf(
        h as Hand,
        p,
        axes.find((a) => a.id === p.axis),
      ),
      picked: true,
    });
    out.set(p.axis, m);
  }
  return out;
}

// The edit that puts them there, and what is said of it; nothing where they lie as they did.
export function editOf(
  h: Hand,
  v: ShotView,
  write: (a: Axis, value: number) => string,
): { edit: Edit; said: string } | null {
  const axis = v.rig.axes.find((a) => a.id === h.held.axis);
  if (!axis || (h.to === h.held.frame && h.dv === 0)) return null;
  if (h.all)
    return {
      edit: { op: "move", frame: h.held.frame, to: h.to },
      said: `All axes: ${four(h.held.frame)} moved to ${four(h.to)}.`,
    };
  const value = valueOf(h, h.held, axis);
  if (h.posts.length === 1) {
    const values = { [axis.id]: value };
    if (h.to !== h.held.frame)
      return {
        edit: {
          op: "move",
          axis: axis.id,
          frame: h.held.frame,
          to: h.to,
          ...(value !== h.held.value ? { values } : {}),
        },
        said: `${axis.name}: ${four(h.held.frame)} moved to ${four(h.to)}.`,
      };
    if (value === h.held.value) return null;
    return {
      edit: { op: "set", frame: h.to, values },
      said: `${axis.name} at ${four(h.to)} is ${write(axis, value)}.`,
    };
  }
  const moves = h.posts.map((p) => ({
    axis: p.axis,
    frame: p.frame,
    to: frameOf(h, p),
    ...(h.dv !== 0 && p.axis === axis.id ? { value: valueOf(h, p, axis) } : {}),
  }));
  return { edit: { op: "keys", moves }, said: `${moves.length} keyframes moved.` };
}
