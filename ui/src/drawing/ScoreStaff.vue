<script setup lang="ts">
import { computed, ref } from "vue";
import type { Axis, Edit, Plot, ShotView } from "../api/client";
import { four } from "../stores/shot";
import { isFocus as focuses, own, spaced } from "./axes";
import { fills, runs } from "./headroom";
import { distance, ticks } from "./ring";

const props = defineProps<{ shot: ShotView; plot: Plot; axis: Axis; index: number; y: number; h: number; width: number; left: number; right: number; start: number; end: number; selected: boolean; opened: boolean; peak: string; over: boolean; tried: { frame: number; values: Record<string, number> }[]; held: { from: number; to: number } | null }>();
const emit = defineEmits<{ go: [frame: number]; select: []; open: []; edit: [e: Edit, said: string]; retime: [by: number, all: boolean]; step: [dir: number]; rest: [] }>();

const span = computed(() => Math.max(10, props.width - props.left - props.right));
const x = (f: number): number => props.left + ((f - props.start) / (props.end - props.start)) * span.value;
const mid = computed(() => props.y + props.h / 2);
const half = computed(() => Math.max(4, props.h / 2 - 3));
// One limit is 0.74 of the half height, so that what is over still shows.
const thick = (s: number): number => Math.min(Math.abs(s) * 0.74, 1) * half.value * Math.sign(s);
const track = computed(() => props.shot.path.tracks.find((t) => t.axis === props.axis.id));
// The samples inside the window, and one more on either side.
const cut = computed(() => {
  const p = props.plot;
  return [Math.max(0, Math.floor((props.start - p.start) / p.step) - 1), Math.ceil((props.end - p.start) / p.step) + 2] as const;
});
const shares = computed(() => (props.plot.shares[props.index] ?? []).slice(...cut.value));
const at = (i: number): number => props.plot.start + (i + cut.value[0]) * props.plot.step;

const ribbons = computed(() => runs(shares.value).map(([b, from, to]) => {
  const last = Math.min(to, shares.value.length - 1);
  let d = `M${x(at(from)).toFixed(1)} ${mid.value}`;
  for (let i = from; i <= last; i++) d += `L${x(at(i)).toFixed(1)} ${(mid.value - thick(shares.value[i] ?? 0)).toFixed(1)}`;
  return { b, d: `${d}L${x(at(last)).toFixed(1)} ${mid.value}Z` };
}));
const outline = computed(() => shares.value.map((s, i) => `${i ? "L" : "M"}${x(at(i)).toFixed(1)} ${(mid.value - thick(s)).toFixed(1)}`).join(""));

// The value curve of an opened staff, with the others ghosted behind.
const values = computed(() => (props.plot.values[props.index] ?? []).slice(...cut.value));
const range = computed(() => {
  let lo = Infinity, hi = -Infinity;
  for (const v of [...(props.plot.values[props.index] ?? []), ...(track.value?.keys.map((k) => k.value) ?? [])]) { lo = Math.min(lo, v); hi = Math.max(hi, v); }
  const pad = Math.max((hi - lo) * 0.18, props.axis.unit === "deg" ? 0.5 : 5);
  return [lo - pad, hi + pad] as const;
});
const vy = (v: number): number => props.y + props.h - 6 - ((v - range.value[0]) / (range.value[1] - range.value[0])) * (props.h - 12);
const valueAt = (py: number): number => range.value[0] + ((props.y + props.h - 6 - py) / (props.h - 12)) * (range.value[1] - range.value[0]);
const curve = computed(() => values.value.map((v, i) => `${i ? "L" : "M"}${x(at(i)).toFixed(1)} ${vy(v).toFixed(1)}`).join(""));
const ghosts = computed(() => props.plot.values.map((whole, k) => {
  if (k === props.index) return "";
  const row = whole.slice(...cut.value), lo = Math.min(...row), hi = Math.max(...row);
  if (hi - lo < 1e-9) return "";
  return row.map((v, i) => `${i ? "L" : "M"}${x(at(i)).toFixed(1)} ${(props.y + props.h - 10 - ((v - lo) / (hi - lo)) * (props.h - 20)).toFixed(1)}`).join("");
}).filter(Boolean));

