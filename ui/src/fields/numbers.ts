// A number as people type it: a comma for the point and a long minus are read, too.
// What is none, nothing at all included, is NaN.
export function readNumber(text: string): number {
  const t = text.trim().replace("−", "-").replace(",", ".");
  const v = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(t) ? Number(t) : NaN;
  return Number.isFinite(v) ? v : NaN;
}

// The same where there has to be one; the error names it.
export function needNumber(text: string, what: string): number {
  const v = readNumber(text);
  if (Number.isNaN(v)) throw new Error(`${what}: “${text}” is not a number.`);
  return v;
}
