<script setup lang="ts">
import { computed, ref } from "vue";
import type { Learnt, OrderStep, OrderCourse } from "../api/client";
import { useElementSize } from "./size";

// What steps really took: a dot per day, the bar is the middle, its whisker four days in
// five; today in copper.
const props = defineProps<{ learnt: Learnt[]; steps: OrderStep[]; course: OrderCourse }>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const list = computed(() =>
  props.learnt.map((l) => {
    const i = props.steps.findIndex((s) => s.does === l.does);
    const s = props.steps[i],
      c = props.course.slots?.[i];
    return {
      l,
      name: s?.name ?? l.does,
      today: s?.began && c ? c.to_min - c.from_min : undefined,
      running: s?.began && !s.ended,
    };
  }),
);
const w = computed(() => (width.value - 8) / Math.max(list.value.length, 1));
const most = computed(() =>
  Math.max(
    ...list.value.flatMap((c) => [
      c.l.p80_minutes,
      c.today ?? 0,
      ...(c.l.took ?? []).map((t) => t.minutes),
    ]),
    10,
  ),
);
const y = (m: number): number => 8 + (1 - m / most.value) * Math.max(height.value - 48, 10);
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0"
      :width="width"
      :height="height"
      role="img"
      data-test="took"
      aria-label="What steps really took"
    >
      <g v-for="(c, i) in list" :key="c.l.does" :transform="`translate(${8 + i * w} 0)`">
        <title>
          {{ c.name }}: {{ c.l.p50_minutes.toFixed(0) }} min, four days in five under
          {{ c.l.p80_minutes.toFixed(0) }}; {{ c.l.rests }}
        </title>
        <circle
          v-for="(t, k) in c.l.took ?? []"
          :key="k"
          :cx="6 + (k / Math.max((c.l.took ?? []).length - 1, 1)) * (w - 38)"
          :cy="y(t.minutes)"
          r="2.3"
          fill="var(--quiet)"
        />
        <line
          x1="0"
          :x2="w - 26"
          :y1="y(c.l.p50_minutes)"
          :y2="y(c.l.p50_minutes)"
          stroke="var(--ink)"
          stroke-width="2"
        />
        <path
          :d="`M${w - 22} ${y(c.l.p50_minutes)}V${y(c.l.p80_minutes)}m-4 0h8`"
          stroke="var(--quiet)"
          fill="none"
          stroke-width="1.4"
        />
        <circle
          v-if="c.today !== undefined"
          :cx="w - 22"
          :cy="y(c.today)"
          r="5"
          :fill="c.running ? 'none' : 'var(--sheet)'"
          stroke="var(--now)"
          stroke-width="2.2"
          :stroke-dasharray="c.running ? '3 2' : undefined"
        />
        <line x1="0" :x2="w - 14" :y1="height - 30" :y2="height - 30" stroke="var(--hair)" />
        <text x="0" :y="height - 17" class="name">
          {{
            c.name.length * 6.2 > w - 8
              ? c.name.slice(0, Math.max(Math.floor((w - 14) / 6.2), 3)) + "…"
              : c.name
          }}
        </text>
        <text x="0" :y="height - 4" class="lab">{{ c.l.p50_minutes.toFixed(0) }} min</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.host {
  flex: 1;
  min-height: 0;
  min-width: 0;
  overflow: hidden;
}
.name {
  font-size: var(--t11);
}
</style>
