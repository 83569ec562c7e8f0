<script setup lang="ts">
import { computed } from "vue";
import type { View } from "../api/client";
import { wedge, type Frame } from "./sheet";

// Fields of view at keyframes. With many of them only some are drawn, or none could
// be told apart.
const props = defineProps<{ frame: Frame; keys: { f: number; v: View }[] }>();
const shown = computed(() =>
  props.keys.filter(
    (_, i, all) => all.length <= 10 || i % Math.ceil(all.length / 8) === 0 || i === all.length - 1,
  ),
);
</script>

<template>
  <g
    ><path
      v-for="q in shown"
      :key="q.f"
      :d="wedge(q.v, frame)"
      fill="var(--tint)"
      stroke="var(--quiet)"
      stroke-width=".8"
  /></g>
</template>
