<script setup lang="ts">
import { computed } from "vue";
import type { Plot, ShotView, View } from "../api/client";
import { four } from "../stores/shot";
import { fills, runs } from "./headroom";
import { line, projection, type Frame } from "./sheet";

// The camera's path with its headroom and its ticks by frame, and the keyframes.
const props = defineProps<{ shot: ShotView; frame: Frame; side: boolean; keys: { f: number; v: View }[]; was?: Plot | null; scrubs?: boolean }>();
const emit = defineEmits<{ go: [frame: number] }>();
const way = computed(() => projection(props.frame, props.side));
const plot = computed(() => props.shot.plot);
const worst = computed(() => plot.value.views.map((_, i) => Math.max(...plot.value.shares.map((s) => Math.abs(s[i] ?? 0)))));
// The pictures' part of it, by sample; run-up and run-out are drawn apart.
const inner = computed(() => {
  const at = (f: number): number => Math.round((f - plot.value.start) / plot.value.step);
  return { from: Math.max(0, at(props.shot.first)), to: Math.min(plot.value.views.length - 1, Math.max(at(props.shot.last), 0)) };
});
const piece = (from: number, to: number): string => (to > from ? line(plot.value.views.slice(from, to + 1).map((v) => v.at_m), way.value) : "");
const strips = computed(() => (props.shot.empty ? [] : runs(worst.value).map(([b, from, end]) => ({ b, d: piece(Math.max(from, inner.value.from), Math.min(end, inner.value.to)) })).filter((s) => s.d)));
const outside = computed(() => (props.shot.empty ? "" : piece(0, inner.value.from) + piece(inner.value.to, plot.value.views.length - 1)));
const size = computed(() => (props.side ? { ink: 5, fill: 3.4, tick: 0.7 } : { ink: 6.5, fill: 4.5, tick: 1 }));

