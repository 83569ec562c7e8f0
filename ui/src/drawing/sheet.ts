import type { Bounds, View } from "../api/client";

// Where metres lie on the sheet: k px to a metre, x = 0 at cx, the plan's y = 0 at
// planY, the elevation's floor at floorY, the plan above splitY.
export interface Frame {
  k: number;
  cx: number;
  planY: number;
  floorY: number;
  splitY: number;
}

// A projection of points in metres onto the sheet, in px: the plan from above, or
// the elevation from the front.
type Projection = (v: readonly number[]) => [number, number];
export function projection(f: Frame, side: boolean): Projection {
  return side
    ? (v) => [f.cx + (v[0] ?? 0) * f.k, f.floorY - (v[2] ?? 0) * f.k]
    : (v) => [f.cx + (v[0] ?? 0) * f.k, f.planY - (v[1] ?? 0) * f.k];
}

export function line(points: readonly (readonly number[])[], to: Projection): string {
  return points
    .map((p, i) => {
      const [x, y] = to(p);
      return `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`;
    })
    .join("");
}

const top = 40; // px above what is drawn, for the sheet's own words and what plays it
const below = 40; // px below the plan: dimensions
const between = 20; // px for the words of the elevation
const under = 14;
const room = 0.06; // metres around the bounds

// The scale at which all of the bounds fit, and where they then lie.
export function fit(b: Bounds, width: number, height: number, planOnly: boolean): Frame {
  const [x0 = 0, y0 = 0] = b.min_m,
    [x1 = 1, y1 = 1, z1 = 1] = b.max_m;
  const w = Math.max(width, 200),
    h = Math.max(height, 120);
  const deep = y1 - y0 + 2 * room,
    high = planOnly ? 0 : Math.max(z1, 0.1) + room;
  const tall = h - top - below - (planOnly ? 0 : between + under);
  const k = Math.max(8, Math.min((w - 28) / (x1 - x0 + 2 * room), tall / (deep + high)));
  const spare = Math.max(0, tall - k * (deep + high));
  const planY = top + (y1 + room) * k + spare / 2;
  return {
    k,
    cx: (w - (x1 + x0) * k) / 2,
    planY,
    floorY: h - under,
    splitY: planOnly ? h : Math.round(planY - (y0 - room) * k + below),
  };
}

const reach = 0.62; // metres that a field of view is drawn long

// A field of view in the plan.
export function wedge(v: View, f: Frame): string {
  const half = ((v.field_deg[0] ?? 40) / 2) * (Math.PI / 180);
  const heading = Math.atan2(v.forward[0] ?? 0, v.forward[1] ?? 1);
  const [x = 0, y = 0] = v.pupil_m;
  const to = projection(f, false);
  const text = (p: readonly number[]): string =>
    to(p)
      .map((n) => n.toFixed(1))
      .join(" ");
  const pt = (a: number): string => text([x + Math.sin(a) * reach, y + Math.cos(a) * reach]);
  const r = (reach * f.k).toFixed(1);
  return `M${text([x, y])}L${pt(heading - half)}A${r} ${r} 0 0 1 ${pt(heading + half)}Z`;
}
