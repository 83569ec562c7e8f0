<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { api, type Axis, type Edit, type Plot, type ShotView } from "../api/client";
import { useScore } from "../stores/score";
import { four, useShot } from "../stores/shot";
import { percent } from "./headroom";
import ScoreHead from "./ScoreHead.vue";
import ScoreStaff from "./ScoreStaff.vue";
import { useElementSize } from "./size";
import { panned, zoomed, type Window } from "./window";

// What changes with every frame is drawn by ScoreHead alone, over all this.
const props = defineProps<{ shot: ShotView; axis: number; opened: number | null; tried: { frame: number; values: Record<string, number> }[] }>();
const emit = defineEmits<{ go: [frame: number]; select: [axis: number]; open: [axis: number | null]; edit: [e: Edit, said: string] }>();
const store = useShot();
const score = useScore();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);
const left = 122, right = 28, head = 40;
const span = computed(() => Math.max(10, width.value - left - right));

// A move that has hardly begun shows five seconds to put keyframes into; the
// playhead is always on the whole score.
const whole = computed<Window>(() => {
  const s = props.shot;
  const from = Math.min(s.plot.start, store.frame);
  return { from, to: Math.max(s.last - s.first < 2 ? s.plot.start + Math.round(5 * s.fps) : s.last + s.path.run_out, store.frame, from + 1) };
});
const part = ref<Window | null>(null);
const start = computed(() => part.value?.from ?? whole.value.from);
const end = computed(() => part.value?.to ?? whole.value.to);
const x = (f: number): number => left + ((f - start.value) / (end.value - start.value)) * span.value;
const frameAt = (px: number): number => Math.round(start.value + ((px - left) / span.value) * (end.value - start.value));
watch(() => props.shot.id, () => (part.value = null));
// The playhead takes the window along.
watch(() => store.gone, () => {
  const f = store.frame;
  if (part.value && (f < part.value.from || f > part.value.to)) part.value = panned(part.value, whole.value, f - (part.value.from + part.value.to) / 2);
});
function zoom(by: number, about = Math.min(Math.max(store.frame, start.value), end.value)): void {
  part.value = zoomed({ from: start.value, to: end.value }, whole.value, about, by);
}
watch(() => score.asked, (a) => {
  if (a?.by === 0) part.value = null;
  else if (a) zoom(a.by);
});
function wheel(e: WheelEvent): void {
  const r = box.value?.getBoundingClientRect();
  if (!r) return;
  const along = e.shiftKey ? e.deltaY || e.deltaX : e.deltaX;
  if (Math.abs(along) > Math.abs(e.shiftKey ? 0 : e.deltaY)) {
    if (part.value) part.value = panned(part.value, whole.value, (along / span.value) * (end.value - start.value));
  } else zoom(e.deltaY < 0 ? 1.25 : 0.8, start.value + ((Math.min(Math.max(e.clientX - r.left, left), left + span.value) - left) / span.value) * (end.value - start.value));
}
// The bar over the ruler: the whole move, and the part of it that is shown.
let grip: { x: number; from: Window } | null = null;
function gripDown(e: PointerEvent): void {
  if (!part.value) return;
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  grip = { x: e.clientX, from: part.value };
}
function gripMove(e: PointerEvent): void {
  if (grip) part.value = panned(grip.from, whole.value, ((e.clientX - grip.x) / span.value) * (whole.value.to - whole.value.from));
}
const overX = (f: number): number => left + ((f - whole.value.from) / (whole.value.to - whole.value.from)) * span.value;

// A part of a long move is drawn from finer samples, once they are there.
const fine = shallowRef<{ revision: number; plot: Plot } | null>(null);
let asking = 0;
watch(() => [part.value?.from, part.value?.to, props.shot.revision] as const, () => {
  window.clearTimeout(asking);
  const v = props.shot, w = part.value;
  if (!w || v.plot.step === 1 || v.empty) return;
  asking = window.setTimeout(async () => {
    const r = await api.GET("/api/shots/{id}/plot", { params: { path: { id: v.id }, query: { from: Math.floor(w.from), to: Math.ceil(w.to) } } }).catch(() => ({ data: undefined }));
    if (r.data) fine.value = { revision: v.revision, plot: r.data };
  }, 120);
});
const plot = computed<Plot>(() => {
  const f = fine.value, w = part.value, all = props.shot.plot;
  if (!f || !w || f.revision !== props.shot.revision || f.plot.step >= all.step) return all;
  const to = f.plot.start + (f.plot.views.length - 1) * f.plot.step;
  return f.plot.start <= Math.max(Math.floor(w.from), all.start) && to >= Math.min(w.to, props.shot.last + props.shot.path.run_out) - f.plot.step ? f.plot : all;
});

