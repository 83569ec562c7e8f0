// The headroom scale: which band a share of a limit lies in. 0 under half,
// 1 to 80 %, 2 to 100 %, 3 over.
export function band(share: number): 0 | 1 | 2 | 3 {
  const s = Math.abs(share);
  return s > 1 ? 3 : s > 0.8 ? 2 : s >= 0.5 ? 1 : 0;
}

export const fills = ["var(--h0)", "var(--h1)", "var(--h2)", "var(--h3)"] as const;

// Runs of neighbouring samples in one band, as [band, from, to) index triples.
export function runs(shares: number[]): [0 | 1 | 2 | 3, number, number][] {
  const out: [0 | 1 | 2 | 3, number, number][] = [];
  shares.forEach((s, i) => {
    const b = band(s);
    const l = out[out.length - 1];
    if (l && l[0] === b) l[2] = i + 1;
    else out.push([b, i, i + 1]);
  });
  return out;
}

export function percent(share: number): string {
  return `${Math.ceil(share * 100 - 0.05)}%`;
}
