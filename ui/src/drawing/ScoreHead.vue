<script setup lang="ts">
import { computed } from "vue";
import type { Axis, Track } from "../api/client";
import { four, useShot } from "../stores/shot";

// The playhead over the score, in layers of its own: moving it draws nothing else.
const props = defineProps<{
  rows: { a: Axis; y: number; h: number }[];
  width: number;
  height: number;
  left: number;
  span: number;
  head: number;
  start: number;
  end: number;
  keys: number[];
  tracks: Track[];
}>();
const shot = useShot();
const px = computed(
  () => props.left + ((shot.frame - props.start) / (props.end - props.start)) * props.span,
);
const shown = computed(() => shot.frame >= props.start - 0.5 && shot.frame <= props.end + 0.5);
const frames = computed(() => new Set(props.keys));
const sets = computed(
  () => new Map(props.tracks.map((t) => [t.axis, new Set(t.keys.map((k) => k.frame))])),
);
const onKey = computed(() => frames.value.has(shot.frame));
const posts = computed(() =>
  onKey.value ? props.rows.filter((r) => sets.value.get(r.a.id)?.has(shot.frame)) : [],
);
</script>

<template>
  <div
    v-show="shown"
    class="at"
    :style="{ transform: `translateX(${px}px)`, height: height + 'px' }"
    aria-hidden="true"
  >
    <i class="line" />
    <i
      v-for="r in posts"
      :key="r.a.id"
      class="bold"
      :style="{ top: r.y + 3 + 'px', height: r.h - 6 + 'px' }"
    />
    <svg v-if="onKey" class="tip" width="12" height="10" :style="{ top: head - 11 + 'px' }">
      <path d="M0 0h12l-6 9z" fill="var(--now)" />
    </svg>
    <b class="flag">{{ four(shot.frame) }}</b>
  </div>
</template>

<style scoped>
.at {
  position: absolute;
  left: 0;
  top: 0;
  width: 0;
  will-change: transform;
  pointer-events: none;
  contain: layout style;
}
.line {
  position: absolute;
  left: -0.8px;
  top: 24px;
  bottom: 0;
  border-left: 1.6px solid var(--now);
}
.bold {
  position: absolute;
  left: -1.5px;
  border-left: 3px solid var(--ink);
}
.tip {
  position: absolute;
  left: -6px;
}
.flag {
  position: absolute;
  left: -18px;
  top: 9px;
  width: 36px;
  height: 15px;
  background: var(--now);
  color: var(--sheet);
  font: 400 var(--t11)/1.35 var(--text);
  text-align: center;
  white-space: nowrap;
}
</style>
