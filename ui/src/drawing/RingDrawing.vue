<script setup lang="ts">
import { computed, ref } from "vue";
import type { RingScale } from "../api/client";
import { said, type LengthUnit } from "./lengths";
import { useElementSize } from "./size";

// A lens's ring unrolled: its marks along the top as they would be engraved, the scale
// below; for focus with what is sharp at each position, near below and far above.
const props = defineProps<{
  what: "focus" | "iris" | "zoom";
  scale: RingScale;
  unit: LengthUnit;
  now?: number;
}>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const left = 58,
  right = 26,
  top = 74,
  bottom = 34;
const s = computed(() => props.scale.samples);
const first = computed(() => s.value[0]!.ring_deg),
  last = computed(() => s.value[s.value.length - 1]!.ring_deg);
const x = (deg: number): number =>
  left +
  ((deg - first.value) / (last.value - first.value)) * Math.max(width.value - left - right, 10);
// The measure in which a ring is about even.
const even = (v: number): number => (props.what === "focus" ? -1 / v : Math.log2(v));
const span = computed(() => {
  const all = s.value.map((p) => even(p.value));
  return [Math.min(...all), Math.max(...all)] as const;
});
const y = (v: number): number => {
  const [a, b] = span.value,
    pad = (b - a) * 0.06;
  return (
    top +
    ((b + pad - Math.min(Math.max(even(v), a - pad), b + pad)) / (b - a + 2 * pad)) *
      Math.max(height.value - top - bottom, 10)
  );
};
const path = (l: { x: number; y: number }[]): string =>
  l.map((p, i) => `${i ? "L" : "M"}${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join("");
const line = computed(() => path(s.value.map((p) => ({ x: x(p.ring_deg), y: y(p.value) }))));
const band = computed(() =>
  props.what !== "focus"
    ? ""
    : path([
        ...s.value.map((p) => ({ x: x(p.ring_deg), y: y(p.far_m ?? 1e9) })),
        ...[...s.value].reverse().map((p) => ({ x: x(p.ring_deg), y: y(p.near_m ?? p.value) })),
      ]) + "Z",
);
const text = (v: number): string =>
  props.what === "focus"
    ? said(v, props.unit)
    : props.what === "iris"
      ? `T ${+v.toPrecision(2)}`
      : `${+v.toPrecision(3)} mm`;
const stray = (deg: number): boolean => props.scale.strays.some((k) => k.ring_deg === deg);
const rounds: Record<string, number[]> = {
  focus: [0.3, 0.5, 0.7, 1, 1.5, 2, 3, 5, 10, 20, 50],
  iris: [1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 22],
  zoom: [12, 18, 25, 35, 50, 75, 100, 150, 200, 300],
};
const ft = [1, 1.5, 2, 3, 4, 5, 7, 10, 15, 30, 60].map((f) => f * 0.3048);
const grid = computed(() =>
  (props.what === "focus" && props.unit === "ft" ? ft : rounds[props.what]!)
    .filter((v) => {
      const e = even(v);
      return e >= span.value[0] && e <= span.value[1];
    })
    .filter((v, i, a) => i === 0 || Math.abs(y(v) - y(a[i - 1]!)) > 13),
);
const ticks = computed(() =>
  Array.from(
    { length: Math.floor((last.value - first.value) / 30) + 1 },
    (_, i) => first.value + i * 30,
  ),
);
// Engravings closer than they are wide stand in two rows, or are left out.
const engraved = computed(() => {
  let end = [-1e9, -1e9];
  return props.scale.marks.map((m) => {
    const at = x(m.ring_deg),
      row = at - end[0]! > 58 ? 0 : at - end[1]! > 58 ? 1 : -1;
    if (row >= 0) end = end.map((e, i) => (i === row ? at : e));
    return { ...m, at, row };
  });
});
const here = computed(() =>
  props.now === undefined || props.now < first.value - 2 || props.now > last.value + 2
    ? undefined
    : Math.min(Math.max(props.now, first.value), last.value),
);
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0"
      :width="width"
      :height="height"
      role="img"
      data-test="ring-drawing"
      :aria-label="`${what} ring with ${scale.marks.length} marks`"
    >
      <rect
        :x="left - 10"
        y="10"
        :width="Math.max(width - left - right + 20, 0)"
        height="48"
        fill="var(--tint)"
        stroke="var(--ink)"
      />
      <g v-for="(m, i) in engraved" :key="i">
        <line
          :x1="m.at"
          :x2="m.at"
          y1="44"
          y2="58"
          stroke="var(--ink)"
          :stroke-width="stray(m.ring_deg) ? 3 : 1.5"
        />
        <text
          v-if="m.row >= 0"
          :x="m.at"
          :y="m.row === 0 ? 40 : 25"
          :text-anchor="i === 0 ? 'start' : i === engraved.length - 1 ? 'end' : 'middle'"
          :class="{ wrong: stray(m.ring_deg) }"
        >
          {{ text(m.value) }}
        </text>
      </g>
      <g v-for="v in grid" :key="v">
        <line :x1="left" :x2="width - right" :y1="y(v)" :y2="y(v)" stroke="var(--hair)" />
        <text :x="left - 8" :y="y(v) + 4" text-anchor="end" class="lab">{{ text(v) }}</text>
      </g>
      <g v-for="t in ticks" :key="t">
        <line
          :x1="x(t)"
          :x2="x(t)"
          :y1="height - bottom"
          :y2="height - bottom + 5"
          stroke="var(--ink)"
        />
        <text :x="x(t)" :y="height - bottom + 18" text-anchor="middle" class="lab">{{ t }}°</text>
      </g>
      <line
        :x1="left"
        :x2="width - right"
        :y1="height - bottom"
        :y2="height - bottom"
        stroke="var(--ink)"
      />
      <path
        v-if="band"
        :d="band"
        fill="var(--h0)"
        opacity=".45"
        stroke="var(--quiet)"
        stroke-width=".8"
      />
      <path :d="line" fill="none" stroke="var(--ink)" stroke-width="2" />
      <g v-for="m in scale.marks" :key="m.ring_deg">
        <circle
          :cx="x(m.ring_deg)"
          :cy="y(m.value)"
          r="4.5"
          :fill="stray(m.ring_deg) ? 'var(--h3)' : 'var(--sheet)'"
          stroke="var(--ink)"
          stroke-width="1.8"
        />
      </g>
      <g v-for="k in scale.strays" :key="k.ring_deg">
        <line
          :x1="x(k.ring_deg)"
          :x2="x(k.ring_deg + k.off_deg)"
          :y1="y(k.value)"
          :y2="y(k.value)"
          stroke="var(--over)"
          stroke-width="2"
          stroke-dasharray="4 3"
        />
      </g>
      <g v-if="here !== undefined">
        <line
          :x1="x(here)"
          :x2="x(here)"
          y1="4"
          :y2="height - bottom"
          stroke="var(--now)"
          stroke-width="2"
        />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.host {
  position: absolute;
  inset: 34px 8px 6px;
  overflow: hidden;
}
text {
  font-size: var(--t11);
}
.wrong {
  fill: var(--over);
  font-weight: 700;
}
html.paper .lab {
  fill: var(--muted);
}
</style>
