<script setup lang="ts">
import { computed } from "vue";
import type { ShotView, View } from "../api/client";
import { four } from "../stores/shot";
import { fills, runs } from "./headroom";
import { wedge, type Frame } from "./sheet";

// All of the sheet that does not change with the frame: set, rail, path, ticks,
// keyframes. It is drawn anew only when the plan, the size or the zoom changes.
const props = defineProps<{ shot: ShotView; frame: Frame; width: number; height: number; planOnly?: boolean }>();
const emit = defineEmits<{ go: [frame: number] }>();
const k = computed(() => props.frame.k);
const splitY = computed(() => props.frame.splitY);
const floorY = computed(() => props.frame.floorY);
const X = (m: number): number => props.frame.cx + m * k.value;
const PY = (m: number): number => props.frame.planY - m * k.value;
const EY = (m: number): number => floorY.value - m * k.value;

const plot = computed(() => props.shot.plot);
const worst = computed(() => plot.value.views.map((_, i) => Math.max(...plot.value.shares.map((s) => Math.abs(s[i] ?? 0)))));
const strips = computed(() => (props.shot.empty ? [] : runs(worst.value).map(([b, from, to]) => {
  const pts = plot.value.views.slice(from, Math.min(to + 1, plot.value.views.length));
  return { b, plan: line(pts, false), side: line(pts, true) };
})));
function line(v: View[], side: boolean): string {
  return v.map((p, i) => `${i ? "L" : "M"}${X(p.at_m[0] ?? 0).toFixed(1)} ${(side ? EY(p.at_m[2] ?? 0) : PY(p.at_m[1] ?? 0)).toFixed(1)}`).join("");
}

// Ticks by frame: a level whose ticks would stand closer than 3 px is left out.
const ticks = computed(() => {
  const v = plot.value.views;
  const out = [1, 5, 25].map((l) => ({ l, plan: "", side: "", w: l === 25 ? 1.6 : 0.8 }));
  if (props.shot.empty || v.length < 2) return [];
  let len = 0;
  for (let i = 1; i < v.length; i++) len += dist(v[i - 1] as View, v[i] as View) * k.value;
  const perFrame = len / ((v.length - 1) * plot.value.step);
  const levels = [25, 5, 1].filter((l) => perFrame * l >= 3);
  v.forEach((p, i) => {
    const f = plot.value.start + i * plot.value.step;
    const o = out.find((t) => t.l === levels.find((n) => f % n === 0));
    if (!o) return;
    const h = o.l === 25 ? 9 : o.l === 5 ? 6 : 4, x = X(p.at_m[0] ?? 0).toFixed(1);
    o.plan += `M${x} ${(PY(p.at_m[1] ?? 0) - h).toFixed(1)}v${h * 2}`;
    o.side += `M${x} ${(EY(p.at_m[2] ?? 0) - h * 0.7).toFixed(1)}v${h * 1.4}`;
  });
  return out.filter((t) => t.plan);
});
function dist(a: View, b: View): number {
  return Math.hypot((a.at_m[0] ?? 0) - (b.at_m[0] ?? 0), (a.at_m[1] ?? 0) - (b.at_m[1] ?? 0), (a.at_m[2] ?? 0) - (b.at_m[2] ?? 0));
}

// Keyframes' marks, and their frames where there is room for them.
const keys = computed(() => {
  const frames = [...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((q) => q.frame)))].sort((a, b) => a - b);
  const out: { f: number; v: View; x: number; y: number; label: boolean }[] = [];
  const cells = new Set<string>();
  for (const f of frames) {
    const v = plot.value.views[Math.min(Math.max(Math.round((f - plot.value.start) / plot.value.step), 0), plot.value.views.length - 1)] as View;
    const x = X(v.at_m[0] ?? 0), y = PY(v.at_m[1] ?? 0);
    const cell = `${Math.round(x / 7)} ${Math.round(y / 7)}`;
    if (cells.has(cell)) continue;
    cells.add(cell);
    out.push({ f, v, x, y, label: !out.some((o) => o.label && Math.abs(o.x - x) < 36 && Math.abs(o.y - y) < 14) });
  }
  return out;
});
// With many keyframes only some wedges are drawn, or none could be told apart.
const wedges = computed(() => keys.value.filter((_, i, all) => all.length <= 10 || i % Math.ceil(all.length / 8) === 0 || i === all.length - 1));

