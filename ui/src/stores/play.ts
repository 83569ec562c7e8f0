import { defineStore } from "pinia";
import { ref, watch } from "vue";
import { useLive } from "./live";
import { usePrefs } from "./prefs";
import { usePreview } from "./preview";
import { useShot } from "./shot";

export const speeds = [0.1, 0.25, 0.5, 1, 2, 4] as const;

// The move played on the sheet and in the finder, on its clock: nothing moves but the drawing.
export const usePlay = defineStore("play", () => {
  const shot = useShot();
  const preview = usePreview();
  const prefs = usePrefs();
  const live = useLive();
  const way = ref<-1 | 0 | 1>(0);
  const showing = ref(false); // to somebody: the picture alone, over the whole window
  let raf = 0;
  let began = 0; // ms
  let from = 0; // frame
  let put = 0; // the frame that was set last: one set by somebody else takes it on from there

  const bounds = (): [number, number] => {
    const v = preview.shown ?? shot.view;
    return v ? [v.first, Math.max(v.last - 1, v.first)] : [0, 0];
  };
  const rate = (): number => ((preview.shown ?? shot.view)?.fps ?? 24) * prefs.speed;

  function start(dir: -1 | 1): void {
    if (!shot.view || shot.view.empty) return;
    if (way.value === dir) return stop();
    way.value = dir;
    const [a, b] = bounds();
    const f = shot.frame;
    if (f < a || f > b || (dir > 0 && f >= b) || (dir < 0 && f <= a)) shot.go(dir > 0 ? a : b);
    mark();
    cancelAnimationFrame(raf);
    raf = requestAnimationFrame(tick);
  }
  function mark(): void {
    [began, from, put] = [performance.now(), Math.floor(shot.frame), shot.frame];
  }
  function tick(now: number): void {
    if (way.value === 0) return;
    if (shot.frame !== put) mark();
    const [a, b] = bounds(),
      n = b - a + 1;
    let f = from + way.value * Math.floor((Math.max(0, now - began) / 1000) * rate());
    if (f > b || f < a) {
      if (!prefs.loop) {
        shot.go(way.value > 0 ? b : a);
        return stop();
      }
      f = a + ((((f - a) % n) + n) % n);
    }
    if (f !== shot.frame) shot.go(f);
    put = shot.frame;
    raf = requestAnimationFrame(tick);
  }
  function stop(): void {
    way.value = 0;
    cancelAnimationFrame(raf);
  }
  // While a machine moves, Stop stays in sight.
  function show(on: boolean): void {
    if (on && live.moving) {
      shot.trouble =
        "A machine is moving, so Stop stays in sight. Show the picture when it stands.";
      return;
    }
    showing.value = on && shot.view !== null && !shot.view.empty;
    if (!showing.value) stop();
  }
  watch(
    () => prefs.speed,
    () => {
      if (way.value) mark();
    },
  );
  watch(
    () => live.moving,
    (m) => {
      if (m && showing.value) show(false);
    },
  );
  watch(
    () => shot.id,
    () => {
      stop();
      showing.value = false;
    },
  );
  return { way, showing, start, stop, show };
});
