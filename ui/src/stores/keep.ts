// What came anew, with every part of it that is as it was being the very same object: then
// nothing that shows that part is drawn again. Both are plain JSON.
export function keep<T>(was: T, now: T): T {
  if (
    was === now ||
    typeof was !== "object" ||
    typeof now !== "object" ||
    !was ||
    !now ||
    Array.isArray(was) !== Array.isArray(now)
  )
    return now;
  const a = was as Record<string, unknown>,
    b = now as Record<string, unknown>;
  let same = Array.isArray(now)
    ? now.length === (was as unknown[]).length
    : Object.keys(b).length === Object.keys(a).length;
  const part = (n: string | number): void => {
    const p = a[n],
      q = b[n];
    if (p === q) return;
    if (typeof q === "object" && q && p && keep(p, q) === p) b[n] = p;
    else same = false;
  };
  if (Array.isArray(now)) for (let i = 0; i < now.length; i++) part(i);
  else for (const n in b) part(n);
  return same ? was : now;
}
