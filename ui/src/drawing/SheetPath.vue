<script setup lang="ts">
import { computed } from "vue";
import type { ShotView, View } from "../api/client";
import { four } from "../stores/shot";
import { fills, runs } from "./headroom";
import { line, projection, type Frame } from "./sheet";

// The camera's path with its headroom and its ticks by frame, and the keyframes.
const props = defineProps<{ shot: ShotView; frame: Frame; side: boolean; keys: { f: number; v: View }[] }>();
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
const ticks = computed(() => {
  const v = plot.value.views;
  if (props.shot.empty || v.length < 2) return [];
  const out = [1, 5, 25].map((l) => ({ l, d: "", w: l === 25 ? 1.6 : 0.8 }));
  let long = 0;
  for (let i = 1; i < v.length; i++) long += distance(v[i - 1] as View, v[i] as View) * props.frame.k;
  const perFrame = long / ((v.length - 1) * plot.value.step);
  const levels = [25, 5, 1].filter((l) => perFrame * l >= 3);
  v.forEach((p, i) => {
    const f = plot.value.start + i * plot.value.step;
    const o = out.find((t) => t.l === levels.find((n) => f % n === 0));
    if (!o) return;
    const h = (o.l === 25 ? 9 : o.l === 5 ? 6 : 4) * size.value.tick;
    const [x, y] = way.value(p.at_m), [nx, ny] = across(i);
    o.d += `M${(x - nx * h).toFixed(1)} ${(y - ny * h).toFixed(1)}l${(2 * nx * h).toFixed(1)} ${(2 * ny * h).toFixed(1)}`;
  });
  return out.filter((t) => t.d);
});
// The direction across the path at a sample, on the sheet.
function across(i: number): [number, number] {
  const v = plot.value.views;
  const [ax, ay] = way.value((v[Math.max(0, i - 1)] as View).at_m), [bx, by] = way.value((v[Math.min(v.length - 1, i + 1)] as View).at_m);
  const d = Math.hypot(bx - ax, by - ay);
  return d < 0.01 ? [0, 1] : [-(by - ay) / d, (bx - ax) / d];
}
function distance(a: View, b: View): number {
  return Math.hypot(...a.at_m.map((v, i) => v - (b.at_m[i] ?? 0)));
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
    <path v-for="t in ticks" :key="'t' + t.l" :d="t.d" stroke="var(--ink)" :stroke-width="t.w" />
    <g v-for="q in marks" :key="q.f" class="keymark" @pointerdown.stop @click="emit('go', q.f)">
      <path :d="`M${q.x} ${q.y + 10}l6 10h-12z`" fill="var(--ink)" />
      <text v-if="q.label" :x="q.x" :y="q.y - 14" text-anchor="middle" class="lab halo">{{ four(q.f) }}</text>
    </g>
  </g>
</template>

<style scoped>
.keymark { cursor: pointer; }
</style>
