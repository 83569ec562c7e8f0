// The stretch of frames that the score shows: all of the move, or a part of it
// that was zoomed into. from < to, in frames.
export interface Window {
  from: number;
  to: number;
}

const least = 10; // frames

// Zooms a window about a frame that keeps its place; null where all is shown again.
export function zoomed(w: Window, all: Window, about: number, by: number): Window | null {
  const size = Math.max((w.to - w.from) / by, Math.min(least, all.to - all.from));
  if (size >= all.to - all.from) return null;
  const part = (about - w.from) / (w.to - w.from);
  return kept({ from: about - part * size, to: about + (1 - part) * size }, all);
}

// Moves a window along, within the whole.
export function panned(w: Window, all: Window, by: number): Window {
  return kept({ from: w.from + by, to: w.to + by }, all);
}

function kept(w: Window, all: Window): Window {
  const by = Math.max(all.from - w.from, 0) + Math.min(all.to - w.to, 0);
  return { from: w.from + by, to: w.to + by };
}
