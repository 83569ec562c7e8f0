// Points of a line, apart: quicker to go through than pairs.
export interface Points {
  x: Float64Array;
  y: Float64Array;
}

const tenth = (v: number): number => Math.round(v * 10) / 10;

// Path text from the points from one to another, both included: in tenths of a pixel, and
// without those that hardly leave the one before.
export function stroke(p: Points, from: number, to: number, acrossPx = 0.6, upPx = 0.3): string {
  const { x, y } = p,
    last = Math.min(to, x.length - 1);
  let d = "",
    px = NaN,
    py = NaN;
  for (let i = Math.max(0, from); i <= last; i++) {
    const a = x[i] as number,
      b = y[i] as number;
    if (d !== "" && i < last && Math.abs(a - px) < acrossPx && Math.abs(b - py) < upPx) continue;
    d += (d === "" ? "M" : "L") + tenth(a) + " " + tenth(b);
    px = a;
    py = b;
  }
  return d;
}
