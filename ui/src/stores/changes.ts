import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import { api, type Axis, type Changing } from "../api/client";
import { useShot } from "./shot";

export const mostFrames = 5000; // asked for at a time

// How much the move changes from each frame to the next, for the frames that are looked at.
export const useChanges = defineStore("changes", () => {
  const shot = useShot();
  const got = shallowRef<Changing | null>(null);
  let asked = 0;
  let pause = 0;
  function look(from: number, to: number): void {
    const mine = ++asked,
      id = shot.id;
    window.clearTimeout(pause);
    if (!shot.view || to - from >= mostFrames) {
      got.value = null;
      return;
    }
    pause = window.setTimeout(async () => {
      const r = await api
        .GET("/api/shots/{id}/changes", { params: { path: { id }, query: { from, to } } })
        .catch(() => ({ data: undefined }));
      if (mine === asked) got.value = r.data ?? null;
    }, 80);
  }
  // What the playhead's frame differs by from the one before it.
  const here = computed(() => {
    const g = got.value;
    if (!g || g.revision !== shot.view?.revision) return null;
    const i = Math.round(shot.frame) - g.from,
      px = g.px[i];
    return px ? { px, axes: g.axes.map((a) => a[i] ?? 0) } : null;
  });
  return { got, here, look };
});

// A change of an axis, with its sign.
export function signed(a: Axis, by: number): string {
  const text = Math.abs(by).toFixed(a.unit === "deg" ? 3 : 2);
  return (
    `${Number(text) === 0 ? "" : by > 0 ? "+" : "−"}${text}` +
    `${a.unit === "deg" ? "°" : a.unit === "%" ? " %" : " mm"}`
  );
}
