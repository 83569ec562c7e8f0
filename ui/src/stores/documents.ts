import { api } from "../api/client";

// Documents that are changed field by field. Each has versions, which are numbers that rise.
export interface FieldChange {
  at: string[];
  is?: unknown;
  seen: number;
}
type With = Record<string, string | number | boolean | undefined>;

// How each is sent: of names it, given is what goes with the changes.
export const documents = {
  order: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/shots/{id}/order", { params: { path: { id: of[0]! } }, body: { changes } }),
  ground: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/shots/{id}/ground", { params: { path: { id: of[0]! } }, body: { changes } }),
  power: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/shots/{id}/power", { params: { path: { id: of[0]! } }, body: { changes } }),
  points: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/shots/{id}/points", { params: { path: { id: of[0]! } }, body: { changes } }),
  scheme: (of: string[], changes: FieldChange[], given: With) =>
    api.PATCH("/api/shots/{id}/frames/scheme", {
      params: { path: { id: of[0]! } },
      body: { changes, confirmed: given.confirmed === true },
    }),
  bench: (of: string[], changes: FieldChange[], given: With) =>
    api.PATCH("/api/machines/{id}/bench/{package}", {
      params: { path: { id: of[0]!, package: of[1]! }, query: { version: Number(given.version) } },
      body: { changes },
    }),
  package: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/packages/{id}", { params: { path: { id: of[0]! } }, body: { changes } }),
  rig: (of: string[], changes: FieldChange[], given: With) =>
    api.PATCH("/api/rigs/{id}", {
      params: { path: { id: of[0]! } },
      body: { changes, says: String(given.says ?? "") },
    }),
  lineup: (of: string[], changes: FieldChange[]) =>
    api.PATCH("/api/machines/{id}/line-ups", {
      params: { path: { id: of[0]! } },
      body: { changes },
    }),
};
export type What = keyof typeof documents;
export type Of<W extends What> = NonNullable<Awaited<ReturnType<(typeof documents)[W]>>["data"]>;
export type Given = With;

// The version that an answer is of.
export const versionOf: { [W in What]: (v: Of<W>) => number } = {
  order: (v) => v.revision,
  ground: (v) => v.revision,
  power: (v) => v.revision,
  points: (v) => v.revision,
  scheme: (v) => v.revision,
  bench: (v) => v.kept?.version ?? 0,
  package: (v) => v.version,
  rig: (v) => v.rig.version,
  lineup: (v) => v.line_ups,
};

const plain = (v: unknown): v is Record<string, unknown> =>
  typeof v === "object" && v !== null && !Array.isArray(v);
const empty = (v: unknown): boolean =>
  v === undefined ||
  v === null ||
  (Array.isArray(v) && v.length === 0) ||
  (plain(v) && Object.values(v).every(empty));
// A list whose members each have an id of their own.
function things(v: unknown): Map<string, unknown> | null {
  if (!Array.isArray(v)) return null;
  const by = new Map<string, unknown>();
  for (const x of v) {
    if (!plain(x) || typeof x.id !== "string" || by.has(x.id)) return null;
    by.set(x.id, x);
  }
  return by;
}

export function same(a: unknown, b: unknown): boolean {
  if (empty(a) && empty(b)) return true;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((x, i) => same(x, b[i]));
  if (plain(a) && plain(b))
    return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => same(a[k], b[k]));
  return Object.is(a, b);
}

// The fields in which two versions of a document differ: things of a list one by one, where
// those that stay keep their order and new ones come last.
export function differs(
  was: unknown,
  is: unknown,
  at: string[] = [],
): { at: string[]; is?: unknown }[] {
  if (same(was, is)) return [];
  if (plain(was) && plain(is))
    return [...new Set([...Object.keys(was), ...Object.keys(is)])].flatMap((k) =>
      differs(was[k], is[k], [...at, k]),
    );
  const a = empty(was) && Array.isArray(is) ? new Map<string, unknown>() : things(was),
    b = empty(is) && Array.isArray(was) ? new Map<string, unknown>() : things(is);
  if (a && b) {
    const order = [
      ...[...a.keys()].filter((k) => b.has(k)),
      ...[...b.keys()].filter((k) => !a.has(k)),
    ];
    if (order.join("\n") === [...b.keys()].join("\n"))
      return [...new Set([...a.keys(), ...b.keys()])].flatMap((k) =>
        differs(a.get(k), b.get(k), [...at, k]),
      );
  }
  return [is === undefined ? { at } : { at, is }];
}

// Whether one field is another one, or a part of it.
export const touches = (a: string[], b: string[]): boolean =>
  a.slice(0, b.length).join("\n") === b.slice(0, a.length).join("\n");
