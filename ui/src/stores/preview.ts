import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import type { Edit, PreviewSays, ShotView, View } from "../api/client";
import { begins } from "../api/busy";
import { useShot } from "./shot";

// What is tried and would be: an edit, or an older revision that would be gone back to.
interface Try {
  edit?: Edit;
  back?: number;
  whole?: boolean;
}
interface Tried {
  view: ShotView;
  camera: View | null;
  frame: number;
  whole: boolean;
  held: boolean;
  axes: ReadonlySet<number>;
}

// The plan as it would be with an edit that is not made. The socket answers the newest only
// and nothing is stored; what is shown goes with clear(), or when the plan changes.
export const usePreview = defineStore("preview", () => {
  const shot = useShot();
  const now = shallowRef<Tried | null>(null);
  const refused = ref("");
  let ws: WebSocket | null = null;
  let of = ""; // the shot that it is open for
  let began = -Infinity; // when it was opened last
  let n = 0;
  let from = 0; // answers up to this one are not wanted any more
  let holding = false; // it is looked at, not dragged
  let come: ArrayBuffer | null = null; // not shown yet
  let waiting: string | null = null; // asked before the socket was open
  let answered = (): void => {}; // the newest question, if any is open

  // The plan as it is shown: as tried, or as it is.
  const shown = computed<ShotView | null>(() => now.value?.view ?? shot.view);

  function open(): void {
    if (ws && of === shot.id && ws.readyState <= WebSocket.OPEN) return;
    if (performance.now() - began < 500 && of === shot.id) return; // it was tried just now
    shut();
    if (!shot.id) return;
    [of, began] = [shot.id, performance.now()];
    const mine = new WebSocket(
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/shots/${of}/preview`,
    );
    mine.binaryType = "arraybuffer";
    mine.onopen = () => {
      if (ws === mine && waiting) mine.send(waiting);
      waiting = null;
    };
    mine.onmessage = (e: MessageEvent<ArrayBuffer>) => {
      // the newest of those that come between two frames
      if (ws !== mine) return;
      if (!come)
        requestAnimationFrame(() => {
          const data = come;
          come = null;
          if (data && ws === mine) hear(data);
        });
      come = e.data;
    };
    mine.onclose = () => {
      if (ws === mine) answered();
    };
    ws = mine;
  }
  function shut(): void {
    const old = ws;
    [ws, began] = [null, -Infinity];
    old?.close();
    clear();
  }

  // Asks what the plan would be. held: somebody looks at it, with the plan as it is behind it.
  function want(t: Try, held = false): void {
    if (!shot.view) return;
    open();
    holding = held;
    const text = JSON.stringify({
      n: ++n,
      revision: shot.view.revision,
      edit: t.edit,
      back: t.back,
      frame: shot.frame,
      whole: t.whole ?? false,
    });
    if (ws?.readyState === WebSocket.OPEN) ws.send(text);
    else waiting = text;
    answered();
    answered = begins();
  }
  function clear(): void {
    from = n;
    answered();
    waiting = null;
    now.value = null;
    refused.value = "";
  }
  watch(() => shot.id, shut);
  // Of another plan, or on other limits, it says nothing.
  watch(() => [shot.view?.revision, shot.view?.rig], clear);

  function hear(data: ArrayBuffer): void {
    const v = shot.view;
    const long = new DataView(data).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, long))) as PreviewSays;
    if (head.n === n) answered();
    if (!v || head.n <= from || head.revision !== v.revision) return;
    if (head.gone) return;
    refused.value = head.refused ?? "";
    if (head.refused) {
      now.value = null;
      return;
    }
    now.value = read(v, head, new Float32Array(data, 4 + long), holding, [
      shot.camera,
      now.value?.camera ?? null,
    ]);
  }
  return { now, shown, refused, open, shut, want, clear };
});

// read lays what came over the plan: what did not change stays the very same object, so
// that nothing else is drawn anew.
function read(
  v: ShotView,
  h: PreviewSays,
  f: Float32Array,
  held: boolean,
  stood: (View | null)[],
): Tried {
  let at = 0;
  const take = (n: number): number[] => Array.from(f.subarray(at, (at += n)));
  const shares = v.plot.shares.slice(),
    values = v.plot.values.slice(),
    reports = v.analysis.report.axes.slice();
  h.axes.forEach((i, k) => {
    shares[i] = take(h.samples);
    values[i] = take(h.samples);
    const r = h.reports[k];
    if (r) reports[i] = r;
  });
  let camera: View | null = null,
    views = (): View[] => v.plot.views;
  if (h.seen) {
    const model = v.plot.views[0] as View;
    const places = f.subarray(at, (at += 3 * h.samples));
    const whole = (k: number): View =>
      viewFrom(f.subarray(at + k * h.stride, at + (k + 1) * h.stride));
    const now = whole(0);
    camera = stood.find((s) => s && same(s, now)) ?? now; // drawn anew only where it changes
    if (h.whole) views = () => Array.from({ length: h.samples }, (_, i) => whole(i + 1));
    else
      views = () => {
        const out = Array.from({ length: h.samples }, (_, i): View => ({
          ...model,
          at_m: [places[3 * i] ?? 0, places[3 * i + 1] ?? 0, places[3 * i + 2] ?? 0],
        }));
        h.at.forEach((frame, k) => {
          const i = Math.round((frame - h.start) / h.step);
          if (k > 0 && out[i]) out[i] = whole(k);
        });
        return out;
      };
  }
  let made: View[] | null = null; // only when they are drawn: not with every answer
  const tracks =
    h.tracks.length === 0
      ? v.path.tracks
      : v.path.tracks.map((t) => h.tracks.find((q) => q.axis === t.axis) ?? t);
  return {
    view: {
      ...v,
      first: h.first,
      last: h.last,
      fps: h.fps,
      path: { ...v.path, tracks, run_up: h.run_up, run_out: h.run_out },
      plot: {
        start: h.start,
        step: h.step,
        shares,
        values,
        get views() {
          return (made ??= views());
        },
      },
      analysis: {
        ...v.analysis,
        report: { ...v.analysis.report, fps: h.fps, axes: reports, violations: h.over },
        sentences: h.sentences,
      },
    },
    camera,
    frame: h.at?.[0] ?? 0,
    whole: h.whole,
    held,
    axes: new Set(h.axes),
  };
}

// Whether two are the same but for the digits that a preview leaves out.
function same(a: unknown, b: unknown): boolean {
  if (typeof a === "number" && typeof b === "number") return Math.fround(a) === Math.fround(b);
  if (typeof a !== "object" || typeof b !== "object" || !a || !b) return a === b;
  const p = Object.entries(a),
    q = b as Record<string, unknown>;
  return p.length === Object.keys(q).length && p.every(([k, v]) => same(v, q[k]));
}

function viewFrom(f: Float32Array): View {
  const three = (i: number): number[] => [f[i] ?? 0, f[i + 1] ?? 0, f[i + 2] ?? 0];
  const joints: number[][] = [];
  for (let i = 20; i + 2 < f.length; i += 3) joints.push(three(i));
  return {
    at_m: three(0),
    right: three(3),
    forward: three(6),
    up: three(9),
    pupil_m: three(12),
    field_deg: [f[15] ?? 0, f[16] ?? 0],
    focus_m: f[17] ?? 0,
    sharp_m: [f[18] ?? 0, f[19] ?? 0],
    joints,
  };
}
