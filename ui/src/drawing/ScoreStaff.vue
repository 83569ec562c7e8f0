<script setup lang="ts">
import { computed } from "vue";
import type { Axis, AxisReport, RingMark, Track } from "../api/client";
import { four } from "../stores/shot";
import { isFocus as focuses, own, spaced } from "./axes";
import { fills, runs } from "./headroom";
import { stroke, type Points } from "./pen";
import { distance, ticks } from "./ring";

// One axis over the frames: its ribbon and posts, or, opened, its value curve. What it
// is given stays the same object while nothing of this axis changes.
export interface Row { shares: number[]; values: number[]; from: number; step: number }
export interface Lift { frame: number; value: number; picked: boolean }
const props = defineProps<{
  axis: Axis; index: number; y: number; h: number; width: number; left: number; right: number; start: number; end: number;
  row: Row; was: Row | null; others: Row[] | null; track: Track | undefined; fresh: Track | null; report: AxisReport | undefined; focus: RingMark[];
  selected: boolean; opened: boolean; peak: string; over: boolean; range: readonly [number, number];
  tried: { frame: number; values: Record<string, number> }[]; lifted: ReadonlyMap<number, Lift> | null; picked: ReadonlySet<number> | null;
  near: number | null; crowded: boolean;
}>();
const emit = defineEmits<{ select: []; open: []; grab: [e: PointerEvent, frame: number, value: number]; band: [e: PointerEvent]; key: [e: KeyboardEvent]; rest: [] }>();

const span = computed(() => Math.max(10, props.width - props.left - props.right));
const x = (f: number): number => props.left + ((f - props.start) / (props.end - props.start)) * span.value;
const mid = computed(() => props.y + props.h / 2);
const half = computed(() => Math.max(4, props.h / 2 - 3));

// The samples of a row inside the window, and one more on either side.
function cut(r: Row, of: number[]): { v: number[]; at: (i: number) => number } {
  const a = Math.max(0, Math.floor((props.start - r.from) / r.step) - 1), b = Math.ceil((props.end - r.from) / r.step) + 2;
  return { v: of.slice(a, b), at: (i) => r.from + (i + a) * r.step };
}
// Where samples lie: along the frames, and each as high as it says.
function points(s: { v: number[]; at: (i: number) => number }, high: (q: number) => number): Points {
  const { left, start, end } = props, n = s.v.length, k = span.value / (end - start), a = left + (s.at(0) - start) * k, step = (s.at(1) - s.at(0)) * k;
  const x = new Float64Array(n), y = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    x[i] = a + i * step;
    y[i] = high(s.v[i] as number);
  }
  return { x, y };
}
// One limit is 0.74 of the half height, so that what is over still shows.
function shareLine(s: { v: number[]; at: (i: number) => number }): Points {
  const m = mid.value, h = half.value;
  return points(s, (q) => m - Math.min(Math.abs(q) * 0.74, 1) * h * Math.sign(q));
}
function valueLine(r: Row): string {
  const [lo, hi] = props.range, base = props.y + props.h - 6, k = (props.h - 12) / (hi - lo);
  return stroke(points(cut(r, r.values), (v) => base - (v - lo) * k), 0, Infinity);
}
const shares = computed(() => cut(props.row, props.row.shares));
const edge = computed(() => shareLine(shares.value));
const ribbons = computed(() => {
  const { x } = edge.value, n = x.length - 1, m = mid.value;
  return runs(shares.value.v).map(([b, from, to]) => ({ b, d: `${stroke(edge.value, from, Math.min(to, n), 2)}L${(x[Math.min(to, n)] ?? 0).toFixed(1)} ${m}L${(x[from] ?? 0).toFixed(1)} ${m}Z` }));
});
const outline = computed(() => stroke(edge.value, 0, Infinity, 2));