const rows = computed(() => {
  const n = props.shot.rig.axes.length;
  const room = Math.max(60, height.value - head - 2);
  const big = props.opened === null ? 0 : Math.max(room * 0.55, 110);
  const small = (room - big) / Math.max(1, props.opened === null ? n : n - 1);
  let y = head;
  return props.shot.rig.axes.map((a, i) => {
    const h = props.opened === i ? big : small;
    const row = { a, i, y, h };
    y += h;
    return row;
  });
});
const every = computed(() => [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000, 10000].find((s) => (s / (end.value - start.value)) * span.value >= 90) ?? 25000);
const marks = computed(() => {
  const out: number[] = [];
  for (let f = Math.ceil(start.value / every.value) * every.value; f <= end.value; f += every.value) out.push(f);
  return out;
});
const minor = computed(() => {
  const s = every.value / 5;
  let d = "";
  if (s >= 1) for (let f = Math.ceil(start.value / s) * s; f <= end.value; f += s) d += `M${x(f).toFixed(1)} 22v6`;
  return d;
});
const allKeys = computed(() => [...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((k) => k.frame)))].sort((a, b) => a - b));
const shownKeys = computed(() => allKeys.value.filter((f) => f >= start.value && f <= end.value));
const crowd = computed(() => (shownKeys.value.length > 150 ? [...new Set(shownKeys.value.map((f) => Math.round(x(f))))].map((px) => `M${px - 3} ${head - 11}h6l-3 9z`).join("") : ""));
const report = computed(() => new Map(props.shot.analysis.report.axes.map((r) => [r.axis, r])));
function peak(a: Axis): string {
  const r = report.value.get(a.id);
  if (r?.jumps.some((j) => j.order === 0)) return "jumps";
  if (r?.jumps.some((j) => j.order === 1)) return "corners";
  return r ? `peak ${percent(r.share)}` : "rests";
}
const isOver = (a: Axis): boolean => props.shot.analysis.report.violations.some((v) => v.axis === a.id) || ["jumps", "corners"].includes(peak(a));

// What is no picture: the frames in which the rig gathers and loses speed.
const outside = computed(() => {
  const { first, last, path } = props.shot;
  return [{ name: "run-up", from: first - path.run_up, to: first, edge: first }, { name: "run-out", from: last, to: last + path.run_out, edge: last }].filter((o) => o.to > o.from);
});

// Scrubbing on the ruler, and dragging a mark that moves all axes' keyframes.
const dragged = ref<{ from: number; to: number } | null>(null);
let scrub = false;
function at(e: PointerEvent): number {
  const r = box.value?.getBoundingClientRect();
  return Math.min(Math.max(frameAt(e.clientX - (r?.left ?? 0)), Math.ceil(start.value)), Math.floor(end.value));
}
function down(e: PointerEvent): void {
  scrub = true;
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  emit("go", at(e));
}
function move(e: PointerEvent): void {
  if (scrub) emit("go", at(e));
}
function keyDown(e: PointerEvent, f: number): void {
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  dragged.value = { from: f, to: f };
}
function keyMove(e: PointerEvent): void {
  if (dragged.value) {
    const r = box.value?.getBoundingClientRect();
    dragged.value.to = frameAt(e.clientX - (r?.left ?? 0));
  }
}
// A keyframe that is moved by key is held until the keys rest: presses add up
// here and are sent as one move, whatever the playhead does meanwhile.
const held = ref<{ axis: number | null; from: number; to: number } | null>(null);
let resting = 0;
function retime(axis: number, by: number, all: boolean): void {
  const of = all ? null : axis;
  if (held.value && held.value.axis !== of) settle();
  if (!held.value) {
    const keys = all ? allKeys.value : keysOf(axis);
    if (!keys.includes(store.frame)) return;
    held.value = { axis: of, from: store.frame, to: store.frame };
  }
  held.value = { ...held.value, to: held.value.to + by };
  window.clearTimeout(resting);
  resting = window.setTimeout(settle, 400);
}
function settle(): void {
  window.clearTimeout(resting);
  const h = held.value;
  held.value = null;
  if (!h || h.to === h.from) return;
  const axis = h.axis === null ? undefined : props.shot.rig.axes[h.axis];
  emit("edit", { op: "move", frame: h.from, to: h.to, ...(axis ? { axis: axis.id } : {}) }, `${axis ? axis.name : "All axes"}: ${four(h.from)} moved to ${four(h.to)}.`);
  emit("go", h.to);
}
onBeforeUnmount(() => { settle(); window.clearTimeout(asking); });
const keysOf = (axis: number): number[] => (props.shot.path.tracks.find((t) => t.axis === props.shot.rig.axes[axis]?.id)?.keys ?? []).map((k) => k.frame);
function step(axis: number, dir: number): void {
  const ks = keysOf(axis);
  const k = dir < 0 ? ks.reverse().find((f) => f < store.frame) : ks.find((f) => f > store.frame);
  if (k !== undefined) emit("go", k);
}
function keyUp(): void {
  const d = dragged.value;
  dragged.value = null;
  if (!d) return;
  if (d.to === d.from) emit("go", d.from);
  else emit("edit", { op: "move", frame: d.from, to: d.to }, `Moved ${four(d.from)} to ${four(d.to)} on all axes.`);
}
</script>

