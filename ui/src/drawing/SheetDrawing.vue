<script setup lang="ts">
import { useElementSize } from "./size";
import { computed, ref, watch } from "vue";
import type { ShotView, View } from "../api/client";
import { four } from "../stores/shot";
import { fills, runs } from "./headroom";

const props = defineProps<{ shot: ShotView; camera: View | null; rig: View | null; frame: number; index: number; planOnly?: boolean; follow?: boolean }>();
const emit = defineEmits<{ go: [frame: number] }>();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);

// One scale for plan and elevation; x is shared, so they stand over each other.
const zoom = ref(1);
const shift = ref<[number, number]>([0, 0]);
const base = computed(() => {
  const w = Math.max(width.value, 200), h = Math.max(height.value, 120);
  return Math.min(props.planOnly ? (h - 84) / 1.32 : (h - 98) / 2.04, (w - 16) / (props.planOnly ? 2.92 : 3.25));
});
const k = computed(() => base.value * zoom.value);
const cx = computed(() => width.value / 2 - (props.planOnly ? 1.36 : 1.06) * k.value + shift.value[0]);
// Heights: 1.3 m of set above the rail, the dimension lines below it, then 0.74 m of elevation.
const splitY = computed(() => (props.planOnly ? height.value : Math.round(10 + 1.3 * base.value + 70)));
const spare = computed(() => (props.planOnly ? Math.max(0, (height.value - 84 - 1.32 * base.value) / 2) : 0));
const planY = computed(() => splitY.value - 70 - spare.value + shift.value[1]);
const floorY = computed(() => height.value - 14);
const X = (m: number): number => cx.value + m * k.value;
const PY = (m: number): number => planY.value - m * k.value;
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
  if (props.shot.empty || v.length < 2) return [];
  let len = 0;
  for (let i = 1; i < v.length; i++) len += dist(v[i - 1] as View, v[i] as View) * k.value;
  const perFrame = len / ((v.length - 1) * plot.value.step);
  const levels = [1, 5, 25].filter((l) => perFrame * l >= 3);
  const out: { x: number; py: number; ey: number; h: number; w: number }[] = [];
  v.forEach((p, i) => {
    const f = plot.value.start + i * plot.value.step;
    const l = [...levels].reverse().find((n) => f % n === 0);
    if (l !== undefined) out.push({ x: X(p.at_m[0] ?? 0), py: PY(p.at_m[1] ?? 0), ey: EY(p.at_m[2] ?? 0), h: l === 25 ? 9 : l === 5 ? 6 : 4, w: l === 25 ? 1.6 : 0.8 });
  });
  return out;
});
function dist(a: View, b: View): number {
  return Math.hypot((a.at_m[0] ?? 0) - (b.at_m[0] ?? 0), (a.at_m[1] ?? 0) - (b.at_m[1] ?? 0), (a.at_m[2] ?? 0) - (b.at_m[2] ?? 0));
}

const keys = computed(() => {
  const frames = [...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((q) => q.frame)))].sort((a, b) => a - b);
  let lastX = -99;
  return frames.map((f) => {
    const v = plot.value.views[Math.min(Math.max(Math.round((f - plot.value.start) / plot.value.step), 0), plot.value.views.length - 1)] as View;
    const x = X(v.at_m[0] ?? 0);
    const label = Math.abs(x - lastX) > 34;
    if (label) lastX = x;
    return { f, v, x, label };
  });
});
// With many keyframes only some wedges are drawn, or none could be told apart.
const wedges = computed(() => keys.value.filter((_, i, all) => all.length <= 10 || i % Math.ceil(all.length / 8) === 0 || i === all.length - 1));
const wedgeLength = 0.62;
function wedge(v: View): string {
  const half = ((v.field_deg[0] ?? 40) / 2) * (Math.PI / 180);
  const heading = Math.atan2(v.forward[0] ?? 0, v.forward[1] ?? 1);
  const [x, y] = [v.pupil_m[0] ?? 0, v.pupil_m[1] ?? 0];
  const pt = (a: number): string => `${X(x + Math.sin(a) * wedgeLength).toFixed(1)} ${PY(y + Math.cos(a) * wedgeLength).toFixed(1)}`;
  const r = (wedgeLength * k.value).toFixed(1);
  return `M${X(x).toFixed(1)} ${PY(y).toFixed(1)}L${pt(heading - half)}A${r} ${r} 0 0 1 ${pt(heading + half)}Z`;
}

