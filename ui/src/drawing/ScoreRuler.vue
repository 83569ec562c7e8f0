<script setup lang="ts">
import { computed } from "vue";
import { four } from "../stores/shot";

// The ruler of the score and the marks that hold all axes' keyframes at a frame.
const props = defineProps<{
  start: number;
  end: number;
  left: number;
  span: number;
  head: number;
  frames: number[];
  from: number | null;
  to: number;
}>();
const emit = defineEmits<{ ruler: [e: PointerEvent]; mark: [e: PointerEvent, frame: number] }>();
const x = (f: number): number =>
  props.left + ((f - props.start) / (props.end - props.start)) * props.span;
const every = computed(
  () =>
    [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000, 10000, 25000, 50000, 100000].find(
      (s) => (s / (props.end - props.start)) * props.span >= 90,
    ) ?? 250000,
);
const marks = computed(() => {
  const out: number[] = [];
  for (let f = Math.ceil(props.start / every.value) * every.value; f <= props.end; f += every.value)
    out.push(f);
  return out;
});
const minor = computed(() => {
  const s = every.value / 5;
  let d = "";
  if (s >= 1)
    for (let f = Math.ceil(props.start / s) * s; f <= props.end; f += s)
      d += `M${x(f).toFixed(1)} 27v6`;
  return d;
});
const crowd = computed(() =>
  props.frames.length > 150
    ? [...new Set(props.frames.map((f) => Math.round(x(f))))]
        .map((px) => `M${px - 3} ${props.head - 11}h6l-3 9z`)
        .join("")
    : "",
);
</script>

<template>
  <g>
    <g class="ruler" @pointerdown="(e) => emit('ruler', e)">
      <rect :x="left - 10" y="11" :width="span + 20" :height="head - 23" fill="transparent" />
      <path :d="minor" stroke="var(--rule)" />
      <g v-for="f in marks" :key="f"
        ><path :d="`M${x(f)} 24v9`" stroke="var(--quiet)" /><text
          :x="x(f)"
          y="21"
          text-anchor="middle"
          class="lab"
          >{{ four(f) }}</text
        ></g
      >
    </g>
    <path v-if="crowd" :d="crowd" fill="var(--ink)" />
    <template v-else>
      <g
        v-for="f in frames"
        :key="'k' + f"
        class="mark"
        :data-all="f"
        @pointerdown.stop="(e) => emit('mark', e, f)"
      >
        <path :d="`M${x(from === f ? to : f) - 6} ${head - 11}h12l-6 9z`" fill="var(--ink)" />
        <rect :x="x(f) - 8" :y="head - 13" width="16" height="13" fill="transparent" />
      </g>
    </template>
  </g>
</template>

<style scoped>
.lab {
  font-size: var(--t11);
  fill: var(--quiet);
}
html.paper .lab {
  fill: var(--muted);
}
.ruler {
  cursor: col-resize;
}
.mark {
  cursor: ew-resize;
}
</style>
