<script setup lang="ts">
import { computed } from "vue";
import type { Plot, ShotView, View } from "../api/client";
import { fills, runs } from "./headroom";
import { stroke, type Points } from "./pen";
import { projection, type Frame } from "./sheet";

// The camera's path with its headroom and its ticks by frame.
const props = defineProps<{
  shot: ShotView;
  frame: Frame;
  side: boolean;
  was?: Plot | null;
  scrubs?: boolean;
}>();
const emit = defineEmits<{ go: [frame: number] }>();
const way = computed(() => projection(props.frame, props.side));
const plot = computed(() => props.shot.plot);
const worst = computed(() => {
  const { views, shares } = plot.value,
    out = new Array<number>(views.length).fill(0);
  for (const row of shares)
    for (let i = 0; i < out.length; i++) out[i] = Math.max(out[i] ?? 0, Math.abs(row[i] ?? 0));
  return out;
});
// The pictures' part of it, by sample; run-up and run-out are drawn apart.
const inner = computed(() => {
  const at = (f: number): number => Math.round((f - plot.value.start) / plot.value.step);
  return {
    from: Math.max(0, at(props.shot.first)),
    to: Math.min(plot.value.views.length - 1, Math.max(at(props.shot.last), 0)),
  };
});
// Where each sample lies on the sheet.
function spots(p: Plot): Points {
  const to = way.value,
    n = p.views.length,
    x = new Float64Array(n),
    y = new Float64Array(n);
  for (let i = 0; i < n; i++) [x[i], y[i]] = to((p.views[i] as View).at_m);
  return { x, y };
}
const here = computed(() => spots(plot.value));
const piece = (from: number, to: number): string =>
  to > from ? stroke(here.value, from, to, 0.6, 0.6) : "";
const whole = computed(() => (props.shot.empty ? "" : piece(inner.value.from, inner.value.to)));
const strips = computed(() =>
  props.shot.empty
    ? []
    : runs(worst.value)
        .map(([b, from, end]) => ({
          b,
          d: piece(Math.max(from, inner.value.from), Math.min(end, inner.value.to)),
        }))
        .filter((s) => s.d),
);
const outside = computed(() =>
  props.shot.empty
    ? ""
    : piece(0, inner.value.from) + piece(inner.value.to, plot.value.views.length - 1),
);
const size = computed(() =>
  props.side ? { ink: 5, fill: 3.4, tick: 0.7 } : { ink: 6.5, fill: 4.5, tick: 1 },
);