<template>
  <div ref="box" class="score" data-test="score" :data-revision="shot.revision" :data-from="start" :data-to="end" @wheel.prevent="wheel">
    <svg :width="width" :height="height">
      <defs>
        <pattern id="scorehatch" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V4"
          stroke="var(--sheet)" stroke-width="1.4" /></pattern>
        <clipPath id="scoreclip"><rect :x="left - 6" y="0" :width="span + 12" :height="Math.max(0, height)" /></clipPath>
      </defs>
      <g v-if="outside.length" clip-path="url(#scoreclip)" data-test="runs"><template v-for="o in outside" :key="o.name">
        <rect :x="x(o.from)" :y="head" :width="Math.max(0, x(o.to) - x(o.from))" :height="Math.max(0, height - head)" fill="var(--wash)" /><path :d="`M${x(o.edge)} ${head - 12}V${height}`" stroke="var(--ink)" stroke-dasharray="5 3" /></template></g>
      <text x="14" y="19" class="capt">SCORE</text><text x="14" y="33" class="lab">share of limit</text>
      <g class="ruler" @pointerdown="down" @pointermove="move" @pointerup="scrub = false" @pointercancel="scrub = false">
        <rect :x="left - 10" y="0" :width="span + 20" :height="head - 12" fill="transparent" />
        <path :d="minor" stroke="var(--rule)" />
        <g v-for="f in marks" :key="f"><path :d="`M${x(f)} 18v10`" stroke="var(--quiet)" /><text :x="x(f)" y="14" text-anchor="middle"
          class="lab">{{ four(f) }}</text></g>
      </g>
      <ScoreStaff v-for="r in rows" :key="r.a.id" :shot="shot" :plot="plot" :axis="r.a" :index="r.i" :y="r.y" :h="r.h" :width="width"
        :left="left" :right="right" :start="start" :end="end"
        :selected="r.i === axis" :opened="opened === r.i" :peak="peak(r.a)" :over="isOver(r.a)"
        @go="(f) => emit('go', f)" @select="emit('select', r.i)"
        @open="emit('open', opened === r.i ? null : r.i)" @edit="(e, s) => emit('edit', e, s)" @retime="(d, all) => retime(r.i, d, all)"
        @step="(d) => step(r.i, d)" @rest="settle" :tried="tried" :held="held && (held.axis === null || held.axis === r.i) ? held : null" />
      <g clip-path="url(#scoreclip)"><template v-for="o in outside" :key="o.name"><text v-if="x(o.to) - x(o.from) > 40" :x="(x(o.from) + x(o.to)) / 2" :y="height - 4"
        text-anchor="middle" class="lab halo">{{ o.name }}</text></template></g>
      <path v-if="crowd" :d="crowd" fill="var(--ink)" />
      <template v-else>
        <g v-for="f in shownKeys" :key="'k' + f" class="mark" :data-all="f" @pointerdown.stop="(e) => keyDown(e, f)"
          @pointermove="keyMove" @pointerup="keyUp" @pointercancel="dragged = null">
          <path :d="`M${x(dragged?.from === f ? dragged.to : f) - 6} ${head - 11}h12l-6 9z`" fill="var(--ink)" />
          <rect :x="x(f) - 8" :y="head - 13" width="16" height="13" fill="transparent" />
        </g>
      </template>
      <text v-if="dragged && dragged.to !== dragged.from" :x="x(dragged.to) + 10" :y="head - 2"
        class="lab now">to {{ four(dragged.to) }}</text>
      <g v-if="part" class="overview" data-test="overview" @pointerdown.stop="gripDown" @pointermove="gripMove" @pointerup="grip = null"
        @pointercancel="grip = null">
        <path :d="`M${left} 2.5H${left + span}`" stroke="var(--rule)" stroke-width="3" /><path
          :d="`M${overX(part.from)} 2.5H${Math.max(overX(part.to), overX(part.from) + 6)}`" stroke="var(--ink)" stroke-width="5" />
      </g>
    </svg>
    <ScoreHead :rows="rows" :width="width" :height="height" :left="left" :span="span" :head="head" :start="start" :end="end"
      :keys="allKeys" :tracks="shot.path.tracks" />
    <div class="zoom"><button class="zb" aria-label="Show more frames" title="show more frames" :disabled="!part"
      @click="zoom(0.625)">−</button><button class="zb" aria-label="Show fewer frames" title="show fewer frames; the wheel does it, too"
      @click="zoom(1.6)">+</button></div>
  </div>
</template>

<style scoped>
.score { position: absolute; inset: 0; overflow: hidden; }
svg { display: block; touch-action: none; will-change: transform; }
.capt { font: 600 14px var(--head); letter-spacing: .06em; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.lab.now { fill: var(--now); }
.ruler { cursor: col-resize; }
.mark { cursor: ew-resize; }
.overview { cursor: grab; }
.zoom { position: absolute; left: 60px; top: 3px; display: flex; gap: 2px; }
.zb { width: 20px; height: 20px; border: 1px solid var(--rule); background: var(--sheet); color: var(--ink); font: 400 13px/1 var(--text); cursor: pointer; padding: 0; }
.zb:disabled { color: var(--quiet); cursor: default; }
</style>
