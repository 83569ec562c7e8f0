import { sentence, api, type PassView } from "../../api/client";
import { readNumber } from "../../fields/numbers";
import { answered } from "../../fields/typed";
import { four, useShot } from "../../stores/shot";

// A pass whose clock stands between pictures, or crawls through them.
export const lapse = (p: PassView): boolean =>
  p.clock_spec.kind === "stepped" || p.clock_spec.kind === "crawling";

type Clocked = {
  clock?: string;
  kind?: PassView["clock_spec"]["kind"];
  way?: PassView["clock_spec"]["way"];
  waits?: { frame: number; ms: number }[];
  camera_locked?: boolean;
} & Partial<Record<Count, number>>;
type Count = "delay_ms" | "times" | "ease_ms" | "pictures" | "interval_ms" | "move_ms";
// Seconds, or how many: what was refused stands there as it was.
const counted = (what: Count): number => (what === "times" || what === "pictures" ? 1 : 1000);
export const number = (p: PassView, what: Count): string =>
  String((p.clock_spec[what] || (what === "times" ? 1 : 0)) / counted(what));
// Waits as they are typed: "0096 2 s, 0120 0.5 s".
export const waits = (p: PassView): string =>
  (p.clock_spec.waits ?? []).map((w) => `${four(w.frame)} ${w.ms / 1000} s`).join(", ");
// The numbers of a kind of clock: what they are called, and what stands behind them.
type Field = { what: Count; name: string; unit: string; says: string };
const field = (what: Count, name: string, unit: string, says: string): Field => ({
  what,
  name,
  unit,
  says,
});
export function fields(p: PassView): Field[] {
  const every = [
    field("pictures", "pictures", "", "how many the move has"),
    field("interval_ms", "one every", "s", "seconds from picture to picture"),
  ];
  const ease = field(
    "ease_ms",
    "ease",
    "s",
    p.clock_spec.kind === "live"
      ? "seconds that its whole speed takes to change; 0: one"
      : "seconds in which it slows before a turn or a wait, and gathers its rate again; 0: at once",
  );
  if (p.clock_spec.kind === "stepped")
    return [
      ...every,
      field("move_ms", "moving", "s", "seconds of each interval; it stands for the rest"),
    ];
  if (p.clock_spec.kind === "crawling") return every;
  if (p.clock_spec.kind === "live") return [ease];
  const way = p.clock_spec.way;
  return [
    field("delay_ms", "delay", "s", "seconds that it stands before it sets out"),
    ease,
    ...(way === "there and back" || way === "around"
      ? [field("times", "times", "", `how often it goes ${way}`)]
      : []),
  ];
}

// What is typed of passes' clocks, and sent.
export function usePassClock() {
  const shot = useShot();
  // One change after another, each on what the one before it has made; what somebody else has
  // changed since it was seen is not overwritten.
  let before: Promise<unknown> = Promise.resolve();
  let done = 0;
  // A pass's clock as it was when a field of it got the focus: that is what is seen there.
  let held: { id: string; clock: PassView["clock_spec"] } | undefined;
  const grasp = (p: PassView): void => {
    held = { id: p.id, clock: p.clock_spec };
  };
  // By this page's own last change.
  const made = new Map<string, { nth: number; clock: PassView["clock_spec"] }>();
  function change(p: PassView, c: Clocked): Promise<boolean> {
    const typed = done,
      shown = held?.id === p.id ? held.clock : p.clock_spec;
    const one = before.then(async () => {
      const own = made.get(p.id);
      const seen = own && own.nth > typed ? own.clock : shown;
      const r = await api
        .PUT("/api/passes/{id}", {
          params: { path: { id: p.id } },
          body: { shot: shot.id, seen, ...c },
        })
        .catch(() => undefined);
      const now = r?.data?.find((q) => q.id === p.id);
      if (r?.data && now) {
        made.set(p.id, { nth: ++done, clock: now.clock_spec });
        if (held?.id === p.id) held.clock = now.clock_spec;
        shot.passesAre(r.data);
        return true;
      }
      shot.trouble = r
        ? sentence(r.error)
        : "The application does not answer; that was not changed.";
      if (r) await shot.reloadPasses();
      return false;
    });
    before = one;
    return one;
  }
  async function setFactor(p: PassView, e: Event): Promise<void> {
    const box = e.target as HTMLInputElement,
      gave = box.value;
    if (!(await change(p, { clock: gave }))) answered(box, gave, p.clock);
  }
  async function setNumber(p: PassView, e: Event, what: Count): Promise<void> {
    const box = e.target as HTMLInputElement,
      gave = box.value;
    const v = readNumber(gave);
    if (Number.isNaN(v)) shot.trouble = `"${box.value}" is not a number.`;
    else if (await change(p, { [what]: Math.round(v * counted(what)) })) return;
    answered(box, gave, number(p, what));
  }
  const setKind = (p: PassView, e: Event): Promise<boolean> =>
    change(p, { kind: (e.target as HTMLSelectElement).value as Clocked["kind"] });
  const setLocked = (p: PassView, e: Event): Promise<boolean> =>
    change(p, { camera_locked: (e.target as HTMLInputElement).checked });
  const setWay = (p: PassView, e: Event): Promise<boolean> =>
    change(p, { way: (e.target as HTMLSelectElement).value as Clocked["way"] });
  async function setWaits(p: PassView, e: Event): Promise<void> {
    const box = e.target as HTMLInputElement;
    const parts = box.value
      .split(",")
      .map((t) => t.trim())
      .filter(Boolean)
      .map((t) => /^(-?\d+)\s+([\d.]+)\s*s?$/.exec(t));
    if (parts.some((m) => !m))
      shot.trouble =
        `Waits: "${box.value}" cannot be read; give frames and seconds, as 0096 2 s, 0120 ` +
        "0.5 s.";
    else {
      const list = parts
        .map((m) => ({ frame: Number(m?.[1]), ms: Math.round(Number(m?.[2]) * 1000) }))
        .sort((a, b) => a.frame - b.frame);
      if (await change(p, { waits: list })) return;
    }
    box.value = waits(p);
  }
  const letGo = (): void => {
    held = undefined;
  };

  return { grasp, letGo, setFactor, setNumber, setKind, setLocked, setWay, setWaits };
}