// Ticks by frame, across the path: a level whose ticks would stand closer than 3 px
// is left out.
// While something is looked at, the spacing as it is stands below the path, the new one above.
const ticks = computed(() => tickLines(plot.value, here.value, props.was ? 1 : 0));
const before = computed(() => (props.was ? tickLines(props.was, spots(props.was), -1) : []));
const old = computed(() => (props.was ? stroke(spots(props.was), 0, Infinity, 0.6, 0.6) : ""));
function tickLines(p: Plot, at: Points, half: -1 | 0 | 1): { l: number; d: string; w: number }[] {
  const v = p.views;
  if (props.shot.empty || v.length < 2) return [];
  const out = [1, 5, 25].map((l) => ({ l, d: "", w: l === 25 ? 1.6 : 0.8 }));
  let long = 0;
  for (let i = 1; i < v.length; i++) {
    const [ax = 0, ay = 0, az = 0] = (v[i - 1] as View).at_m,
      [bx = 0, by = 0, bz = 0] = (v[i] as View).at_m;
    long += Math.sqrt((ax - bx) ** 2 + (ay - by) ** 2 + (az - bz) ** 2);
  }
  long *= props.frame.k;
  const tick = size.value.tick;
  const perFrame = long / ((v.length - 1) * p.step);
  const levels = [25, 5, 1].filter((l) => perFrame * l >= 3);
  v.forEach((_, i) => {
    const f = p.start + i * p.step;
    const o = out.find((t) => t.l === levels.find((n) => f % n === 0));
    if (!o) return;
    const h = (o.l === 25 ? 9 : o.l === 5 ? 6 : 4) * tick * (half ? 1.5 : 1);
    let [nx, ny] = across(at, i);
    if (half && ny > 0) [nx, ny] = [-nx, -ny]; // up on the sheet
    const x = at.x[i] ?? 0,
      y = at.y[i] ?? 0,
      a = half > 0 ? 0 : -h,
      b = half < 0 ? 0 : h;
    o.d +=
      `M${(x + nx * a).toFixed(1)} ${(y + ny * a).toFixed(1)}L${(x + nx * b).toFixed(1)} ` +
      `${(y + ny * b).toFixed(1)}`;
  });
  return out.filter((t) => t.d);
}
// The direction across the path at a sample, on the sheet.
function across(at: Points, i: number): [number, number] {
  const a = Math.max(0, i - 1),
    b = Math.min(at.x.length - 1, i + 1),
    dx = (at.x[b] ?? 0) - (at.x[a] ?? 0),
    dy = (at.y[b] ?? 0) - (at.y[a] ?? 0);
  const d = Math.hypot(dx, dy);
  return d < 0.01 ? [0, 1] : [-dy / d, dx / d];
}
// Dragged along, the path takes the playhead with it: to the frame that lies nearest,
// from where it is, so that a path that crosses itself is not left.
let scrub: number | null = null;
function nearest(e: PointerEvent): number {
  const r = (e.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
  const px = e.clientX - (r?.left ?? 0),
    py = e.clientY - (r?.top ?? 0),
    at = here.value;
  let best = scrub ?? 0,
    least = Infinity;
  const n = inner.value.to - inner.value.from,
    [a, b] =
      scrub === null
        ? [inner.value.from, inner.value.to]
        : [Math.max(inner.value.from, scrub - n / 5), Math.min(inner.value.to, scrub + n / 5)];
  for (let i = Math.ceil(a); i <= b; i++) {
    const x = at.x[i] ?? 0,
      y = at.y[i] ?? 0,
      d = Math.hypot(x - px, y - py) + (scrub === null ? 0 : Math.abs(i - scrub) * 0.02);
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
</script>

<template>
  <g>
    <path
      v-if="outside"
      :d="outside"
      data-test="sheet-runs"
      stroke="var(--ink)"
      stroke-width="2"
      stroke-dasharray="5 4"
      fill="none"
    />
    <path :d="whole" stroke="var(--ink)" :stroke-width="size.ink" fill="none" />
    <template v-for="(s, i) in strips" :key="i">
      <path :d="s.d" :stroke="fills[s.b]" :stroke-width="size.fill" fill="none" />
      <path
        v-if="s.b === 3 && !side"
        :d="s.d"
        stroke="url(#overhatch)"
        :stroke-width="size.fill"
        fill="none"
      />
    </template>
    <g v-if="was" data-test="old-spacing"
      ><path
        :d="old"
        fill="none"
        stroke="var(--quiet)"
        stroke-width="1.2"
        stroke-dasharray="4 3" /><path
        v-for="t in before"
        :key="'b' + t.l"
        :d="t.d"
        stroke="var(--quiet)"
        :stroke-width="t.w"
    /></g>
    <path v-for="t in ticks" :key="'t' + t.l" :d="t.d" stroke="var(--ink)" :stroke-width="t.w" />
    <path
      v-if="scrubs && whole"
      :d="whole"
      class="reach"
      :data-test="side ? undefined : 'sheet-scrub'"
      @pointerdown.stop="(e) => along(e, true)"
      @pointermove="(e) => along(e)"
      @pointerup="scrub = null"
      @pointercancel="scrub = null"
    />
  </g>
</template>

<style scoped>
.reach {
  fill: none;
  stroke: transparent;
  stroke-width: 18;
  pointer-events: stroke;
  cursor: col-resize;
  touch-action: none;
}
</style>
