<script setup lang="ts">
import { computed } from "vue";
import type { View } from "../api/client";
import { four } from "../stores/shot";
import { projection, type Frame } from "./sheet";

// The keyframes on the plan; those of which a label would lie on another have none.
const props = defineProps<{ frame: Frame; keys: { f: number; v: View }[] }>();
const emit = defineEmits<{ go: [frame: number] }>();
const marks = computed(() => {
  const to = projection(props.frame, false),
    out: { f: number; x: number; y: number; label: boolean }[] = [];
  for (const { f, v } of props.keys) {
    const [x, y] = to(v.at_m);
    // Half of it, in px, and what is left free.
    const wide = (g: number): number => four(g).length * 4;
    out.push({
      f,
      x,
      y,
      label: !out.some(
        (o) => o.label && Math.abs(o.x - x) < wide(f) + wide(o.f) + 4 && Math.abs(o.y - y) < 14,
      ),
    });
  }
  return out;
});
</script>

<template>
  <g>
    <g v-for="q in marks" :key="q.f" class="keymark" @pointerdown.stop @click="emit('go', q.f)">
      <path :d="`M${q.x} ${q.y + 10}l6 10h-12z`" fill="var(--ink)" />
      <text v-if="q.label" :x="q.x" :y="q.y - 14" text-anchor="middle" class="lab halo">{{
        four(q.f)
      }}</text>
    </g>
  </g>
</template>

<style scoped>
.keymark {
  cursor: pointer;
  pointer-events: auto;
}
</style>
