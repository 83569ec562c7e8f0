import { computed, type Ref } from "vue";
import type { Axis, DayAxis, MachineView } from "../../api/client";
import { unit } from "../../stores/axes";
import { readNumber } from "../../fields/numbers";
import { useDraft } from "../../stores/draft";
import { useOutbox } from "../../stores/outbox";
import type { Typed } from "./AxisLimits.vue";

// The day's limits of a machine, as they are typed; kept together as one line-up. load reads the
// machines anew.
export function useDayLimits(
  one: Ref<MachineView | undefined>,
  axis: Ref<Axis | undefined>,
  said: Ref<{ text: string; tone: string }>,
  load: () => Promise<void>,
) {
  const outbox = useOutbox();
  const as = (a: Axis): Typed => ({
    low: String(a.min),
    high: String(a.max),
    speed: String(a.working.speed),
    acceleration: String(a.working.acceleration),
    zero: String(day(a)?.zero ?? 0),
  });
  const day = (a: Axis): DayAxis | undefined => one.value?.line_up?.line_up.axes[a.id];
  const draft = useDraft(() => ({
    of: one.value?.rig.id ?? "",
    version: one.value?.line_ups ?? 0,
    form: Object.fromEntries((one.value?.rig.axes ?? []).map((a) => [a.id, as(a)])),
  }));
  const typed = draft.f;
  // Both ends were shown by hand: they are the day's soft limits.
  function shown([low, high]: [number, number]): void {
    const a = axis.value,
      t = a && typed.value[a.id];
    if (!a || !t) return;
    typed.value[a.id] = { ...t, low: String(+low.toFixed(2)), high: String(+high.toFixed(2)) };
    void keep();
  }
  const changed = computed(
    () =>
      !!one.value?.misfit ||
      (one.value?.rig.axes ?? []).some(
        (a) => JSON.stringify(typed.value[a.id]) !== JSON.stringify(as(a)),
      ),
  );
  function docOf(f: Record<string, Typed>): { axes: Record<string, DayAxis> } {
    const axes: Record<string, DayAxis> = {};
    for (const a of one.value?.rig.axes ?? []) {
      const t = f[a.id] ?? as(a);
      const [low, high, speed, acceleration, zero] = [
        t.low,
        t.high,
        t.speed,
        t.acceleration,
        t.zero,
      ].map(readNumber);
      if ([low, high, speed, acceleration, zero].some((v) => !Number.isFinite(v)))
        throw new Error(`${a.name}: a limit is not a number; give one in ${unit(a)}.`);
      axes[a.id] = {
        soft: [low!, high!],
        working: { speed: speed!, acceleration: acceleration!, jerk: a.working.jerk },
        spread: 0,
        homings: 0,
        ...(zero ? { zero } : {}),
      };
    }
    return { axes };
  }
  async function keep(): Promise<void> {
    const m = one.value;
    if (!m) return;
    try {
      const made = await draft.keep(docOf, async (changes) => {
        // What no line-up had yet is put into it whole.
        const { axes } = docOf(typed.value),
          fresh = m.rig.axes.filter((a) => !day(a)).map((a) => a.id);
        const all = [
          ...changes.filter((c) => !fresh.includes(c.at[1]!)),
          ...fresh.map((id) => ({ at: ["axes", id], is: axes[id], seen: m.line_ups })),
        ];
        const a = await outbox.amend("lineup", [m.rig.id], all, { done: "The line-up is kept." });
        await load();
        said.value = a.data
          ? {
              text: "Kept. Sealed paths stay sealed; they are held against it when they are armed.",
              tone: "good",
            }
          : { text: a.told ? "Not kept: see below." : a.text, tone: "over" };
        return a.data ? "kept" : a.stale ? "stale" : "wrong";
      });
      if (made === "kept" && m.misfit) await load();
    } catch (e) {
      said.value = { text: (e as Error).message, tone: "over" };
    }
  }

  return { typed, changed, shown, keep };
}
