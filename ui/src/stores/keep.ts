// What came anew, with every part of it that is as it was being the very same object: then
// nothing that shows that part is drawn again. Both are plain JSON.
export function keep<T>(was: T, now: T): T {
  if (Object.is(was, now) || typeof was !== "object" || typeof now !== "object" || !was || !now || Array.isArray(was) !== Array.isArray(now)) return now;
  let same = true;
  if (Array.isArray(now)) {
    const a = was as unknown[], b = now as unknown[];
    same = a.length === b.length;
    for (let i = 0; i < b.length; i++) {
      const k = keep(a[i], b[i]);
      if (!Object.is(k, a[i])) same = false;
      b[i] = k;
    }
  } else {
    const a = was as Record<string, unknown>, b = now as Record<string, unknown>, names = Object.keys(b);
    same = names.length === Object.keys(a).length;
    for (const n of names) {
      const k = keep(a[n], b[n]);
      if (!Object.is(k, a[n])) same = false;
      b[n] = k;
    }
  }
  return same ? was : now;
}
