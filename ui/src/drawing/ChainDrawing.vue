<script setup lang="ts">
import { computed, ref } from "vue";
import type { Chain } from "../api/client";
import { useElementSize } from "./size";

// The command, the frames of the camera to a ruler of frames and milliseconds, and where
// its takes began: from the earliest to the latest, with the mean.
const props = defineProps<{ chain: Chain }>();
const box = ref<HTMLElement | null>(null);
const { width } = useElementSize(box);
const last = computed(() =>
  Math.ceil((props.chain.delays.most_ms * 1.25 * props.chain.fps) / 1000 + 1),
); // frames
const x = (ms: number): number =>
  70 + ((ms * props.chain.fps) / 1000 / last.value) * (width.value - 130);
const frames = computed(() =>
  Array.from({ length: last.value + 1 }, (_, n) => ({ n, at: x((n * 1000) / props.chain.fps) })),
);
const d = computed(() => props.chain.delays);
</script>

<template>
  <div ref="box">
    <svg
      :width="width"
      height="190"
      role="img"
      :aria-label="
        `Takes begin ${d.least_ms.toFixed(0)} to ${d.most_ms.toFixed(0)} ms ` + 'after the command'
      "
      data-test="chain-drawing"
    >
      <line :x1="x(0)" :x2="x(0)" y1="30" y2="150" stroke="var(--ink)" stroke-width="3" />
      <text :x="x(0)" y="22" text-anchor="middle" class="lab">command</text>
      <line :x1="x(0)" :x2="frames.at(-1)!.at" y1="150" y2="150" stroke="var(--ink)" />
      <g v-for="f in frames" :key="f.n">
        <line :x1="f.at" :x2="f.at" y1="144" y2="156" stroke="var(--ink)" />
        <text :x="f.at" y="170" text-anchor="middle" class="lab">{{ f.n }}</text>
      </g>
      <text :x="frames.at(-1)!.at + 8" y="154" class="lab">frames</text>
      <rect
        :x="x(d.least_ms)"
        y="72"
        :width="Math.max(2, x(d.most_ms) - x(d.least_ms))"
        height="46"
        fill="var(--tint)"
        stroke="var(--ink)"
      />
      <line
        :x1="x(d.mean_ms)"
        :x2="x(d.mean_ms)"
        y1="62"
        y2="150"
        stroke="var(--now)"
        stroke-width="3"
      />
      <path :d="`M${x(0)} 95H${x(d.mean_ms)}`" stroke="var(--now)" stroke-dasharray="5 4" />
      <text :x="x(d.mean_ms)" y="54" text-anchor="middle" class="mean halo">
        first frame, {{ d.mean_ms.toFixed(1) }} ms
      </text>
      <text :x="x(d.least_ms) - 6" y="112" text-anchor="end" class="lab halo">
        {{ d.least_ms.toFixed(0) }}
      </text>
      <text :x="x(d.most_ms) + 6" y="112" class="lab halo">{{ d.most_ms.toFixed(0) }} ms</text>
    </svg>
  </div>
</template>

<style scoped>
.mean {
  fill: var(--now);
  font-size: var(--t13);
  font-weight: 700;
}
svg {
  display: block;
}
</style>