// Focus is shown as the distance on its scale, from the image plane.
const isFocus = computed(() => focuses(props.axis));
const metres = (v: number): string => `${distance(props.shot.focus_scale, v).toFixed(2)} m`;
const shown = (v: number): string => (isFocus.value ? metres(v) : props.axis.unit === "deg" ? v.toFixed(2) : v.toFixed(Math.abs(v) >= 100 ? 0 : 1));
const said = (v: number): string => (isFocus.value ? metres(v) : `${shown(v)}${spaced(props.axis)}`);
const scale = computed(() => (isFocus.value && props.opened ? ticks(props.shot.focus_scale, range.value[0], range.value[1], (props.h - 12) / 22) : []));

const drag = ref<{ from: number; frame: number; value: number; was: number } | null>(null);
function down(e: PointerEvent, f: number, v: number): void {
  emit("select");
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  drag.value = { from: f, frame: f, value: v, was: v };
}
function move(e: PointerEvent): void {
  const d = drag.value;
  const svg = (e.currentTarget as SVGElement).ownerSVGElement;
  if (!d || !svg) return;
  const r = svg.getBoundingClientRect();
  d.frame = Math.round(props.start + ((e.clientX - r.left - props.left) / span.value) * (props.end - props.start));
  if (props.opened) d.value = Number(Math.min(Math.max(valueAt(e.clientY - r.top), props.axis.min), props.axis.max).toFixed(props.axis.unit === "deg" ? 2 : 1));
}
function up(): void {
  const d = drag.value;
  drag.value = null;
  if (!d) return;
  const values = { [props.axis.id]: d.value };
  if (d.frame !== d.from) emit("edit", { op: "move", axis: props.axis.id, frame: d.from, to: d.frame, ...(d.value !== d.was ? { values } : {}) }, `${props.axis.name}: ${four(d.from)} moved to ${four(d.frame)}.`);
  else if (d.value !== d.was) emit("edit", { op: "set", frame: d.frame, values }, `${props.axis.name} at ${four(d.frame)} is ${said(d.value)}.`);
  if (d.frame === d.from && d.value === d.was) emit("go", d.from);
}
// The keyframes in the window. Values stand where they have room; so many that
// they could not be told apart are drawn as one, and taken hold of after zooming in.
const inside = computed(() => (track.value?.keys ?? []).filter((k) => k.frame >= props.start && k.frame <= props.end));
const crowd = computed(() => (inside.value.length > 150 ? [...new Set(inside.value.map((k) => Math.round(x(k.frame))))].map((px) => `M${px} ${props.y + 3}V${props.y + props.h - 3}`).join("") : ""));
const posts = computed(() => {
  if (crowd.value) return [];
  let free = -Infinity;
  return inside.value.map((k) => {
    const d = drag.value?.from === k.frame ? drag.value : props.held?.from === k.frame ? { frame: props.held.to, value: k.value } : null;
    const px = x(d?.frame ?? k.frame);
    const atEnd = px > props.width - props.right - 44;
    const label = (atEnd ? px - 44 : px) >= free || d !== null;
    if (label) free = px + (atEnd ? 4 : 42);
    return { f: k.frame, v: d?.value ?? k.value, raw: k.value, px, label, atEnd, moved: d && d.frame !== k.frame ? d.frame : null };
  });
});