const track = computed(() => props.shot.rig.axes.find((a) => a.unit === "mm"));
const rail = computed(() => ({ x: X(props.shot.rig.rail_from_m), w: props.shot.rig.rail_m * k.value }));
const subject = computed(() => props.shot.set.subject_m);
const bar = computed(() => [0.1, 0.2, 0.5, 1, 2].find((m) => m * k.value >= 45) ?? 2);
// A zone's words run to the left where they would leave the sheet.
const edge = (z: ShotView["set"]["zones"][number]): boolean => X(z.min_m[0] ?? 0) + 125 > props.width;
const solids = computed(() => props.shot.set.solids.filter((s) => s.drawn));
</script>

<template>
  <g>
      <defs>
        <pattern id="grid" :width="k * 0.25" :height="k * 0.25" :x="frame.cx" :y="frame.planY" patternUnits="userSpaceOnUse"><path :d="`M${k * 0.25} 0H0V${k * 0.25}`" fill="none" stroke="var(--hair)" stroke-width="1" /></pattern>
        <pattern id="hatch" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V9" stroke="var(--quiet)" stroke-width="1" opacity=".7" /></pattern>
        <pattern id="overhatch" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V4" stroke="var(--sheet)" stroke-width="1.2" /></pattern>
        <clipPath id="planclip"><rect x="0" y="0" :width="width" :height="splitY" /></clipPath>
        <clipPath id="sideclip"><rect x="0" :y="splitY" :width="width" :height="Math.max(0, height - splitY)" /></clipPath>
      </defs>
      <rect :width="width" :height="height" fill="url(#grid)" />
      <g clip-path="url(#planclip)">
        <g v-for="s in solids" :key="s.name">
          <rect :data-solid="s.name" :x="X((s.centre_m[0] ?? 0) - (s.size_m[0] ?? 0) / 2)" :y="PY((s.centre_m[1] ?? 0) + (s.size_m[1] ?? 0) / 2)" :width="(s.size_m[0] ?? 0) * k" :height="(s.size_m[1] ?? 0) * k" fill="var(--tint)" stroke="var(--ink)" stroke-width="1" />
          <text :x="X(s.centre_m[0] ?? 0)" :y="PY((s.centre_m[1] ?? 0) - (s.size_m[1] ?? 0) / 2) - 5" text-anchor="middle" class="lab">{{ s.name }}</text>
        </g>
        <g v-for="z in shot.set.zones" :key="z.name">
          <rect :data-solid="z.name" :x="X(z.min_m[0] ?? 0)" :y="PY(z.max_m[1] ?? 0)" :width="((z.max_m[0] ?? 0) - (z.min_m[0] ?? 0)) * k" :height="((z.max_m[1] ?? 0) - (z.min_m[1] ?? 0)) * k" fill="url(#hatch)" stroke="var(--ink)" stroke-dasharray="5 3" />
          <text :x="edge(z) ? X(z.max_m[0] ?? 0) : X(z.min_m[0] ?? 0)" :text-anchor="edge(z) ? 'end' : 'start'" :y="PY(z.min_m[1] ?? 0) + 14" class="lab">keep out: {{ z.name }}, {{ z.clear_m }} m</text>
        </g>
        <path v-for="q in wedges" :key="'w' + q.f" :d="wedge(q.v, frame)" fill="var(--tint)" stroke="var(--quiet)" stroke-width=".8" />
        <rect :x="rail.x" :y="PY(0) - 5 + 30" :width="rail.w" height="9" fill="none" stroke="var(--ink)" />
        <path :d="Array.from({ length: 18 }, (_, i) => `M${rail.x + (rail.w * (i + 1)) / 19} ${PY(0) + 25}v9`).join('')" stroke="var(--ink)" stroke-width=".5" />
        <g v-if="track">
          <path :d="`M${X(track.min / 1000)} ${PY(0) + 38}v10M${X(track.max / 1000)} ${PY(0) + 38}v10M${X(track.min / 1000)} ${PY(0) + 43}H${X(track.max / 1000)}`" stroke="var(--quiet)" fill="none" />
          <text :x="X((track.min + track.max) / 2000)" :y="PY(0) + 60" text-anchor="middle" class="lab">soft limits {{ track.min }} – {{ track.max }} mm</text>
        </g>
        <g v-for="(s, i) in strips" :key="'p' + i">
          <path :d="s.plan" stroke="var(--ink)" stroke-width="6.5" fill="none" /><path :d="s.plan" :stroke="fills[s.b]" stroke-width="4.5" fill="none" />
          <path v-if="s.b === 3" :d="s.plan" stroke="url(#overhatch)" stroke-width="4.5" fill="none" />
        </g>
        <path v-for="t in ticks" :key="'t' + t.l" :d="t.plan" stroke="var(--ink)" :stroke-width="t.w" />
        <g v-for="q in keys" :key="q.f" class="keymark" @pointerdown.stop @click="emit('go', q.f)">
          <path :d="`M${q.x} ${q.y + 10}l6 10h-12z`" fill="var(--ink)" />
          <text v-if="q.label" :x="q.x" :y="q.y - 14" text-anchor="middle" class="lab halo">{{ four(q.f) }}</text>
        </g>
        <circle :cx="X(subject[0] ?? 0)" :cy="PY(subject[1] ?? 0)" r="9" fill="none" stroke="var(--now)" stroke-width="2" /><circle :cx="X(subject[0] ?? 0)" :cy="PY(subject[1] ?? 0)" r="2" fill="var(--now)" />
      </g>
      <g v-if="!planOnly" clip-path="url(#sideclip)">
        <rect x="0" :y="splitY" :width="width" :height="Math.max(0, height - splitY)" fill="var(--sheet)" />
        <path :d="`M0 ${floorY}H${width}`" stroke="var(--ink)" stroke-width="2" />
        <rect v-for="s in solids" :key="s.name" :x="X((s.centre_m[0] ?? 0) - (s.size_m[0] ?? 0) / 2)" :y="EY((s.centre_m[2] ?? 0) + (s.size_m[2] ?? 0) / 2)" :width="(s.size_m[0] ?? 0) * k" :height="(s.size_m[2] ?? 0) * k" fill="var(--tint)" stroke="var(--quiet)" stroke-width="1" />
        <rect :x="rail.x" :y="EY(shot.rig.height_m)" :width="rail.w" :height="0.03 * k" fill="var(--sheet)" stroke="var(--ink)" />
        <path v-for="s in [0.06, 0.94]" :key="s" :d="`M${rail.x + rail.w * s} ${EY(shot.rig.height_m - 0.03)}l${-0.07 * k} ${(shot.rig.height_m - 0.03) * k}M${rail.x + rail.w * s} ${EY(shot.rig.height_m - 0.03)}l${0.07 * k} ${(shot.rig.height_m - 0.03) * k}`" stroke="var(--ink)" fill="none" />
        <g v-for="(s, i) in strips" :key="'e' + i"><path :d="s.side" stroke="var(--ink)" stroke-width="5" fill="none" /><path :d="s.side" :stroke="fills[s.b]" stroke-width="3.4" fill="none" /></g>
        <path v-for="t in ticks" :key="'u' + t.l" :d="t.side" stroke="var(--ink)" :stroke-width="t.w" />
        <circle :cx="X(subject[0] ?? 0)" :cy="EY(subject[2] ?? 0)" r="6" fill="none" stroke="var(--now)" stroke-width="2" />
        <path :d="`M0 ${splitY}H${width}`" stroke="var(--ink)" />
        <rect x="6" :y="splitY + 4" width="172" height="22" fill="var(--sheet)" />
        <text x="12" :y="splitY + 20" class="capt">ELEVATION</text><text x="92" :y="splitY + 20" class="lab">from the front</text>
      </g>
      <rect x="6" y="5" width="112" height="20" fill="var(--sheet)" /><text x="12" y="22" class="capt">PLAN</text><text x="52" y="22" class="lab">from above</text>
      <g :transform="`translate(${width - bar * k - 16} ${splitY - 14})`"><path :d="`M0 0H${bar * k}M0 -4v8M${bar * k} -4v8`" stroke="var(--ink)" stroke-width="2" /><text x="2" y="-7" class="lab">{{ bar }} m</text></g>
  </g>
</template>

<style scoped>
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.halo { paint-order: stroke; stroke: var(--sheet); stroke-width: 4px; stroke-linejoin: round; }
.capt { font: 600 14px var(--head); letter-spacing: .06em; }
.keymark { cursor: pointer; }
</style>
