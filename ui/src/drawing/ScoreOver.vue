<script setup lang="ts">
import { computed } from "vue";
import type { Plot } from "../api/client";
import { fills, runs } from "./headroom";
import type { Window } from "../stores/window";

// The whole move in a thin strip: the worst share of any axis by frame, and the window.
const props = defineProps<{
  plot: Plot;
  whole: Window;
  part: Window | null;
  left: number;
  span: number;
}>();
const emit = defineEmits<{ pan: [to: number] }>();
const x = (f: number): number =>
  props.left + ((f - props.whole.from) / (props.whole.to - props.whole.from)) * props.span;
const bands = computed(() => {
  const p = props.plot,
    n = p.shares[0]?.length ?? 0,
    worst = new Array<number>(n).fill(0);
  for (const row of p.shares)
    for (let i = 0; i < n; i++) worst[i] = Math.max(worst[i] ?? 0, Math.abs(row[i] ?? 0));
  return runs(worst)
    .map(([b, from, to]) => ({
      b,
      from: p.start + from * p.step,
      to: p.start + Math.min(to, n - 1) * p.step,
    }))
    .filter((r) => r.to > r.from);
});
// Pressed, the window goes there; dragged, along.
let grip: number | null = null;
const at = (e: PointerEvent): number =>
  props.whole.from +
  ((e.clientX -
    ((e.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect().left ?? 0) -
    props.left) /
    props.span) *
    (props.whole.to - props.whole.from);
function down(e: PointerEvent): void {
  if (!props.part) return;
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  const f = at(e),
    { from, to } = props.part;
  grip = f >= from && f <= to ? f - (from + to) / 2 : 0;
  emit("pan", f - grip);
}
function move(e: PointerEvent): void {
  if (grip !== null) emit("pan", at(e) - grip);
}
</script>

<template>
  <g
    data-test="overview"
    :class="{ hold: part }"
    @pointerdown.stop="down"
    @pointermove="move"
    @pointerup="grip = null"
    @pointercancel="grip = null"
  >
    <rect :x="left" y="1" :width="span" height="8" fill="var(--hair)" />
    <rect
      v-for="(b, i) in bands"
      :key="i"
      :x="x(b.from)"
      y="2"
      :width="Math.max(1, x(b.to) - x(b.from))"
      height="6"
      :fill="fills[b.b]"
      :data-band="b.b"
    />
    <rect
      :x="left"
      y="1"
      :width="span"
      height="8"
      fill="none"
      stroke="var(--ink)"
      stroke-width=".8"
    />
    <template v-if="part">
      <path
        :d="
          `M${left} 1h${Math.max(0, x(part.from) - left)}v8h` +
          `${-Math.max(0, x(part.from) - left)}ZM${x(part.to)} 1H${left + span}v8H` +
          `${x(part.to)}Z`
        "
        fill="var(--sheet)"
        opacity=".66"
      />
      <rect
        :x="x(part.from)"
        y="0"
        :width="Math.max(6, x(part.to) - x(part.from))"
        height="10"
        fill="transparent"
        stroke="var(--ink)"
        stroke-width="2"
        data-test="window"
      />
    </template>
    <rect :x="left" y="0" :width="span" height="11" fill="transparent" />
  </g>
</template>

<style scoped>
.hold {
  cursor: grab;
}
</style>