const track = computed(() => props.shot.rig.axes.find((a) => a.unit === "mm"));
const rail = computed(() => ({ x: X(props.shot.rig.rail_from_m), w: props.shot.rig.rail_m * k.value }));
const subject = computed(() => props.shot.set.subject_m);
const away = computed(() => {
  const c = props.camera;
  if (!c) return 0;
  return Math.hypot(...[0, 1, 2].map((i) => (subject.value[i] ?? 0) - (c.at_m[i] ?? 0)));
});
const bar = computed(() => [0.1, 0.2, 0.5, 1, 2].find((m) => m * k.value >= 45) ?? 2);
const drawn = computed(() => props.shot.set.solids.filter((s) => s.drawn));

function wheel(e: WheelEvent): void {
  const r = box.value?.getBoundingClientRect();
  if (!r) return;
  scale(e.deltaY < 0 ? 1.15 : 1 / 1.15, e.clientX - r.left, e.clientY - r.top);
}
function scale(by: number, px: number, py: number): void {
  const to = Math.min(Math.max(zoom.value * by, 0.4), 8);
  const q = to / zoom.value;
  const beforeX = (px - cx.value) / k.value;
  const beforeY = (planY.value - py) / k.value;
  zoom.value *= q;
  shift.value = [shift.value[0] + px - (cx.value + beforeX * k.value), shift.value[1] + py - (planY.value - beforeY * k.value)];
}
function fit(): void {
  zoom.value = 1;
  shift.value = [0, 0];
}
let drag: [number, number, number, number] | null = null;
function down(e: PointerEvent): void {
  drag = [e.clientX, e.clientY, shift.value[0], shift.value[1]];
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
}
function move(e: PointerEvent): void {
  if (drag) shift.value = [drag[2] + e.clientX - drag[0], drag[3] + e.clientY - drag[1]];
}
watch(() => props.shot.id, fit);
const round = (m: number): number => Math.round(m * 1000) / 1000;
</script>

