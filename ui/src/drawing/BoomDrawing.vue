<script setup lang="ts">
import { computed } from "vue";
import type { OnCrane } from "../api/client";

// A crane's boom from its side, to scale: the tail with its weights, the arm at its lengths,
// and what is left at each of them, along the boom.
const props = defineProps<{ crane: OnCrane; chosen: number }>();
const arms = computed(() => props.crane.arms);
const far = computed(() => Math.max(...arms.value.map((a) => a.arm_m), 1));
const k = computed(() => 540 / (far.value + props.crane.tail_m));
const px = computed(() => 60 + props.crane.tail_m * k.value);
const x = (m: number): number => px.value + m * k.value;
// Whether the lengths have room beside each other.
const roomy = computed(
  () =>
    arms.value.length < 2 ||
    (x(arms.value.at(-1)!.arm_m) - x(arms.value[0]!.arm_m)) / (arms.value.length - 1) > 40,
);
const left = computed(() =>
  props.crane.hung_left_kgm.length ? props.crane.hung_left_kgm : props.crane.one_set.left_kgm,
);
const most = computed(() =>
  Math.max(1, ...left.value.map(Math.abs), ...props.crane.one_set.left_kgm.map(Math.abs)),
);
const h = (v: number): number => (Math.abs(v) / most.value) * 92;
const best = computed(() =>
  arms.value
    .map(
      (a, i) =>
        `${i ? "L" : "M"}${x(a.arm_m)} ` +
        `${405 - ((props.crane.one_set.left_kgm[i] ?? 0) / most.value) * 92}`,
    )
    .join(""),
);
const at = computed(() => arms.value[props.chosen] ?? arms.value[arms.value.length - 1]);
const blocks = computed(() => Math.min(10, Math.max(1, Math.round(props.crane.hung_kg / 10))));
</script>

<template>
  <svg
    viewBox="0 0 660 540"
    class="draw"
    role="img"
    data-test="boom-drawing"
    aria-label="what is left along the boom"
  >
    <line x1="30" x2="630" y1="262" y2="262" stroke="var(--ink)" stroke-width="2" />
    <path
      :d="`M${px} 134L${px - 30} 262H${px + 30}Z`"
      fill="var(--sheet)"
      stroke="var(--ink)"
      stroke-width="2"
    />
    <line
      :x1="x(-crane.tail_m)"
      :x2="x(at?.arm_m ?? 1)"
      y1="130"
      y2="130"
      stroke="var(--ink)"
      stroke-width="9"
    />
    <line
      :x1="x(at?.arm_m ?? 1)"
      :x2="x(far)"
      y1="130"
      y2="130"
      stroke="var(--rule)"
      stroke-width="3"
      stroke-dasharray="6 5"
    />
    <circle :cx="px" cy="130" r="7" fill="var(--sheet)" stroke="var(--ink)" stroke-width="2.5" />
    <rect
      v-for="i in blocks"
      :key="i"
      :x="x(-crane.tail_m) - 22"
      :y="138 + (i - 1) * 8"
      width="44"
      height="7"
      fill="var(--tint)"
      stroke="var(--ink)"
    />
    <text :x="x(-crane.tail_m)" y="112" text-anchor="middle" class="big">
      {{ crane.hung_kg ? `${+crane.hung_kg.toFixed(1)} kg hang` : "nothing hangs" }}
    </text>
    <g v-if="at" :transform="`translate(${x(at.arm_m)} 130)`">
      <line y2="34" stroke="var(--ink)" stroke-width="2" />
      <rect x="-16" y="34" width="26" height="20" fill="var(--tint)" stroke="var(--ink)" />
      <rect x="10" y="38" width="13" height="12" fill="var(--tint)" stroke="var(--ink)" />
      <text y="-14" text-anchor="middle" class="big">
        {{ crane.payload_kg.toFixed(1) }} kg, {{ at.arm_m.toFixed(2) }} m out
      </text>
    </g>
    <text :x="(x(-crane.tail_m) + px) / 2" y="284" text-anchor="middle" class="lab">
      {{ crane.tail_m }} m
    </text>
    <line x1="30" x2="630" y1="405" y2="405" stroke="var(--quiet)" />
    <text x="30" y="340" class="lab">tail heavy</text>
    <text x="30" y="480" class="lab">camera heavy</text>
    <g v-for="(a, i) in arms" :key="i">
      <rect
        :x="x(a.arm_m) - 9"
        :y="(left[i] ?? 0) >= 0 ? 405 - h(left[i] ?? 0) : 405"
        width="18"
        :height="h(left[i] ?? 0)"
        :fill="i === chosen ? 'var(--now)' : 'var(--h0)'"
        stroke="var(--ink)"
      />
      <text
        :x="x(a.arm_m)"
        :y="(left[i] ?? 0) >= 0 ? 399 - h(left[i] ?? 0) : 419 + h(left[i] ?? 0)"
        text-anchor="middle"
        class="halo"
      >
        {{ Math.abs(left[i] ?? 0).toFixed(1) }}
      </text>
      <text v-if="i % 2 === 0 || roomy" :x="x(a.arm_m)" y="532" text-anchor="middle" class="lab">
        {{ a.arm_m.toFixed(2) }}
      </text>
    </g>
    <text x="30" y="532" class="lab">arm, metres</text>
    <path
      v-if="!crane.ok && crane.one_set.left_kgm.length"
      :d="best"
      fill="none"
      stroke="var(--now)"
      stroke-width="2"
      stroke-dasharray="5 4"
    />
  </svg>
</template>

<style scoped>
.draw {
  width: 100%;
  height: 100%;
  display: block;
}
text {
  font-size: var(--t11);
}
.big {
  font-weight: 700;
  font-size: var(--t13);
}
html.paper .lab {
  fill: var(--muted);
}
</style>
