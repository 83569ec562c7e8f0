<script setup lang="ts">
import { computed } from "vue";
import type { Axis } from "../api/client";
import { fixed, places, spaced } from "../stores/axes";
import { band, fills, percent } from "./headroom";

// One axis's range, drawn to a ruler: hard ends hatched, soft limits as posts, home as a
// mark below, where it stands, and in between what the path uses of it, and how hard.
const props = defineProps<{
  axis: Axis;
  zero?: number;
  pos?: number;
  homed: boolean;
  use?: { low: number; high: number; share: number };
  dense?: boolean;
}>();
const low = computed(() => props.axis.hard[0] ?? 0);
const high = computed(() => props.axis.hard[1] ?? 1);
const at = (v: number): string =>
  `${(2 + 96 * Math.min(Math.max((v - low.value) / (high.value - low.value), 0), 1)).toFixed(2)}%`;
const wide = (a: number, b: number): string => {
  const both = Math.min(b, high.value) - Math.max(a, low.value);
  return `${(96 * Math.max(0, both / (high.value - low.value))).toFixed(2)}%`;
};
const marks = computed(() => {
  const steps = [1, 2, 5, 10, 15, 20, 25, 30, 50, 75, 100, 200, 250, 300, 500, 1000, 2000];
  const s = steps.find((x) => (high.value - low.value) / x <= 6) ?? 5000;
  const out: number[] = [];
  for (let v = Math.ceil(low.value / s) * s; v <= high.value; v += s)
    if (v > props.axis.min + s / 3 && v < props.axis.max - s / 3) out.push(v);
  return out;
});
const y = computed(() => (props.dense ? 28 : 41)); // of the line
// The value stands over its place; a soft limit's number gives way to it.
const near = (v: number): boolean =>
  props.pos !== undefined && Math.abs(v - props.pos) < 0.07 * (high.value - low.value);
const home = computed(() => Math.min(Math.max(0, props.axis.min), props.axis.max));
</script>

<template>
  <svg class="ruler" width="100%" :height="dense ? 56 : 84" aria-hidden="true">
    <defs>
      <pattern
        id="hard"
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V6" stroke="var(--quiet)" />
      </pattern>
    </defs>
    <svg :y="y" overflow="visible">
      <rect
        :x="at(low)"
        y="-15"
        :width="wide(low, axis.min)"
        height="30"
        fill="url(#hard)"
        stroke="var(--quiet)"
      />
      <rect
        :x="at(axis.max)"
        y="-15"
        :width="wide(axis.max, high)"
        height="30"
        fill="url(#hard)"
        stroke="var(--quiet)"
      />
      <line
        :x1="at(axis.min)"
        :x2="at(axis.max)"
        y1="0"
        y2="0"
        stroke="var(--ink)"
        stroke-width="1.4"
      />
      <g v-for="m in marks" :key="m">
        <line :x1="at(m)" :x2="at(m)" y1="0" y2="7" stroke="var(--ink)" />
        <text :x="at(m)" :y="dense ? 26 : 32" text-anchor="middle" class="lab">{{ m }}</text>
      </g>
      <g v-if="use">
        <rect
          :x="at(use.low)"
          y="-10"
          :width="wide(use.low, use.high)"
          height="10"
          :fill="fills[band(use.share)]"
          stroke="var(--ink)"
          stroke-width=".8"
        />
        <text
          v-if="!dense"
          :x="at((use.low + use.high) / 2)"
          y="-15"
          text-anchor="middle"
          class="lab halo"
        >
          {{ percent(use.share) }}
        </text>
      </g>
      <g v-for="s in [axis.min, axis.max]" :key="s">
        <line
          :x1="at(s)"
          :x2="at(s)"
          :y1="dense ? -15 : -22"
          :y2="dense ? 15 : 22"
          stroke="var(--ink)"
          stroke-width="4"
        />
        <text v-if="!near(s)" :x="at(s)" :y="dense ? -19 : -29" text-anchor="middle" class="lab">
          {{ s }}
        </text>
      </g>
      <svg :x="at(home)" y="9" overflow="visible"><path d="M0 0L5 8H-5Z" fill="var(--ink)" /></svg>
      <g v-if="zero">
        <line
          :x1="at(zero)"
          :x2="at(zero)"
          y1="-15"
          y2="15"
          stroke="var(--now)"
          stroke-dasharray="3 3"
        />
        <text :x="at(zero)" :y="dense ? 26 : 32" text-anchor="middle" class="pos halo">
          plan's 0
        </text>
      </g>
      <g v-if="pos !== undefined">
        <circle
          :cx="at(pos)"
          cy="0"
          r="9"
          fill="var(--sheet)"
          stroke="var(--now)"
          stroke-width="3"
          :stroke-dasharray="homed ? '' : '4 3'"
        />
        <text :x="at(pos)" :y="dense ? -17 : -29" text-anchor="middle" class="pos halo">
          {{ homed ? `${fixed(pos, places(axis))}${spaced(axis)}` : "counter only" }}
        </text>
      </g>
    </svg>
  </svg>
</template>

<style scoped>
.ruler {
  display: block;
  overflow: visible;
}
.pos {
  font-size: var(--t13);
  font-weight: 700;
  fill: var(--now);
}
</style>
