<script setup lang="ts">
import { computed, shallowRef, watch } from "vue";
import { api, type Changing } from "../api/client";
import { useShot } from "../stores/shot";
import type { Window } from "./window";

// How much the picture changes from each frame to the next: bars for its centre, a line for
// the corner that moves most; and the figures at the playhead, axis by axis.
const props = defineProps<{ window: Window; whole: Window; left: number; span: number; width: number; y: number; h: number }>();
const shot = useShot();
const most = 5000; // frames at a time
const got = shallowRef<Changing | null>(null);
let asked = 0;
let pause = 0;
watch(() => [shot.id, shot.view?.revision, Math.floor(props.window.from), Math.ceil(props.window.to)] as const, ([id, revision, from, to]) => {
  const mine = ++asked;
  window.clearTimeout(pause);
  if (revision === undefined || to - from >= most) {
    got.value = null;
    return;
  }
  pause = window.setTimeout(async () => {
    const r = await api.GET("/api/shots/{id}/changes", { params: { path: { id }, query: { from, to } } }).catch(() => ({ data: undefined }));
    if (mine === asked) got.value = r.data ?? null;
  }, 80);
}, { immediate: true });
const x = (f: number): number => props.left + ((f - props.window.from) / (props.window.to - props.window.from)) * props.span;
const top = computed(() => Math.max(0.01, ...(got.value?.px ?? []).flat()));
const drawn = computed(() => {
  const g = got.value;
  if (!g) return { bars: "", line: "" };
  const base = props.y + props.h - 3, tall = props.h - 8, w = Math.max(0.6, (x(1) - x(0)) * 0.72);
  let bars = "", line = "";
  g.px.forEach((p, i) => {
    const px = x(g.from + i), c = Math.max(0, p[0] ?? 0), k = Math.max(0, ...p.slice(1));
    bars += `M${(px - w / 2).toFixed(1)} ${base}v${(-(c / top.value) * tall).toFixed(1)}h${w.toFixed(1)}V${base}Z`;
    line += `${line ? "L" : "M"}${px.toFixed(1)} ${(base - (k / top.value) * tall).toFixed(1)}`;
  });
  return { bars, line };
});
const here = computed(() => {
  const g = got.value;
  if (!g) return null;
  const i = Math.round(shot.frame) - g.from, p = g.px[i];
  if (!p) return null;
  const corners = p.slice(1);
  const said = (p[0] ?? -1) < 0 ? "no picture of the subject's distance here" : `centre ${(p[0] ?? 0).toFixed(1)} px, corners ${Math.min(...corners).toFixed(1)}–${Math.max(...corners).toFixed(1)} px`;
  const axes = shot.axes.flatMap((a, k) => { const d = g.axes[k]?.[i] ?? 0; return Math.abs(d) < 5e-5 ? [] : [`${a.name} ${d > 0 ? "+" : "−"}${Math.abs(d).toFixed(a.unit === "deg" ? 3 : 2)}${a.unit === "deg" ? "°" : a.unit === "%" ? " %" : " mm"}`]; });
  return { said, axes: axes.join(" · ") };
});
const beyond = computed(() => props.window.to - props.window.from >= most);
</script>

<template>
  <g data-test="changes">
    <rect :x="1" :y="y" :width="Math.max(0, width - 2)" :height="h" fill="var(--sheet)" />
    <path :d="`M1 ${y}H${width - 1}`" stroke="var(--rule)" />
    <text x="14" :y="y + 14" class="lab">change a frame</text><text x="14" :y="y + 27" class="lab">{{ beyond ? "" : `to ${top.toFixed(1)} px` }}</text>
    <g clip-path="url(#scoreclip)"><path :d="drawn.bars" fill="var(--h0)" stroke="var(--ink)" stroke-width=".4" /><path :d="drawn.line" fill="none" stroke="var(--ink)" stroke-width="1" /></g>
    <text v-if="beyond" :x="left + 6" :y="y + 20" class="lab">Show fewer than {{ most }} frames to see it.</text>
    <text v-else-if="here" :x="left + span" :y="y + 12" text-anchor="end" class="lab halo strong" data-test="change-here">{{ here.said }}<tspan v-if="here.axes"> · {{ here.axes }}</tspan></text>
  </g>
</template>

<style scoped>
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
html .lab.strong { fill: var(--ink); }
.halo { paint-order: stroke; stroke: var(--sheet); stroke-width: 3px; }
</style>
