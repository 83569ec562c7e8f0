import type { ShotView } from "../api/client";

type Ring = ShotView["focus_scale"];

// The distance at a place of the focus ring, for labels: between the marks that
// the core worked out, 1/distance is taken as straight.
export function distance(r: Ring, ring: number): number {
  const i = Math.min(
    Math.max(
      r.findIndex((m) => m.ring >= ring),
      1,
    ),
    r.length - 1,
  );
  const a = r[i - 1],
    b = r[i];
  if (!a || !b) return 0;
  const t = Math.min(Math.max((ring - a.ring) / (b.ring - a.ring), 0), 1);
  return 1 / ((1 - t) / a.distance_m + t / b.distance_m);
}

function ringAt(r: Ring, d: number): number | null {
  for (let i = 1; i < r.length; i++) {
    const a = r[i - 1],
      b = r[i];
    if (!a || !b || (a.distance_m - d) * (b.distance_m - d) > 0) continue;
    return (
      a.ring +
      ((1 / d - 1 / a.distance_m) / (1 / b.distance_m - 1 / a.distance_m)) * (b.ring - a.ring)
    );
  }
  return null;
}

const round = [
  0.4, 0.45, 0.5, 0.6, 0.7, 0.8, 0.9, 1, 1.1, 1.2, 1.3, 1.4, 1.5, 1.6, 1.7, 1.8, 1.9, 2, 2.2, 2.5,
  3, 3.5, 4, 5, 6, 8, 10, 15, 20, 30, 50, 100,
];

// Round distances between two places of the ring, so many at most.
export function ticks(
  r: Ring,
  lo: number,
  hi: number,
  most: number,
): { d: number; ring: number }[] {
  const all = round.flatMap((d) => {
    const ring = ringAt(r, d);
    return ring !== null && ring >= lo && ring <= hi ? [{ d, ring }] : [];
  });
  const apart = (hi - lo) / Math.max(1, most);
  const out: typeof all = [];
  for (const t of all) if (out.every((o) => Math.abs(o.ring - t.ring) >= apart)) out.push(t);
  return out;
}
