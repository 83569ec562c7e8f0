<script setup lang="ts">
import { computed } from "vue";
import { fills, runs } from "./headroom";
import { stroke, type Points } from "./pen";

// What an axis does over the frames: its share of the limit as a ribbon, or, opened, its value
// as a curve. It is drawn apart from the posts: dragged, they move far more often.
export interface Row {
  shares: number[];
  values: number[];
  from: number;
  step: number;
}
const props = defineProps<{
  row: Row;
  was: Row | null;
  others: Row[] | null;
  opened: boolean;
  y: number;
  h: number;
  left: number;
  span: number;
  start: number;
  end: number;
  range: readonly [number, number];
}>();
const mid = computed(() => props.y + props.h / 2);
const half = computed(() => Math.max(4, props.h / 2 - 3));

// The samples of a row inside the window, and one more on either side.
function cut(r: Row, of: number[]): { v: number[]; at: (i: number) => number } {
  const a = Math.max(0, Math.floor((props.start - r.from) / r.step) - 1),
    b = Math.ceil((props.end - r.from) / r.step) + 2;
  return { v: of.slice(a, b), at: (i) => r.from + (i + a) * r.step };
}
// Where samples lie: along the frames, and each as high as it says.
function points(
  s: { v: number[]; at: (i: number) => number },
  high: (q: number) => number,
): Points {
  const { left, start, end } = props,
    n = s.v.length,
    k = props.span / (end - start),
    a = left + (s.at(0) - start) * k,
    step = (s.at(1) - s.at(0)) * k;
  const x = new Float64Array(n),
    y = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    x[i] = a + i * step;
    y[i] = high(s.v[i] as number);
  }
  return { x, y };
}
// One limit is 0.74 of the half height, so that what is over still shows.
function shareLine(s: { v: number[]; at: (i: number) => number }): Points {
  const m = mid.value,
    h = half.value;
  return points(s, (q) => m - Math.min(Math.abs(q) * 0.74, 1) * h * Math.sign(q));
}
function valueLine(r: Row): string {
  const [lo, hi] = props.range,
    base = props.y + props.h - 6,
    k = (props.h - 12) / (hi - lo);
  return stroke(
    points(cut(r, r.values), (v) => base - (v - lo) * k),
    0,
    Infinity,
  );
}
const shares = computed(() => cut(props.row, props.row.shares));
const edge = computed(() => shareLine(shares.value));
const ribbons = computed(() => {
  const { x } = edge.value,
    n = x.length - 1,
    m = mid.value;
  return runs(shares.value.v).map(([b, from, to]) => ({
    b,
    d:
      `${stroke(edge.value, from, Math.min(to, n), 2)}L` +
      `${(x[Math.min(to, n)] ?? 0).toFixed(1)} ${m}L${(x[from] ?? 0).toFixed(1)} ${m}Z`,
  }));
});
const outline = computed(() => stroke(edge.value, 0, Infinity, 2));

// The value curve of an opened staff, with the others ghosted behind; and, while something
// is tried, what is as it was.
const curve = computed(() => (props.opened ? valueLine(props.row) : ""));
const before = computed(() =>
  props.was === null
    ? ""
    : props.opened
      ? valueLine(props.was)
      : stroke(shareLine(cut(props.was, props.was.shares)), 0, Infinity, 2),
);
const ghosts = computed(() =>
  (props.others ?? [])
    .map((r) => {
      const s = cut(r, r.values);
      let lo = Infinity,
        hi = -Infinity;
      for (const v of s.v) [lo, hi] = [Math.min(lo, v), Math.max(hi, v)];
      if (hi - lo < 1e-9) return "";
      const base = props.y + props.h - 10,
        k = (props.h - 20) / (hi - lo);
      return stroke(
        points(s, (v) => base - (v - lo) * k),
        0,
        Infinity,
        2,
      );
    })
    .filter(Boolean),
);
</script>

<template>
  <g clip-path="url(#scoreclip)">
    <template v-if="!opened">
      <path v-for="(r, i) in ribbons" :key="i" :d="r.d" :fill="fills[r.b]" :data-band="r.b" />
      <path
        v-for="(r, i) in ribbons.filter((q) => q.b === 3)"
        :key="'h' + i"
        :d="r.d"
        fill="url(#scorehatch)"
      />
      <path :d="outline" fill="none" stroke="var(--ink)" stroke-width=".9" />
    </template>
    <path
      v-for="(g, i) in ghosts"
      v-else
      :key="'g' + i"
      :d="g"
      fill="none"
      stroke="var(--rule)"
      stroke-width="1.2"
    />
    <path v-if="before" :d="before" class="before" data-test="before" />
    <path
      v-if="opened"
      :d="curve"
      fill="none"
      stroke="var(--ink)"
      stroke-width="2"
      data-test="curve"
    />
  </g>
</template>

<style scoped>
.before {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.3;
  stroke-dasharray: 4 3;
}
</style>