// Steps of the value or the speed: no ribbon can show them, so they stand as bars.
const jumps = computed(() => (props.shot.analysis.report.axes.find((r) => r.axis === props.axis.id)?.jumps ?? []).filter((j) => j.order < 2 && j.at >= props.start && j.at <= props.end).map((j) => {
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

function key(e: KeyboardEvent): void {
  if (e.key === "Enter") emit("open");
  else if (e.key === "[") emit("step", -1);
  else if (e.key === "]") emit("step", 1);
  else if (e.altKey && (e.key === "ArrowLeft" || e.key === "ArrowRight")) emit("retime", e.key === "ArrowLeft" ? -1 : 1, e.shiftKey);
  else return;
  e.preventDefault();
  e.stopPropagation();
}
// Where an axis jumps: a flag of the staff's height, a corner's is smaller.
function flag(px: number, order: number): string {
  const [w, from, tall] = order ? [6, props.h * 0.3, props.h * 0.4] : [10, 2, props.h - 4];
  return `M${px - w / 2} ${props.y + from}h${w}v${tall}h${-w}Z`;
}
</script>

<template>
  <g class="staff" :class="{ selected }" tabindex="0" role="group" aria-roledescription="staff" :data-opened="opened"
    :aria-label="`${axis.name}, ${peak} of limit, ${track?.keys.length ?? 0} keyframes${opened ? ', opened' : ''}`"
    :data-test="'staff-' + own(axis.id)" @focus="emit('select')" @keydown="key" @keyup="(e) => e.key === 'Alt' && emit('rest')"
    @dblclick="emit('open')" @click="emit('select')">
    <rect :x="1" :y="y" :width="Math.max(0, width - 2)" :height="h" :fill="selected ? 'var(--wash)' : 'transparent'" />
    <path :d="`M1 ${y + h}H${width - 1}`" stroke="var(--hair)" />
    <text x="14" :y="mid - (h > 30 ? 2 : -4)" class="name" :class="{ strong: selected }">{{ axis.name }}</text>
    <text :x="h > 30 ? 14 : 60" :y="mid + (h > 30 ? 13 : 4)" class="lab"
      :class="{ over }">{{ h > 24 ? peak : peak.replace('peak ', '') }}</text>
    <template v-if="!opened">
      <path v-if="h > 24" :d="`M${left} ${mid - half * 0.74}H${left + span}M${left} ${mid + half * 0.74}H${left + span}`"
        stroke="var(--rule)" stroke-dasharray="1 3" />
      <g clip-path="url(#scoreclip)"><path v-for="(r, i) in ribbons" :key="i" :d="r.d" :fill="fills[r.b]" :data-band="r.b" />
      <path v-for="(r, i) in ribbons.filter((q) => q.b === 3)" :key="'h' + i" :d="r.d" fill="url(#scorehatch)" />
      <path :d="outline" fill="none" stroke="var(--ink)" stroke-width=".9" /></g><path :d="`M${left} ${mid}H${left + span}`"
        stroke="var(--ink)" stroke-width=".9" />
    </template>
    <template v-else>
      <g v-if="scale.length" class="scale"><g v-for="t in scale" :key="t.d"><path :d="`M${left} ${vy(t.ring)}H${left + span}`"
        stroke="var(--hair)" /><text :x="left + 4" :y="vy(t.ring) - 2" class="lab">{{ t.d }} m</text></g></g>
      <g clip-path="url(#scoreclip)"><path v-for="(g, i) in ghosts" :key="'g' + i" :d="g" fill="none" stroke="var(--rule)"
        stroke-width="1.2" />
      <path :d="curve" fill="none" stroke="var(--ink)" stroke-width="2" /></g>
      <template v-if="!scale.length"><text :x="left + 4" :y="y + 13" class="lab">{{ said(range[1]) }}</text><text :x="left + 4"
        :y="y + h - 5" class="lab">{{ said(range[0]) }}</text></template>
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
    <path v-if="crowd" :d="crowd" class="crowd" stroke="var(--ink)" stroke-width="1" />
    <g v-for="p in posts" :key="p.f" class="post" :data-key="p.f" @pointerdown.stop="(e) => down(e, p.f, p.raw)" @pointermove="move"
      @pointerup="up" @pointercancel="drag = null">
      <path :d="`M${p.px} ${y + 3}V${y + h - 3}`" stroke="var(--ink)" stroke-width="1.8" />
      <rect :x="p.px - 5" :y="y" width="10" :height="h" fill="transparent" />
      <rect v-if="opened" :x="p.px - 5" :y="vy(p.v) - 5" width="10" height="10" fill="var(--sheet)" stroke="var(--ink)"
        stroke-width="1.6" />
      <text v-if="p.label && h > 24" :x="p.px + (p.atEnd ? -5 : 5)" :y="opened ? vy(p.v) - 9 : y + 12"
        :text-anchor="p.atEnd ? 'end' : 'start'" class="val halo">{{ shown(p.v) }}<tspan
        v-if="p.moved !== null"> at {{ four(p.moved) }}</tspan></text>
    </g>
  </g>
</template>

<style scoped>
.staff { cursor: default; outline: none; }
.staff:focus-visible > rect:first-child { stroke: var(--now); stroke-width: 2; }
.name { font-size: 13px; }
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
</style>