// The value curve of an opened staff, with the others ghosted behind; and, while something
// is tried, what is as it was.
const vy = (v: number): number => props.y + props.h - 6 - ((v - props.range[0]) / (props.range[1] - props.range[0])) * (props.h - 12);
const curve = computed(() => (props.opened ? valueLine(props.row) : ""));
const before = computed(() => (props.was === null ? "" : props.opened ? valueLine(props.was) : stroke(shareLine(cut(props.was, props.was.shares)), 0, Infinity, 2)));
const ghosts = computed(() => (props.others ?? []).map((r) => {
  const s = cut(r, r.values);
  let lo = Infinity, hi = -Infinity;
  for (const v of s.v) [lo, hi] = [Math.min(lo, v), Math.max(hi, v)];
  if (hi - lo < 1e-9) return "";
  const base = props.y + props.h - 10, k = (props.h - 20) / (hi - lo);
  return stroke(points(s, (v) => base - (v - lo) * k), 0, Infinity, 2);
}).filter(Boolean));

// Focus is shown as the distance on its scale, from the image plane.
const isFocus = computed(() => focuses(props.axis));
const metres = (v: number): string => `${distance(props.focus, v).toFixed(2)} m`;
const shown = (v: number): string => (isFocus.value ? metres(v) : props.axis.unit === "deg" ? v.toFixed(2) : v.toFixed(Math.abs(v) >= 100 ? 0 : 1));
const said = (v: number): string => (isFocus.value ? metres(v) : `${shown(v)}${spaced(props.axis)}`);
const scale = computed(() => (isFocus.value && props.opened ? ticks(props.focus, props.range[0], props.range[1], (props.h - 12) / 22) : []));

// The keyframes in the window. Values stand where they have room, and, where there are many,
// on the selected staff and near the pointer only; so many that they could not be told apart
// are drawn as one, and taken hold of after zooming in.
const inside = computed(() => (props.track?.keys ?? []).filter((k) => k.frame >= props.start && k.frame <= props.end));
const dense = computed(() => (inside.value.length > 150 ? [...new Set(inside.value.map((k) => Math.round(x(k.frame))))].map((px) => `M${px} ${props.y + 3}V${props.y + props.h - 3}`).join("") : ""));
const posts = computed(() => {
  if (dense.value) return [];
  let free = -Infinity;
  return inside.value.map((k) => {
    const d = props.lifted?.get(k.frame) ?? null;
    const px = x(d?.frame ?? k.frame);
    const atEnd = px > props.width - props.right - 44;
    const wanted = d !== null || !props.crowded || props.selected || (props.near !== null && Math.abs(props.near - px) < 70);
    const label = wanted && ((atEnd ? px - 44 : px) >= free || d !== null);
    if (label) free = px + (atEnd ? 4 : 42);
    return { f: k.frame, v: d?.value ?? k.value, raw: k.value, px, label, atEnd, moved: d && d.frame !== k.frame ? d.frame : null, on: props.picked?.has(k.frame) ?? false };
  });
});
// Where they would lie with what is tried.
const fresh = computed(() => (props.fresh?.keys ?? []).filter((k) => k.frame >= props.start && k.frame <= props.end).slice(0, 200).map((k) => ({ px: x(k.frame), v: k.value, f: k.frame })));

// Steps of the value or the speed: no ribbon can show them, so they stand as bars.
const jumps = computed(() => (props.report?.jumps ?? []).filter((j) => j.order < 2 && j.at >= props.start && j.at <= props.end).map((j) => {
  const px = x(j.at);
  const by = j.order === 0 ? `jumps ${+j.by.toFixed(2)}${spaced(props.axis)}` : "corner";
  return { key: `${j.order} ${j.at}`, px, order: j.order, by, atEnd: px > props.width - props.right - 60 };
}));

// Framings that were tried and are not stored.
const tryouts = computed(() => props.tried.flatMap((t) => {
  const v = t.values[props.axis.id];
  if (v === undefined || t.frame < props.start || t.frame > props.end) return [];
  const px = x(t.frame);
  return [{ f: t.frame, v, px, atEnd: px > props.width - props.right - 130 }];
}));

