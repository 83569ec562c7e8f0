import { computed, onBeforeUnmount, shallowRef, watch, type Ref } from "vue";
import { api, type Plot, type ShotView } from "../api/client";
import { useScore } from "../stores/score";
import { useShot } from "../stores/shot";
import { panned, zoomed, type Window } from "../stores/window";

// The stretch of frames that the score shows, from left over span px: all of the move, or the
// part that was zoomed into, with samples fine enough for it.
export function useScoreWindow(
  shot: () => ShotView,
  looked: Ref<ShotView | null>,
  box: Ref<HTMLElement | null>,
  left: number,
  span: Ref<number>,
) {
  const store = useShot();
  const score = useScore();
  // A move that has hardly begun shows five seconds to put keyframes into; the
  // playhead is always on the whole score.
  const whole = computed<Window>(() => {
    const s = shot(),
      t = looked.value;
    const from = Math.min(s.plot.start, store.frame, t?.plot.start ?? Infinity);
    return {
      from,
      to: Math.max(
        s.last - s.first < 2 ? s.plot.start + Math.round(5 * s.fps) : s.last + s.path.run_out,
        store.frame,
        from + 1,
        t ? t.last + t.path.run_out : -Infinity,
      ),
    };
  });
  const part = computed(() => score.part);
  const start = computed(() => part.value?.from ?? whole.value.from);
  const end = computed(() => part.value?.to ?? whole.value.to);
  const x = (f: number): number =>
    left + ((f - start.value) / (end.value - start.value)) * span.value;
  const frameAt = (px: number): number =>
    Math.round(start.value + ((px - left) / span.value) * (end.value - start.value));
  // The playhead takes the window along.
  watch(
    () => store.gone,
    () => {
      const f = store.frame;
      if (part.value && (f < part.value.from || f > part.value.to))
        score.part = panned(part.value, whole.value, f - (part.value.from + part.value.to) / 2);
    },
  );
  function zoom(by: number, about = Math.min(Math.max(store.frame, start.value), end.value)): void {
    score.part = zoomed({ from: start.value, to: end.value }, whole.value, about, by);
  }
  watch(
    () => score.asked,
    (a) => {
      if (a?.by === 0) score.part = null;
      else if (a) zoom(a.by);
    },
  );
  function wheel(e: WheelEvent): void {
    const r = box.value?.getBoundingClientRect();
    if (!r) return;
    const along = e.shiftKey ? e.deltaY || e.deltaX : e.deltaX;
    if (Math.abs(along) > Math.abs(e.shiftKey ? 0 : e.deltaY)) {
      if (part.value)
        score.part = panned(
          part.value,
          whole.value,
          (along / span.value) * (end.value - start.value),
        );
    } else
      zoom(
        e.deltaY < 0 ? 1.25 : 0.8,
        start.value +
          ((Math.min(Math.max(e.clientX - r.left, left), left + span.value) - left) / span.value) *
            (end.value - start.value),
      );
  }
  function pan(to: number): void {
    if (part.value)
      score.part = panned(part.value, whole.value, to - (part.value.from + part.value.to) / 2);
  }

  // A part of a long move is drawn from finer samples, once they are there.
  const fine = shallowRef<{ revision: number; plot: Plot } | null>(null);
  let asking = 0;
  watch(
    () => [part.value?.from, part.value?.to, shot().revision] as const,
    () => {
      window.clearTimeout(asking);
      const v = shot(),
        w = part.value;
      if (!w || v.plot.step === 1 || v.empty) return;
      asking = window.setTimeout(async () => {
        const r = await api
          .GET("/api/shots/{id}/plot", {
            params: {
              path: { id: v.id },
              query: { from: Math.floor(w.from), to: Math.ceil(w.to) },
            },
          })
          .catch(() => ({ data: undefined }));
        if (r.data) fine.value = { revision: v.revision, plot: r.data };
      }, 120);
    },
  );
  const plain = computed<Plot>(() => {
    const f = fine.value,
      w = part.value,
      all = shot().plot;
    if (!f || !w || f.revision !== shot().revision || f.plot.step >= all.step) return all;
    const to = f.plot.start + (f.plot.views.length - 1) * f.plot.step;
    return f.plot.start <= Math.max(Math.floor(w.from), all.start) &&
      to >= Math.min(w.to, shot().last + shot().path.run_out) - f.plot.step
      ? f.plot
      : all;
  });
  onBeforeUnmount(() => window.clearTimeout(asking));
  return { whole, part, start, end, x, frameAt, zoom, wheel, pan, plain };
}
