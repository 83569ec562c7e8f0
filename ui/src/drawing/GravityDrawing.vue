<script setup lang="ts">
import { computed, ref } from "vue";
import type { GravityCurve } from "../api/client";
import { useElementSize } from "./size";

// Gravity's torque over the tilt arc: as it hangs, and as it would be after the next
// step, against the motor and what friction holds.
const props = defineProps<{ arc: GravityCurve }>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const left = 44,
  right = 88,
  top = 30,
  bottom = 22;
const worst = computed(() =>
  Math.max(
    Math.abs(props.arc.worst_nm),
    Math.abs(props.arc.after_worst_nm ?? 0),
    props.arc.holds_nm,
    0.01,
  ),
);
// The motor is drawn where it does not squeeze the rest to a line.
const motorIn = computed(() => props.arc.motor_nm > 0 && props.arc.motor_nm <= 5 * worst.value);
const top_ = computed(
  () => (motorIn.value ? Math.max(props.arc.motor_nm, worst.value) : worst.value) * 1.2,
);
const x = (deg: number): number =>
  left +
  ((deg - props.arc.from_deg) / (props.arc.to_deg - props.arc.from_deg)) *
    Math.max(width.value - left - right, 10);
const y = (nm: number): number =>
  top + ((top_.value - nm) / (2 * top_.value)) * Math.max(height.value - top - bottom, 10);
const line = (l: { tilt_deg: number; nm: number }[]): string =>
  l.map((p, i) => `${i ? "L" : "M"}${x(p.tilt_deg).toFixed(1)} ${y(p.nm).toFixed(1)}`).join("");
const area = computed(() =>
  props.arc.now.length === 0
    ? ""
    : `${line(props.arc.now)}L${x(props.arc.to_deg)} ${y(0)}L${x(props.arc.from_deg)} ${y(0)}Z`,
);
const share = computed(() =>
  props.arc.motor_nm > 0 ? Math.abs(props.arc.worst_nm) / props.arc.motor_nm : 0,
);
const tone = computed(() =>
  share.value < 0.5
    ? "var(--h0)"
    : share.value < 0.8
      ? "var(--h1)"
      : share.value < 1
        ? "var(--h2)"
        : "var(--h3)",
);
const step = computed(() => {
  const d = 10 ** Math.floor(Math.log10(top_.value));
  return top_.value / d >= 5 ? 2 * d : top_.value / d >= 2 ? d : d / 2;
});
const grid = computed(() =>
  Array.from({ length: 21 }, (_, i) => (i - 10) * step.value).filter(
    (v) => Math.abs(v) <= top_.value,
  ),
);
const degs = computed(() =>
  [props.arc.from_deg, -60, -30, 0, 30, 60, props.arc.to_deg].filter(
    (d, i, a) =>
      d >= props.arc.from_deg &&
      d <= props.arc.to_deg &&
      a.every((e, k) => k >= i || Math.abs(e - d) > 8) &&
      (i === 0 || i === 6 || Math.abs(d - props.arc.to_deg) > 8),
  ),
);
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0"
      :width="width"
      :height="height"
      role="img"
      data-test="gravity"
      :aria-label="arc.says"
    >
      <g v-for="g in grid" :key="g">
        <line
          :x1="left"
          :x2="width - right"
          :y1="y(g)"
          :y2="y(g)"
          :stroke="g === 0 ? 'var(--quiet)' : 'var(--rule)'"
        />
        <text :x="left - 6" :y="y(g) + 4" text-anchor="end" class="lab">
          {{ +g.toPrecision(3) }}
        </text>
      </g>
      <rect
        :x="left"
        :width="Math.max(width - left - right, 0)"
        :y="y(arc.holds_nm)"
        :height="Math.max(y(-arc.holds_nm) - y(arc.holds_nm), 0)"
        fill="var(--tint)"
      />
      <text :x="width - right + 6" :y="y(0) + 4" class="lab">friction holds</text>
      <path :d="area" :fill="tone" opacity=".5" />
      <path :d="line(arc.now)" fill="none" stroke="var(--ink)" stroke-width="2" />
      <path
        v-if="arc.after"
        :d="line(arc.after)"
        fill="none"
        stroke="var(--now)"
        stroke-width="2"
        stroke-dasharray="5 4"
      />
      <template v-if="motorIn">
        <line
          v-for="m in [arc.motor_nm, -arc.motor_nm]"
          :key="m"
          :x1="left"
          :x2="width - right"
          :y1="y(m)"
          :y2="y(m)"
          stroke="var(--ink)"
          stroke-dasharray="7 5"
          stroke-width="1.5"
        />
        <text :x="width - right + 6" :y="y(arc.motor_nm) + 4" class="lab">
          motor {{ arc.motor_nm.toFixed(1) }}
        </text>
      </template>
      <text v-for="d in degs" :key="d" :x="x(d)" :y="height - 6" text-anchor="middle" class="lab">
        {{ d }}°
      </text>
      <text :x="left + 12" :y="top - 10" class="halo">
        {{ arc.says }}
        <tspan v-if="arc.after_worst_nm !== undefined" class="now" dx="12">
          after that: worst {{ Math.abs(arc.after_worst_nm).toFixed(2) }}
        </tspan>
        <tspan v-if="arc.motor_nm > 0 && !motorIn" class="lab" dx="12">
          motor {{ arc.motor_nm.toFixed(1) }}, above the drawing
        </tspan>
      </text>
    </svg>
  </div>
</template>

<style scoped>
.host {
  flex: 1;
  min-height: 90px;
  min-width: 0;
  overflow: hidden;
}
text {
  font-size: var(--t11);
}
.lab {
  font-size: var(--t11);
  font-weight: 400;
  fill: var(--quiet);
}
.now {
  fill: var(--now);
  font-weight: 700;
}
html.paper .lab {
  fill: var(--muted);
}
</style>