// Where an axis jumps: a flag of the staff's height, a corner's is smaller.
function flag(px: number, order: number): string {
  const [w, from, tall] = order ? [6, props.h * 0.3, props.h * 0.4] : [10, 2, props.h - 4];
  return `M${px - w / 2} ${props.y + from}h${w}v${tall}h${-w}Z`;
}
const name = computed(() => {
  const most = props.h > 30 ? 15 : 12;
  return props.axis.name.length > most ? `${props.axis.name.slice(0, most - 1)}…` : props.axis.name;
});
</script>

<template>
  <svg class="layer" :width="width" :height="h" :viewBox="`0 ${y} ${width} ${h}`" :style="{ top: y + 'px' }"><g class="staff" :class="{ selected }" tabindex="0" role="group" aria-roledescription="staff" :data-opened="opened" :data-axis="axis.id"
    :aria-label="`${axis.name}, ${peak} of limit, ${track?.keys.length ?? 0} keyframes${opened ? ', opened' : ''}`"
    :data-test="'staff-' + own(axis.id)" @focus="emit('select')" @keydown="(e) => emit('key', e)" @keyup="(e) => e.key === 'Alt' && emit('rest')"
    @dblclick="emit('open')" @click="emit('select')" @pointerdown="(e) => emit('band', e)">
    <rect :x="1" :y="y" :width="Math.max(0, width - 2)" :height="h" :fill="selected ? 'var(--wash)' : 'transparent'" />
    <path :d="`M1 ${y + h}H${width - 1}`" stroke="var(--hair)" />
    <text x="14" :y="mid - (h > 30 ? 2 : -4)" class="name" :class="{ strong: selected, tight: h <= 30 }"><title>{{ axis.name }}</title>{{ name }}</text>
    <text :x="h > 30 ? 14 : left - 8" :text-anchor="h > 30 ? 'start' : 'end'" :y="mid + (h > 30 ? 13 : 4)" class="lab"
      :class="{ over }">{{ h > 30 ? peak : peak.replace('peak ', '') }}</text>
    <template v-if="!opened">
      <path v-if="h > 24" :d="`M${left} ${mid - half * 0.74}H${left + span}M${left} ${mid + half * 0.74}H${left + span}`"
        stroke="var(--rule)" stroke-dasharray="1 3" />
      <g clip-path="url(#scoreclip)"><path v-for="(r, i) in ribbons" :key="i" :d="r.d" :fill="fills[r.b]" :data-band="r.b" />
      <path v-for="(r, i) in ribbons.filter((q) => q.b === 3)" :key="'h' + i" :d="r.d" fill="url(#scorehatch)" />
      <path :d="outline" fill="none" stroke="var(--ink)" stroke-width=".9" /><path v-if="before" :d="before" class="before" data-test="before" /></g><path :d="`M${left} ${mid}H${left + span}`"
        stroke="var(--ink)" stroke-width=".9" />
    </template>
    <template v-else>
      <g v-if="scale.length" class="scale"><g v-for="t in scale" :key="t.d"><path :d="`M${left} ${vy(t.ring)}H${left + span}`"
        stroke="var(--hair)" /><text :x="left + 4" :y="vy(t.ring) - 2" class="lab">{{ t.d }} m</text></g></g>
      <g clip-path="url(#scoreclip)"><path v-for="(g, i) in ghosts" :key="'g' + i" :d="g" fill="none" stroke="var(--rule)"
        stroke-width="1.2" />
      <path v-if="before" :d="before" class="before" data-test="before" />
      <path :d="curve" fill="none" stroke="var(--ink)" stroke-width="2" data-test="curve" /></g>
      <template v-if="!scale.length"><text :x="left - 8" :y="y + 13" text-anchor="end" class="lab">{{ said(range[1]) }}</text><text :x="left - 8"
        :y="y + h - 5" text-anchor="end" class="lab">{{ said(range[0]) }}</text></template>
    </template>
    <g v-for="j in jumps" :key="'j' + j.key" class="jump" :data-jump="j.order" pointer-events="none">
      <path
        :d="flag(j.px, j.order)"
        fill="var(--h3)" stroke="var(--ink)" stroke-width=".9" />
      <path
        :d="flag(j.px, j.order)"
        fill="url(#scorehatch)" />
      <text v-if="h > 24 && j.order === 0" :x="j.px + (j.atEnd ? -9 : 9)" :y="y + h - 5" :text-anchor="j.atEnd ? 'end' : 'start'"
        class="val halo over">{{ j.by }}</text>
    </g>
    <g v-for="q in tryouts" :key="'t' + q.f" class="tried" :data-tried="q.f" pointer-events="none">
      <title>{{ axis.name }} tried at {{ four(q.f) }}, not stored</title>
      <path :d="`M${q.px} ${y + 3}V${y + h - 3}`" stroke="var(--now)" stroke-width="1.6" stroke-dasharray="3 3" />
      <text v-if="h > 24" :x="q.px + (q.atEnd ? -5 : 5)" :y="y + h - 5" :text-anchor="q.atEnd ? 'end' : 'start'"
        class="val halo now">{{ said(q.v) }} tried, not stored</text>
    </g>
    <path v-if="dense" :d="dense" class="crowd" stroke="var(--ink)" stroke-width="1" />
    <g v-for="p in posts" :key="p.f" class="post" :class="{ faint: fresh.length > 0 }" :data-key="p.f" :data-picked="p.on || undefined"
      @pointerdown.stop="(e) => emit('grab', e, p.f, p.raw)">
      <path :d="`M${p.px} ${y + 3}V${y + h - 3}`" stroke="var(--ink)" stroke-width="1.8" />
      <path v-if="p.on" :d="`M${p.px - 5} ${y + 3}h10v${h - 6}h-10Z`" fill="none" stroke="var(--now)" stroke-width="1.6" />
      <rect :x="p.px - 5" :y="y" width="10" :height="h" fill="transparent" />
      <rect v-if="opened" :x="p.px - 5" :y="vy(p.v) - 5" width="10" height="10" fill="var(--sheet)" :stroke="p.on ? 'var(--now)' : 'var(--ink)'"
        stroke-width="1.6" />
      <text v-if="p.label && h > 16" :x="p.px + (p.atEnd ? -5 : 5)" :y="opened ? vy(p.v) - 9 : y + (h > 24 ? 12 : h / 2 + 4)"
        :text-anchor="p.atEnd ? 'end' : 'start'" class="val halo">{{ shown(p.v) }}<tspan
        v-if="p.moved !== null"> at {{ four(p.moved) }}</tspan></text>
    </g>
    <g v-for="p in fresh" :key="'n' + p.f" class="new" pointer-events="none">
      <path :d="`M${p.px} ${y + 3}V${y + h - 3}`" stroke="var(--now)" stroke-width="1.8" />
      <rect v-if="opened" :x="p.px - 4" :y="vy(p.v) - 4" width="8" height="8" fill="var(--sheet)" stroke="var(--now)" stroke-width="1.6" />
    </g>
  </g></svg>
</template>

<style scoped>
.layer { position: absolute; left: 0; display: block; touch-action: none; will-change: transform; }
.staff { cursor: default; outline: none; }
.staff:focus-visible > rect:first-child { stroke: var(--now); stroke-width: 2; }
.name { font-size: 13px; }
.name.tight { font-size: 11px; }
.strong { font-weight: 700; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
html .lab.over { fill: var(--over); }
html.paper .lab.over { fill: var(--over); }
.val { font-size: 11px; }
.now { fill: var(--now); }
.val.over { fill: var(--over); }
.halo { paint-order: stroke; stroke: var(--sheet); stroke-width: 3px; }
.selected .halo { stroke: var(--wash); }
.post { cursor: grab; }
.faint { opacity: .45; }
.before { fill: none; stroke: var(--quiet); stroke-width: 1.3; stroke-dasharray: 4 3; }
</style>
