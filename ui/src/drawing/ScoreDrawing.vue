<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from "vue";
import type { Axis, Edit, ShotView } from "../api/client";
import { four } from "../stores/shot";
import { percent } from "./headroom";
import ScoreStaff from "./ScoreStaff.vue";
import { useElementSize } from "./size";

const props = defineProps<{ shot: ShotView; frame: number; axis: number; opened: number | null; tried: { frame: number; values: Record<string, number> }[] }>();
const emit = defineEmits<{ go: [frame: number]; select: [axis: number]; open: [axis: number | null]; edit: [e: Edit, said: string] }>();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);
const left = 106, right = 28, head = 40;

// A move that has hardly begun shows five seconds to put keyframes into; the
// playhead is always on the score.
const start = computed(() => Math.min(props.shot.plot.start, props.frame));
const end = computed(() => Math.max(props.shot.last - props.shot.first < 2 ? props.shot.plot.start + Math.round(5 * props.shot.fps) : props.shot.last + props.shot.path.run_out, props.frame, start.value + 1));
const x = (f: number): number => left + ((f - start.value) / (end.value - start.value)) * Math.max(10, width.value - left - right);
const frameAt = (px: number): number => Math.round(start.value + ((px - left) / Math.max(10, width.value - left - right)) * (end.value - start.value));

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
const every = computed(() => [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000, 10000].find((s) => (s / (end.value - start.value)) * (width.value - left - right) >= 90) ?? 25000);
const marks = computed(() => {
  const out: number[] = [];
  for (let f = Math.ceil(start.value / every.value) * every.value; f <= end.value; f += every.value) out.push(f);
  return out;
});
const minor = computed(() => {
  const s = every.value / 5;
  const out: number[] = [];
  if (s >= 1) for (let f = Math.ceil(start.value / s) * s; f <= end.value; f += s) out.push(f);
  return out;
});
const allKeys = computed(() => [...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((k) => k.frame)))].sort((a, b) => a - b));
const report = computed(() => new Map(props.shot.analysis.report.axes.map((r) => [r.axis, r])));
function peak(a: Axis): string {
  const r = report.value.get(a.id);
  if (r?.jumps.some((j) => j.order === 0)) return "jumps";
  if (r?.jumps.some((j) => j.order === 1)) return "corners";
  return r ? `peak ${percent(r.share)}` : "rests";
}
const isOver = (a: Axis): boolean => props.shot.analysis.report.violations.some((v) => v.axis === a.id) || ["jumps", "corners"].includes(peak(a));

// Scrubbing on the ruler, and dragging a mark that moves all axes' keyframes.
const dragged = ref<{ from: number; to: number } | null>(null);
let scrub = false;
function at(e: PointerEvent): number {
  const r = box.value?.getBoundingClientRect();
  return Math.min(Math.max(frameAt(e.clientX - (r?.left ?? 0)), start.value), end.value);
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
    const keys = all ? allKeys.value : (props.shot.path.tracks.find((t) => t.axis === props.shot.rig.axes[axis]?.id)?.keys ?? []).map((k) => k.frame);
    if (!keys.includes(props.frame)) return;
    held.value = { axis: of, from: props.frame, to: props.frame };
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
onBeforeUnmount(settle);
function keyUp(): void {
  const d = dragged.value;
  dragged.value = null;
  if (!d) return;
  if (d.to === d.from) emit("go", d.from);
  else emit("edit", { op: "move", frame: d.from, to: d.to }, `Moved ${four(d.from)} to ${four(d.to)} on all axes.`);
}
</script>

<template>
  <div ref="box" class="score" data-test="score">
    <svg :width="width" :height="height">
      <defs><pattern id="scorehatch" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V4" stroke="var(--sheet)" stroke-width="1.4" /></pattern></defs>
      <text x="14" y="19" class="capt">SCORE</text><text x="14" y="33" class="lab">share of limit</text>
      <g class="ruler" @pointerdown="down" @pointermove="move" @pointerup="scrub = false" @pointercancel="scrub = false">
        <rect :x="left - 10" y="0" :width="Math.max(0, width - left - right + 20)" :height="head - 12" fill="transparent" />
        <path v-for="f in minor" :key="'m' + f" :d="`M${x(f)} 22v6`" stroke="var(--rule)" />
        <g v-for="f in marks" :key="f"><path :d="`M${x(f)} 18v10`" stroke="var(--quiet)" /><text :x="x(f)" y="14" text-anchor="middle" class="lab">{{ four(f) }}</text></g>
      </g>
      <ScoreStaff v-for="r in rows" :key="r.a.id" :shot="shot" :axis="r.a" :index="r.i" :y="r.y" :h="r.h" :width="width" :left="left" :right="right" :start="start" :end="end"
        :frame="frame" :selected="r.i === axis" :opened="opened === r.i" :peak="peak(r.a)" :over="isOver(r.a)"
        @go="(f) => emit('go', f)" @select="emit('select', r.i)" @open="emit('open', opened === r.i ? null : r.i)" @edit="(e, s) => emit('edit', e, s)" @retime="(d, all) => retime(r.i, d, all)" @rest="settle" :tried="tried" :held="held && (held.axis === null || held.axis === r.i) ? held : null" />
      <path :d="`M${x(frame)} 22V${height}`" stroke="var(--now)" stroke-width="1.6" pointer-events="none" />
      <g v-for="f in allKeys" :key="'k' + f" class="mark" @pointerdown.stop="(e) => keyDown(e, f)" @pointermove="keyMove" @pointerup="keyUp" @pointercancel="dragged = null">
        <path :d="`M${x(dragged?.from === f ? dragged.to : f) - 6} ${head - 11}h12l-6 9z`" :fill="f === frame ? 'var(--now)' : 'var(--ink)'" />
        <rect :x="x(f) - 8" :y="head - 13" width="16" height="13" fill="transparent" />
      </g>
      <g pointer-events="none"><rect :x="x(frame) - 18" y="3" width="36" height="15" fill="var(--now)" /><text :x="x(frame)" y="14.5" text-anchor="middle" class="flag">{{ four(frame) }}</text></g>
      <text v-if="dragged && dragged.to !== dragged.from" :x="x(dragged.to) + 10" :y="head - 2" class="lab now">to {{ four(dragged.to) }}</text>
    </svg>
  </div>
</template>

<style scoped>
.score { position: absolute; inset: 0; overflow: hidden; }
svg { display: block; touch-action: none; }
.capt { font: 600 14px var(--head); letter-spacing: .06em; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.lab.now { fill: var(--now); }
.flag { font-size: 11px; fill: var(--sheet); }
.ruler { cursor: col-resize; }
.mark { cursor: ew-resize; }
</style>
