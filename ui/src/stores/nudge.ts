import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { usePrefs } from "./prefs";
import { useShot } from "./shot";

const ladder = {
  mm: [0.1, 0.5, 1, 5, 10, 50, 100],
  deg: [0.01, 0.05, 0.1, 0.5, 1, 5, 10],
  "%": [0.1, 0.5, 1, 5, 10, 25],
};
// Held down, a nudge goes further in stages.
const stages = [
  [30, 10],
  [14, 4],
  [6, 2],
] as const;

// Nudge and half back on the selected axis. On a keyframe the change is stored
// by itself when the nudging pauses; elsewhere it waits for K.
export const useNudge = defineStore("nudge", () => {
  const shot = useShot();
  const prefs = usePrefs();
  const lastBy = ref(0);
  let repeats = 0;
  let timer = 0;

  const step = computed(() => {
    const a = shot.selected;
    if (!a) return 1;
    return prefs.steps[a.id] ?? (a.unit === "deg" ? 1 : 10);
  });
  watch(
    () => [shot.axis, shot.frame],
    () => (lastBy.value = 0),
  );

  function grow(dir: number): void {
    const a = shot.selected;
    if (!a) return;
    const l = ladder[a.unit];
    const i = l.findIndex((v) => v >= step.value - 1e-9);
    prefs.steps[a.id] =
      l[Math.min(Math.max((i < 0 ? l.length - 1 : i) + dir, 0), l.length - 1)] ?? 1;
    lastBy.value = 0;
  }

  function nudge(dir: number, held = false): void {
    repeats = held ? repeats + 1 : 0;
    const times = stages.find(([n]) => repeats >= n)?.[1] ?? 1;
    by(dir * step.value * times, dir * step.value);
  }

  // Half of the last nudge, the other way; again and again it closes in.
  function halfBack(): void {
    const next = -(lastBy.value || step.value) / 2;
    by(next, next);
  }

  function by(delta: number, keep: number): void {
    const a = shot.selected;
    if (!a) return;
    const was = shot.values[a.id] ?? 0;
    const to = Math.min(Math.max(Number((was + delta).toFixed(5)), a.min), a.max);
    lastBy.value = keep;
    if (to === was) return;
    void shot.tryValues({ [a.id]: to });
    if (shot.keyAt(a.id, shot.frame)) later(a.id, shot.frame);
  }

  function later(axis: string, frame: number): void {
    window.clearTimeout(timer);
    timer = window.setTimeout(async () => {
      const tried = (): number | undefined =>
        shot.tried.find((t) => t.frame === frame)?.values[axis];
      const v = tried();
      if (v === undefined) return;
      if (await shot.edit({ op: "set", frame, values: { [axis]: v } })) shot.forget(frame, axis, v);
    }, 220);
  }

  async function set(axis: string, value: number): Promise<void> {
    lastBy.value = 0;
    const at = shot.frame,
      onKey = shot.keyAt(axis, at);
    if (!onKey) return void shot.tryValues({ [axis]: value });
    shot.sets(at, axis, value);
    await shot.edit({ op: "set", frame: at, values: { [axis]: value } });
    shot.isSet(at, axis, value);
    shot.forget(at, axis, value); // where the same had been tried
  }

  // Takes the keyframe at the playhead out: on all axes, or only the selected one.
  async function remove(only: boolean): Promise<void> {
    await shot.edit(
      { op: "delete", frame: shot.frame, axis: only ? shot.selected?.id : undefined },
      "Keyframe taken out.",
    );
  }

  return { step, lastBy, grow, nudge, halfBack, set, remove };
});
