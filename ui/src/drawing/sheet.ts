import type { ShotView, View } from "../api/client";

// Where metres lie on the sheet: k px to a metre, x = 0 at cx, the plan's y = 0 at
// planY, the elevation's floor at floorY, the plan above splitY.
export interface Frame { k: number; cx: number; planY: number; floorY: number; splitY: number }

const top = 27; // px above the set, for the sheet's own words
const below = 66; // px below y = 0 of the plan: rail, soft limits
const between = 20; // px for the words of the elevation
const under = 14;

// The scale at which all that is there fits: what is drawn of the set, zones,
// rail, path and subject; and where it then lies.
export function fit(s: ShotView, width: number, height: number, planOnly: boolean): Frame {
  const lo = [Infinity, 0], hi = [-Infinity, 0.1, 0.1];
  const see = (x: number, y: number, z: number): void => {
    lo[0] = Math.min(lo[0] ?? 0, x); hi[0] = Math.max(hi[0] ?? 0, x);
    lo[1] = Math.min(lo[1] ?? 0, y); hi[1] = Math.max(hi[1] ?? 0, y);
    hi[2] = Math.max(hi[2] ?? 0, z);
  };
  for (const d of s.set.solids) {
    if (!d.drawn) continue;
    for (const side of [-0.5, 0.5]) see((d.centre_m[0] ?? 0) + side * (d.size_m[0] ?? 0), (d.centre_m[1] ?? 0) + side * (d.size_m[1] ?? 0), (d.centre_m[2] ?? 0) + side * (d.size_m[2] ?? 0));
  }
  for (const z of s.set.zones) {
    see(z.min_m[0] ?? 0, z.min_m[1] ?? 0, 0);
    see(z.max_m[0] ?? 0, z.max_m[1] ?? 0, 0);
  }
  for (const v of s.plot.views) see(v.at_m[0] ?? 0, v.at_m[1] ?? 0, (v.at_m[2] ?? 0) + 0.06);
  see(s.rig.rail_from_m, 0, s.rig.height_m);
  see(s.rig.rail_from_m + s.rig.rail_m, 0, s.rig.height_m);
  see(s.set.subject_m[0] ?? 0, s.set.subject_m[1] ?? 0, (s.set.subject_m[2] ?? 0) + 0.03);
  const [x0 = 0, y0 = 0] = lo, [x1 = 1, y1 = 1, z1 = 1] = hi;
  const w = Math.max(width, 200), h = Math.max(height, 120);
  const tall = h - top - below - (planOnly ? 0 : between + under);
  const k = Math.max(20, Math.min((w - 28) / (x1 - x0), tall / (y1 - y0 + (planOnly ? 0 : z1))));
  const spare = Math.max(0, tall - k * (y1 - y0 + (planOnly ? 0 : z1)));
  const planY = top + y1 * k + spare / 2;
  return { k, cx: (w - (x1 + x0) * k) / 2, planY, floorY: height - under, splitY: planOnly ? height : Math.round(planY - y0 * k + below) };
}

const reach = 0.62; // metres that a field of view is drawn long

export function wedge(v: View, f: Frame): string {
  const half = ((v.field_deg[0] ?? 40) / 2) * (Math.PI / 180);
  const heading = Math.atan2(v.forward[0] ?? 0, v.forward[1] ?? 1);
  const [x, y] = [v.pupil_m[0] ?? 0, v.pupil_m[1] ?? 0];
  const at = (mx: number, my: number): string => `${(f.cx + mx * f.k).toFixed(1)} ${(f.planY - my * f.k).toFixed(1)}`;
  const pt = (a: number): string => at(x + Math.sin(a) * reach, y + Math.cos(a) * reach);
  const r = (reach * f.k).toFixed(1);
  return `M${at(x, y)}L${pt(heading - half)}A${r} ${r} 0 0 1 ${pt(heading + half)}Z`;
}
