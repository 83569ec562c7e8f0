<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from "vue";
import type { Axis } from "../../api/client";
import { spaced } from "../../stores/axes";
import { heldSocket } from "../../stores/held";

// Two targets that move an axis for as long as one is held.
const props = defineProps<{
  machine: string;
  axis: Axis;
  fastest: number;
  clear: number;
  off: boolean;
}>();
const way = ref<1 | -1>(1);
const share = ref(100); // of its full speed, down to a crawl
const said = ref("");
const line = heldSocket(
  () => `/api/jog?${new URLSearchParams({ machine: props.machine })}`,
  (m) => {
    const w = m as { refused?: string; ended?: string };
    said.value = w.refused ?? w.ended ?? "";
    line.release();
  },
);
watch(
  () => props.machine,
  () => line.open(),
  { immediate: true },
);
watch(
  () => props.axis.id,
  () => {
    line.release();
    said.value = "";
  },
);
onBeforeUnmount(() => line.close());

function press(w: 1 | -1): void {
  if (props.off || line.held.value) return;
  way.value = w;
  said.value = line.press({ axis: props.axis.id, way: w, share: share.value / 100 })
    ? ""
    : "The hold is not connected yet. Let go and try again in a moment.";
}
function down(e: PointerEvent, w: 1 | -1): void {
  if (e.button !== 0) return;
  const t = e.currentTarget as HTMLElement;
  t.setPointerCapture(e.pointerId);
  t.focus();
  e.preventDefault();
  press(w);
}
function key(e: KeyboardEvent, w: 1 | -1): void {
  if (e.key !== " ") return;
  e.preventDefault();
  if (!e.repeat) press(w);
}
</script>

<template>
  <div class="jog">
    <button
      v-for="w in [-1, 1] as const"
      :key="w"
      class="target"
      :class="{ held: line.held.value && way === w }"
      :aria-disabled="off"
      :data-test="w > 0 ? 'jog-up' : 'jog-down'"
      @pointerdown="(e) => down(e, w)"
      @pointerup="line.release"
      @pointercancel="line.release"
      @lostpointercapture="line.release"
      @blur="line.release"
      @contextmenu.prevent
      @keydown="(e) => key(e, w)"
      @keyup="(e) => e.key === ' ' && line.release()"
    >
      {{ w < 0 ? "← hold to jog" : "hold to jog →" }}
    </button>
    <p class="small quiet">
      A tenth at first, a third after 0.7 s, then up to
      {{ +((fastest * share) / 100).toPrecision(3) }}{{ spaced(axis) }}/s; no point of it over 250
      mm/s. Let go and it slows to rest. Everyone clear of {{ clear }} m.
    </p>
    <label class="small"
      >at most
      <input
        v-model.number="share"
        type="range"
        min="1"
        max="100"
        data-test="jog-share"
        aria-label="Jogging speed"
      />
      {{ share }} %</label
    >
    <p v-if="said" class="over" role="alert" data-test="jog-said">{{ said }}</p>
  </div>
</template>

<style scoped>
.jog {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--s6);
}
.jog p,
.jog label {
  grid-column: 1 / -1;
  margin: 0;
  display: flex;
  gap: var(--s8);
  align-items: center;
}
.jog input {
  flex: 1;
}
.target {
  font: 600 var(--t16)/1 var(--head);
  min-height: 54px;
  border: 2px solid var(--ink);
  background: var(--sheet);
  color: var(--ink);
  cursor: pointer;
  touch-action: none;
  user-select: none;
}
.target.held {
  background: var(--now);
  border-color: var(--now);
  color: var(--sheet);
}
.target[aria-disabled="true"] {
  border-color: var(--rule);
  color: var(--quiet);
}
</style>
