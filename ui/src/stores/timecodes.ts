import { shallowRef, type ShallowRef } from "vue";
import { api, type ShotView } from "../api/client";

// The timecodes of a shot's frames, as the server says them, a thousand frames at a time.
// What has not come yet is empty.
export function timecodes(view: ShallowRef<ShotView | null>): (frame: number) => string {
  const codes = shallowRef<{ key: string; at: Map<number, string[]> }>({ key: "", at: new Map() });
  async function fetch(shot: string, n: number): Promise<void> {
    const mine = codes.value;
    mine.at.set(n, []); // asked for
    const r = await api
      .GET("/api/shots/{id}/timecodes", {
        params: { path: { id: shot }, query: { from: n * 1000, count: 1000 } },
      })
      .catch(() => ({ data: undefined }));
    if (codes.value.key !== mine.key) return;
    if (r.data) codes.value = { key: mine.key, at: new Map([...codes.value.at, [n, r.data]]) };
    else mine.at.delete(n);
  }
  return (f) => {
    const v = view.value;
    if (!v) return "";
    const key = `${v.id} ${v.start_timecode} ${v.path.rate.num}/${v.path.rate.den}`;
    if (codes.value.key !== key) codes.value = { key, at: new Map() };
    const whole = Math.floor(f),
      n = Math.floor(whole / 1000),
      there = codes.value.at.get(n);
    if (!there) void fetch(v.id, n);
    return there?.[whole - n * 1000] ?? "";
  };
}
