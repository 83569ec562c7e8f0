<script setup lang="ts">
import { computed } from "vue";
import type { Frame } from "./sheet";

// The paper itself: grid, patterns, the line between plan and elevation, the words
// and the scale. What lies in the plan and in the elevation comes in by slots.
const props = defineProps<{
  frame: Frame;
  width: number;
  height: number;
  planOnly?: boolean;
  name: string;
}>();
const bar = computed(() => [0.1, 0.2, 0.5, 1, 2, 5].find((m) => m * props.frame.k >= 45) ?? 5);
const step = computed(() => props.frame.k * (props.frame.k < 88 ? 1 : 0.25));
</script>

<template>
  <g>
    <defs>
      <pattern
        :id="`grid-${name}`"
        :width="step"
        :height="step"
        :x="frame.cx"
        :y="frame.planY"
        patternUnits="userSpaceOnUse"
      >
        <path :d="`M${step} 0H0V${step}`" fill="none" stroke="var(--hair)" stroke-width="1" />
      </pattern>
      <pattern
        id="hatch"
        width="9"
        height="9"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V9" stroke="var(--quiet)" stroke-width="1" opacity=".7" />
      </pattern>
      <pattern
        id="overhatch"
        width="4"
        height="4"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V4" stroke="var(--sheet)" stroke-width="1.2" />
      </pattern>
      <clipPath :id="`plan-${name}`"
        ><rect x="0" y="0" :width="width" :height="frame.splitY"
      /></clipPath>
      <clipPath :id="`side-${name}`"
        ><rect x="0" :y="frame.splitY" :width="width" :height="Math.max(0, height - frame.splitY)"
      /></clipPath>
    </defs>
    <rect :width="width" :height="height" :fill="`url(#grid-${name})`" />
    <g :clip-path="`url(#plan-${name})`"><slot name="plan" /></g>
    <g v-if="!planOnly" :clip-path="`url(#side-${name})`">
      <rect
        x="0"
        :y="frame.splitY"
        :width="width"
        :height="Math.max(0, height - frame.splitY)"
        fill="var(--sheet)"
      />
      <path :d="`M0 ${frame.floorY}H${width}`" stroke="var(--ink)" stroke-width="2" />
      <slot name="side" />
      <path :d="`M0 ${frame.splitY}H${width}`" stroke="var(--ink)" />
      <rect x="6" :y="frame.splitY + 4" width="172" height="22" fill="var(--sheet)" />
      <text x="12" :y="frame.splitY + 20" class="capt">ELEVATION</text>
      <text x="92" :y="frame.splitY + 20" class="lab">from the front</text>
    </g>
    <rect x="6" y="5" width="112" height="20" fill="var(--sheet)" />
    <text x="12" y="22" class="capt">PLAN</text><text x="52" y="22" class="lab">from above</text>
    <g :transform="`translate(${width - bar * frame.k - 16} ${frame.splitY - 14})`">
      <path
        :d="`M0 0H${bar * frame.k}M0 -4v8M${bar * frame.k} -4v8`"
        stroke="var(--ink)"
        stroke-width="2"
      />
      <text x="2" y="-7" class="lab">{{ bar }} m</text>
    </g>
  </g>
</template>

<style scoped>
.capt {
  font: 600 var(--t13) var(--head);
  letter-spacing: 0.06em;
}
</style>