// Ticks by frame, across the path: a level whose ticks would stand closer than 3 px
// is left out.
// While something is looked at, the spacing as it is stands below the path, the new one above.
const ticks = computed(() => tickLines(plot.value, props.was ? 1 : 0));
const before = computed(() => (props.was ? tickLines(props.was, -1) : []));
const old = computed(() => (props.was ? line(props.was.views.map((v) => v.at_m), way.value) : ""));
function tickLines(p: Plot, half: -1 | 0 | 1): { l: number; d: string; w: number }[] {
  const v = p.views;
  if (props.shot.empty || v.length < 2) return [];
  const out = [1, 5, 25].map((l) => ({ l, d: "", w: l === 25 ? 1.6 : 0.8 }));
  let long = 0;
  for (let i = 1; i < v.length; i++) long += distance(v[i - 1] as View, v[i] as View) * props.frame.k;
  const perFrame = long / ((v.length - 1) * p.step);
  const levels = [25, 5, 1].filter((l) => perFrame * l >= 3);
  v.forEach((q, i) => {
    const f = p.start + i * p.step;
    const o = out.find((t) => t.l === levels.find((n) => f % n === 0));
    if (!o) return;
    const h = (o.l === 25 ? 9 : o.l === 5 ? 6 : 4) * size.value.tick * (half ? 1.5 : 1);
    let [nx, ny] = across(v, i);
    if (half && ny > 0) [nx, ny] = [-nx, -ny]; // up on the sheet
    const [x, y] = way.value(q.at_m), a = half > 0 ? 0 : -h, b = half < 0 ? 0 : h;
    o.d += `M${(x + nx * a).toFixed(1)} ${(y + ny * a).toFixed(1)}L${(x + nx * b).toFixed(1)} ${(y + ny * b).toFixed(1)}`;
  });
  return out.filter((t) => t.d);
}
// The direction across the path at a sample, on the sheet.
function across(v: View[], i: number): [number, number] {
  const [ax, ay] = way.value((v[Math.max(0, i - 1)] as View).at_m), [bx, by] = way.value((v[Math.min(v.length - 1, i + 1)] as View).at_m);
  const d = Math.hypot(bx - ax, by - ay);
  return d < 0.01 ? [0, 1] : [-(by - ay) / d, (bx - ax) / d];
}
function distance(a: View, b: View): number {
  return Math.hypot(...a.at_m.map((v, i) => v - (b.at_m[i] ?? 0)));
}
// Dragged along, the path takes the playhead with it: to the frame that lies nearest,
// from where it is, so that a path that crosses itself is not left.
const reach = computed(() => (props.shot.empty ? "" : piece(inner.value.from, inner.value.to)));
let scrub: number | null = null;
function nearest(e: PointerEvent): number {
  const r = (e.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
  const px = e.clientX - (r?.left ?? 0), py = e.clientY - (r?.top ?? 0), v = plot.value.views;
  let best = scrub ?? 0, least = Infinity;
  const n = inner.value.to - inner.value.from, [a, b] = scrub === null ? [inner.value.from, inner.value.to] : [Math.max(inner.value.from, scrub - n / 5), Math.min(inner.value.to, scrub + n / 5)];
  for (let i = Math.ceil(a); i <= b; i++) {
    const [x, y] = way.value((v[i] as View).at_m), d = Math.hypot(x - px, y - py) + (scrub === null ? 0 : Math.abs(i - scrub) * 0.02);
    if (d < least) [least, best] = [d, i];
  }
  return best;
}
function along(e: PointerEvent, down = false): void {
  if (down) (e.currentTarget as Element).setPointerCapture(e.pointerId);
  else if (scrub === null) return;
  scrub = nearest(e);
  emit("go", plot.value.start + scrub * plot.value.step);
}
const marks = computed(() => {
  const out: { f: number; x: number; y: number; label: boolean }[] = [];
  for (const { f, v } of props.side ? [] : props.keys) {
    const [x, y] = way.value(v.at_m);
    out.push({ f, x, y, label: !out.some((o) => o.label && Math.abs(o.x - x) < 36 && Math.abs(o.y - y) < 14) });
  }
  return out;
});
</script>

<template>
  <g>
    <path v-if="outside" :d="outside" data-test="sheet-runs" stroke="var(--ink)" stroke-width="2" stroke-dasharray="5 4" fill="none" />
    <g v-for="(s, i) in strips" :key="i">
      <path :d="s.d" stroke="var(--ink)" :stroke-width="size.ink" fill="none" />
      <path :d="s.d" :stroke="fills[s.b]" :stroke-width="size.fill" fill="none" />
      <path v-if="s.b === 3 && !side" :d="s.d" stroke="url(#overhatch)" :stroke-width="size.fill" fill="none" />
    </g>
    <g v-if="was" data-test="old-spacing"><path :d="old" fill="none" stroke="var(--quiet)" stroke-width="1.2" stroke-dasharray="4 3" /><path v-for="t in before" :key="'b' + t.l" :d="t.d" stroke="var(--quiet)" :stroke-width="t.w" /></g>
    <path v-for="t in ticks" :key="'t' + t.l" :d="t.d" stroke="var(--ink)" :stroke-width="t.w" />
    <path v-if="scrubs && reach" :d="reach" class="reach" :data-test="side ? undefined : 'sheet-scrub'" @pointerdown.stop="(e) => along(e, true)" @pointermove="(e) => along(e)" @pointerup="scrub = null" @pointercancel="scrub = null" />
    <g v-for="q in marks" :key="q.f" class="keymark" @pointerdown.stop @click="emit('go', q.f)">
      <path :d="`M${q.x} ${q.y + 10}l6 10h-12z`" fill="var(--ink)" />
      <text v-if="q.label" :x="q.x" :y="q.y - 14" text-anchor="middle" class="lab halo">{{ four(q.f) }}</text>
    </g>
  </g>
</template>

<style scoped>
.keymark { cursor: pointer; }
.reach { fill: none; stroke: transparent; stroke-width: 18; pointer-events: stroke; cursor: col-resize; touch-action: none; }
</style>
