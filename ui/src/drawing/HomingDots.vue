<script setup lang="ts">
import { computed } from "vue";
import type { AxisHomings } from "../api/client";

// Where an axis's last homings found its zero, oldest on the left, against the band that
// it is said to repeat to.
const props = defineProps<{ homings?: AxisHomings; width: number; height: number }>();
const shown = computed(() => props.homings?.at.slice(-20) ?? []);
const middle = computed(() =>
  shown.value.length ? (Math.max(...shown.value) + Math.min(...shown.value)) / 2 : 0,
);
// The band is always there to compare with; what leaves it makes it narrower.
const half = computed(
  () =>
    Math.max(props.homings?.within ?? 1, ...shown.value.map((v) => Math.abs(v - middle.value))) *
    1.15,
);
const y = (v: number): number =>
  props.height / 2 - ((v - middle.value) / half.value) * (props.height / 2 - 3);
const band = computed(() => ((props.homings?.within ?? 0) / half.value) * (props.height / 2 - 3));
const x = (i: number): number =>
  shown.value.length < 2
    ? props.width / 2
    : 6 + (i / (shown.value.length - 1)) * (props.width - 12);
</script>

<template>
  <svg
    :width="width"
    :height="height"
    class="dots"
    role="img"
    :aria-label="homings ? homings.says : 'never homed in this session'"
    data-test="homing-dots"
  >
    <template v-if="homings">
      <rect
        x="0"
        :y="height / 2 - band"
        :width="width"
        :height="band * 2"
        fill="var(--tint)"
        stroke="var(--rule)"
      />
      <line x1="0" :x2="width" :y1="height / 2" :y2="height / 2" stroke="var(--rule)" />
      <polyline
        v-if="homings.repeat.walks"
        :points="shown.map((v, i) => `${x(i)},${y(v)}`).join(' ')"
        fill="none"
        stroke="var(--now)"
        stroke-width="1.5"
      />
      <circle
        v-for="(v, i) in shown"
        :key="i"
        :cx="x(i)"
        :cy="y(v)"
        :r="i === shown.length - 1 ? 3.5 : 2.2"
        :fill="i === shown.length - 1 ? 'var(--now)' : 'var(--ink)'"
      />
    </template>
    <text v-else :x="width / 2" :y="height / 2 + 4" text-anchor="middle" class="lab">—</text>
  </svg>
</template>

<style scoped>
.dots {
  display: block;
  flex: none;
  max-width: 100%;
}
</style>
