import { computed, type Ref } from "vue";
import type { Edit, Track, ShotView } from "../api/client";
import { curves } from "../api/rules";
import { usePreview } from "../stores/preview";
import { four, useShot } from "../stores/shot";

// The curve of the axis whose staff is opened, shaped where it is drawn, and how long legs take,
// typed between keyframes.
export function useShaping(
  shot: () => ShotView,
  opened: Ref<number | null>,
  tracks: Ref<Map<string, Track>>,
  allKeys: Ref<number[]>,
  keysOf: (axis: number) => number[],
) {
  const store = useShot();
  const preview = usePreview();
  const axis = computed(() => (opened.value === null ? undefined : shot().rig.axes[opened.value]));

  // What it would be is tried while a knob is dragged.
  const shaped = computed(() =>
    axis.value
      ? (preview.now && !preview.now.held ? preview.now.view : shot()).path.tracks.find(
          (t) => t.axis === axis.value?.id,
        )
      : undefined,
  );
  async function doOrTry(e: Edit, said: string, done: boolean): Promise<void> {
    if (!done) return preview.want({ edit: e });
    await store.edit(e, said);
    preview.clear();
  }
  function bent(frame: number, shape: NonNullable<Edit["shape"]>, done: boolean): void {
    const a = axis.value;
    if (a)
      void doOrTry(
        { op: "shape", axis: a.id, frame, shape },
        `${a.name} shaped at ${four(frame)}.`,
        done,
      );
  }
  function ramped(leg: number, into: number, out: number, done: boolean): void {
    const a = axis.value,
      t = a && tracks.value.get(a.id);
    if (!a || !t) return;
    const law = (t.ramps?.[String(leg)] ?? t.ramp)?.law ?? "trapezoid";
    void doOrTry(
      {
        op: "segment",
        axis: a.id,
        index: leg,
        kind: "ramp",
        ramp: { law, in: String(into), out: String(out) },
      },
      `${a.name}: ramp in ${into}, out ${out} frames.`,
      done,
    );
  }
  const legKinds = computed(() => {
    const t = axis.value && tracks.value.get(axis.value.id);
    return t && !t.blend && !t.record
      ? { own: t.keys.map((_, i) => t.segments?.[String(i)] ?? ""), all: curves }
      : null;
  });
  function setKind(leg: number, kind: string): void {
    const a = axis.value;
    if (a)
      void store.edit(
        { op: "segment", axis: a.id, index: leg, kind: (kind || undefined) as Edit["kind"] },
        kind ? `This leg runs ${kind}.` : "This leg runs as the axis.",
      );
  }
  // Travel times: of the opened axis's legs, or of all axes' keyframes.
  const legFrames = computed(() => (opened.value === null ? allKeys.value : keysOf(opened.value)));
  async function travel(leg: number, text: string, field: HTMLInputElement): Promise<void> {
    const a = legFrames.value[leg] ?? 0,
      b = legFrames.value[leg + 1] ?? 0,
      m = /^\s*([\d.,]+)\s*(s?)\s*$/.exec(text);
    const typed = Number((m?.[1] ?? "").replace(",", ".")),
      n = m?.[2] ? Math.round(typed * shot().fps) : typed;
    if (!m || !(n >= 1))
      store.trouble =
        `Travel time: “${text}” is not one; give frames, at least 1, ` + "or seconds as 2.5 s.";
    else {
      const own = axis.value;
      if (Math.round(n - (b - a)) !== 0)
        await store.edit(
          {
            op: "room",
            frame: a,
            frames: Math.round(n - (b - a)),
            ...(own ? { axis: own.id } : {}),
          },
          `${own ? own.name : "All axes"}: ${four(a)} on takes ${Math.round(n)} frames.`,
        );
    }
    field.value = String(
      +((legFrames.value[leg + 1] ?? 0) - (legFrames.value[leg] ?? 0)).toFixed(3),
    );
  }

  return { shaped, bent, ramped, legKinds, setKind, legFrames, travel };
}
