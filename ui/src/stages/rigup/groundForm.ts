import type { GroundDoc } from "../../api/client";

type Row = { at: string; left: string; right: string };
type Owned = { as: string; count: string; mm: number };
const t = (n?: number): string => (n === undefined ? "" : String(n));
// What stands in the form's fields.
export function texts(g: GroundDoc) {
  return {
    run: g.run?.as ?? "",
    footprint: g.footprint.as,
    margin: g.margin.as,
    owned: (g.owned ?? []).map((o) => ({
      as: o.length.as,
      count: String(o.count),
      mm: o.length.mm,
    })) as Owned[],
    gauge: t(g.rules.gauge_mm),
    slope: t(g.rules.slope_mm_per_m),
    twist: t(g.rules.twist_mm_per_m),
    cross: t(g.rules.cross_mm_per_m),
    packers: (g.rules.packers_mm ?? []).join(" "),
    rows: (g.supports ?? []).map((s) => ({
      at: t(s.at_mm),
      left: t(s.left_mm ?? undefined),
      right: t(s.right_mm ?? undefined),
    })) as Row[],
    mass: t(g.base.mass_kg),
    feet: t(g.base.feet),
    pad: t(g.base.pad_cm2),
    worst: t(g.base.worst_share),
    floor: g.base.floor_kn_per_m2 ? t(g.base.floor_kn_per_m2) : "",
    tail: t(g.swing?.tail_m),
    pivot: t(g.swing?.pivot_m),
    up: t(g.swing?.front_up_deg),
    hangs: t(g.swing?.hangs_m),
    room: g.swing?.room_m ? t(g.swing.room_m) : "",
    keep: t(g.swing?.keep_m),
  };
}
// Where there is no sheet yet.
export const none: GroundDoc = {
  footprint: { as: "", mm: 0 },
  margin: { as: "", mm: 0 },
  owned: [],
  supports: [],
  rules: { gauge_mm: 0, slope_mm_per_m: 0, twist_mm_per_m: 0, packers_mm: [] },
  base: { mass_kg: 0, feet: 0, pad_cm2: 0, worst_share: 0, floor_kn_per_m2: 0 },
};

function num(text: string, what: string, empty = 0): number {
  if (!text.trim()) return empty;
  if (/^[1-9]\d{0,2},\d{3}$/.test(text.trim()))
    throw new Error(
      `“${what}”: ${text} may be ${text.replace(",", "")} or ${text.replace(",", ".")}; say which.`,
    );
  const s = text.trim().replace(",", ".").replace("−", "-");
  const n = Number(s);
  if (!Number.isFinite(n)) throw new Error(`“${what}”: ${text} is not a number.`);
  return n;
}
const height = (s: string, what: string): number | undefined =>
  s.trim() === "" ? undefined : num(s, what);
// The sheet that the form says; whether anything swings behind is not typed.
export function docOf(f: ReturnType<typeof texts>, swings: boolean): GroundDoc {
  return {
    run: f.run.trim() ? { as: f.run.trim(), mm: 0 } : undefined,
    footprint: { as: f.footprint.trim(), mm: 0 },
    margin: { as: f.margin.trim(), mm: 0 },
    owned: f.owned
      .filter((o) => o.as.trim())
      .map((o) => ({
        length: { as: o.as.trim(), mm: o.mm },
        count: Math.round(num(o.count, "sections")),
      })),
    supports: f.rows
      .filter((r) => r.at.trim())
      .map((r) => ({
        at_mm: num(r.at, "at"),
        left_mm: height(r.left, "left"),
        right_mm: height(r.right, "right"),
      })),
    rules: {
      gauge_mm: num(f.gauge, "gauge"),
      slope_mm_per_m: num(f.slope, "slope"),
      twist_mm_per_m: num(f.twist, "twist"),
      cross_mm_per_m: num(f.cross, "across") || undefined,
      packers_mm: f.packers
        .split(/[\s;]+/)
        .filter(Boolean)
        .map((x) => num(x, "packers")),
    },
    base: {
      mass_kg: num(f.mass, "mass"),
      feet: Math.round(num(f.feet, "feet")),
      pad_cm2: num(f.pad, "pad"),
      worst_share: num(f.worst, "worst foot", 1),
      floor_kn_per_m2: num(f.floor, "floor"),
    },
    swing: swings
      ? {
          tail_m: num(f.tail, "tail"),
          pivot_m: num(f.pivot, "pivot"),
          front_up_deg: num(f.up, "front up"),
          hangs_m: num(f.hangs, "hangs"),
          room_m: num(f.room, "room"),
          keep_m: num(f.keep, "keep free"),
        }
      : undefined,
  };
}

// Supports where the sections' ends and middles are, to be measured.
export function stations(used: { count: number; mm: number }[]): Row[] {
  const out: Row[] = [];
  let at = 0;
  const list = used.flatMap((u) => Array.from({ length: u.count }, () => u.mm));
  out.push({ at: "0", left: "", right: "" });
  for (const mm of list) {
    const parts = Math.max(1, Math.round(mm / 1000));
    for (let i = 1; i <= parts; i++)
      out.push({ at: String(Math.round(at + (mm * i) / parts)), left: "", right: "" });
    at += mm;
  }
  return out.length > 1
    ? out
    : [
        { at: "0", left: "", right: "" },
        { at: "1000", left: "", right: "" },
      ];
}
