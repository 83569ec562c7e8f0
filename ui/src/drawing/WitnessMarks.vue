<script setup lang="ts">
import { computed } from "vue";
import type { Axis } from "../api/client";
import { spaced } from "../stores/axes";

// What somebody sees who stands beside a stand-in: the mark on what stands still, and the
// one on what moves.
const props = defineProps<{ axis: Axis; apart?: number }>();
const span = computed(() => (props.axis.max - props.axis.min) / 60); // what fits beside the mark
const x = computed(
  () => 130 + Math.max(-120, Math.min(120, ((props.apart ?? 0) / span.value) * 120)),
);
const meets = computed(
  () =>
    props.apart !== undefined &&
    Math.abs(props.apart) <= 4 * Math.max(props.axis.repeatability, props.axis.backlash),
);
</script>

<template>
  <svg
    width="260"
    height="46"
    role="img"
    data-test="marks"
    :aria-label="
      apart === undefined
        ? 'its marks are not seen'
        : meets
          ? 'the marks meet'
          : 'the marks are apart'
    "
  >
    <rect x="1" y="1" width="258" height="21" fill="var(--tint)" stroke="var(--rule)" />
    <rect x="1" y="23" width="258" height="21" fill="var(--sheet)" stroke="var(--rule)" />
    <path d="M130 22L124 8H136Z" fill="var(--ink)" />
    <path v-if="apart !== undefined" :d="`M${x} 23L${x - 6} 37H${x + 6}Z`" fill="var(--now)" />
    <text x="6" y="15" class="lab">stands still</text>
    <text x="254" y="38" class="lab" text-anchor="end">
      {{
        apart === undefined
          ? ""
          : meets
            ? "they meet"
            : Math.abs(apart) > span
              ? `far off, ${apart > 0 ? "beyond" : "before"} it`
              : `${apart > 0 ? "+" : ""}${apart.toPrecision(2)}${spaced(axis)}`
      }}
    </text>
  </svg>
</template>