<template>
  <div ref="box" class="box drawing" data-test="sheet">
    <svg :width="width" :height="height" role="img" :aria-label="`Plan and elevation of ${shot.code}, frame ${four(frame)}`" @wheel.prevent="wheel" @pointerdown="down" @pointermove="move" @pointerup="drag = null" @pointercancel="drag = null">
      <defs>
        <pattern id="grid" :width="k * 0.25" :height="k * 0.25" :x="cx" :y="planY" patternUnits="userSpaceOnUse"><path :d="`M${k * 0.25} 0H0V${k * 0.25}`" fill="none" stroke="var(--hair)" stroke-width="1" /></pattern>
        <pattern id="hatch" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V9" stroke="var(--quiet)" stroke-width="1" opacity=".7" /></pattern>
        <pattern id="overhatch" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V4" stroke="var(--sheet)" stroke-width="1.2" /></pattern>
        <clipPath id="planclip"><rect x="0" y="0" :width="width" :height="splitY" /></clipPath>
        <clipPath id="sideclip"><rect x="0" :y="splitY" :width="width" :height="Math.max(0, height - splitY)" /></clipPath>
      </defs>
      <rect :width="width" :height="height" fill="url(#grid)" />
      <g clip-path="url(#planclip)">
        <g v-for="s in drawn" :key="s.name">
          <rect :x="X((s.centre_m[0] ?? 0) - (s.size_m[0] ?? 0) / 2)" :y="PY((s.centre_m[1] ?? 0) + (s.size_m[1] ?? 0) / 2)" :width="(s.size_m[0] ?? 0) * k" :height="(s.size_m[1] ?? 0) * k" fill="var(--tint)" stroke="var(--ink)" stroke-width="1" />
          <text :x="X(s.centre_m[0] ?? 0)" :y="PY((s.centre_m[1] ?? 0) - (s.size_m[1] ?? 0) / 2) - 5" text-anchor="middle" class="lab">{{ s.name }}</text>
        </g>
        <g v-for="z in shot.set.zones" :key="z.name">
          <rect :x="X(z.min_m[0] ?? 0)" :y="PY(z.max_m[1] ?? 0)" :width="((z.max_m[0] ?? 0) - (z.min_m[0] ?? 0)) * k" :height="((z.max_m[1] ?? 0) - (z.min_m[1] ?? 0)) * k" fill="url(#hatch)" stroke="var(--ink)" stroke-dasharray="5 3" />
          <text :x="X(z.min_m[0] ?? 0)" :y="PY(z.min_m[1] ?? 0) + 14" class="lab">keep out: {{ z.name }}, {{ z.clear_m }} m</text>
        </g>
        <path v-for="q in wedges" :key="'w' + q.f" :d="wedge(q.v)" fill="var(--tint)" stroke="var(--quiet)" stroke-width=".8" />
        <path v-if="camera" :d="wedge(camera)" fill="var(--tint)" stroke="var(--ink)" stroke-width="1.8" />
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
        <path v-for="(t, i) in ticks" :key="'t' + i" :d="`M${t.x} ${t.py - t.h}v${t.h * 2}`" stroke="var(--ink)" :stroke-width="t.w" />
        <g v-for="q in keys" :key="q.f" class="keymark" @pointerdown.stop @click="emit('go', q.f)">
          <path :d="`M${q.x} ${PY(q.v.at_m[1] ?? 0) + 10}l6 10h-12z`" :fill="q.f === frame ? 'var(--now)' : 'var(--ink)'" />
          <text v-if="q.label" :x="q.x" :y="PY(q.v.at_m[1] ?? 0) - 14" text-anchor="middle" class="lab halo">{{ four(q.f) }}</text>
        </g>
        <circle :cx="X(subject[0] ?? 0)" :cy="PY(subject[1] ?? 0)" r="9" fill="none" stroke="var(--now)" stroke-width="2" /><circle :cx="X(subject[0] ?? 0)" :cy="PY(subject[1] ?? 0)" r="2" fill="var(--now)" />
        <text :x="X(subject[0] ?? 0) + 14" :y="PY(subject[1] ?? 0) - 10" class="lab strong halo">{{ shot.set.subject_name }} {{ away.toFixed(2) }} m</text>
        <g v-if="rig"><rect :x="X(rig.at_m[0] ?? 0) - 9" :y="PY(rig.at_m[1] ?? 0) - 9" width="18" height="18" fill="none" stroke="var(--ink)" stroke-width="1.6" stroke-dasharray="4 2" /><text :x="X(rig.at_m[0] ?? 0)" :y="PY(rig.at_m[1] ?? 0) - 26" text-anchor="middle" class="lab halo">rig</text></g>
        <circle v-if="camera && !follow" :cx="X(camera.at_m[0] ?? 0)" :cy="PY(camera.at_m[1] ?? 0)" r="8" fill="var(--sheet)" stroke="var(--now)" stroke-width="3" />
      </g>
      <g v-if="!planOnly" clip-path="url(#sideclip)">
        <rect x="0" :y="splitY" :width="width" :height="Math.max(0, height - splitY)" fill="var(--sheet)" />
        <path :d="`M0 ${floorY}H${width}`" stroke="var(--ink)" stroke-width="2" />
        <rect v-for="s in drawn" :key="s.name" :x="X((s.centre_m[0] ?? 0) - (s.size_m[0] ?? 0) / 2)" :y="EY((s.centre_m[2] ?? 0) + (s.size_m[2] ?? 0) / 2)" :width="(s.size_m[0] ?? 0) * k" :height="(s.size_m[2] ?? 0) * k" fill="var(--tint)" stroke="var(--quiet)" stroke-width="1" />
        <rect :x="rail.x" :y="EY(shot.rig.height_m)" :width="rail.w" :height="0.03 * k" fill="var(--sheet)" stroke="var(--ink)" />
        <path v-for="s in [0.06, 0.94]" :key="s" :d="`M${rail.x + rail.w * s} ${EY(shot.rig.height_m - 0.03)}l${-0.07 * k} ${(shot.rig.height_m - 0.03) * k}M${rail.x + rail.w * s} ${EY(shot.rig.height_m - 0.03)}l${0.07 * k} ${(shot.rig.height_m - 0.03) * k}`" stroke="var(--ink)" fill="none" />
        <g v-for="(s, i) in strips" :key="'e' + i"><path :d="s.side" stroke="var(--ink)" stroke-width="5" fill="none" /><path :d="s.side" :stroke="fills[s.b]" stroke-width="3.4" fill="none" /></g>
        <path v-for="(t, i) in ticks" :key="'u' + i" :d="`M${t.x} ${t.ey - t.h * 0.7}v${t.h * 1.4}`" stroke="var(--ink)" :stroke-width="t.w" />
        <circle :cx="X(subject[0] ?? 0)" :cy="EY(subject[2] ?? 0)" r="6" fill="none" stroke="var(--now)" stroke-width="2" />
        <template v-if="camera"><path :d="`M${X(camera.at_m[0] ?? 0)} ${EY(camera.at_m[2] ?? 0)}V${EY(shot.rig.height_m)}`" stroke="var(--ink)" stroke-width="2" /><circle :cx="X(camera.at_m[0] ?? 0)" :cy="EY(camera.at_m[2] ?? 0)" r="7" fill="var(--sheet)" stroke="var(--now)" stroke-width="3" />
          <path :d="`M${X(2.42)} ${EY(0)}V${EY(camera.at_m[2] ?? 0)}m-4 0h8M${X(2.42) - 4} ${EY(0)}h8`" stroke="var(--quiet)" fill="none" /><text :x="X(2.42) + 8" :y="EY((camera.at_m[2] ?? 0) / 2) + 4" class="lab">{{ round(camera.at_m[2] ?? 0).toFixed(2) }} m</text></template>
        <path :d="`M0 ${splitY}H${width}`" stroke="var(--ink)" />
        <rect x="6" :y="splitY + 4" width="172" height="22" fill="var(--sheet)" />
        <text x="12" :y="splitY + 20" class="capt">ELEVATION</text><text x="92" :y="splitY + 20" class="lab">from the front</text>
      </g>
      <rect x="6" y="6" width="112" height="22" fill="var(--sheet)" /><text x="12" y="22" class="capt">PLAN</text><text x="52" y="22" class="lab">from above</text>
      <g :transform="`translate(${width - bar * k - 16} ${splitY - 14})`"><path :d="`M0 0H${bar * k}M0 -4v8M${bar * k} -4v8`" stroke="var(--ink)" stroke-width="2" /><text x="2" y="-7" class="lab">{{ bar }} m</text></g>
    </svg>
    <div class="zoom"><button class="btn slim" aria-label="Larger" @click="scale(1.3, width / 2, planY - k * 0.4)">+</button><button class="btn slim" aria-label="Smaller" @click="scale(1 / 1.3, width / 2, planY - k * 0.4)">−</button><button class="btn slim" @click="fit">fit</button></div>
    <p v-if="shot.empty" class="empty">The sheet is empty. Find a framing with ← → and press <kbd>K</kbd> to store the first keyframe, or take keyframes from a file.</p>
  </div>
</template>

<style scoped>
.drawing { overflow: hidden; touch-action: none; }
svg { display: block; cursor: grab; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.strong { fill: var(--now) !important; font-weight: 700; }
.halo { paint-order: stroke; stroke: var(--sheet); stroke-width: 4px; stroke-linejoin: round; }
.capt { font: 600 14px var(--head); letter-spacing: .06em; }
.keymark { cursor: pointer; }
.zoom { position: absolute; top: 8px; right: 8px; display: flex; gap: 4px; }
.empty { position: absolute; left: 12px; width: 250px; top: 96px; margin: 0; background: var(--sheet); border: 1px solid var(--now); padding: 14px; font-size: 14px; }
</style>
