<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref } from "vue";
import type { View } from "../../api/client";
import FinderView from "../../drawing/FinderView.vue";
import { usePlay } from "../../stores/play";
import { four, useShot } from "../../stores/shot";

// The picture alone, for somebody to look at: with its frame, and its counter. Esc ends it.
defineProps<{ camera: View | null }>();
const shot = useShot();
const play = usePlay();
const box = ref<HTMLElement | null>(null);
const code = computed(() => shot.timecode(shot.frame));
let back: Element | null = null;
function key(e: KeyboardEvent): void {
  if (e.key === "Escape") play.show(false);
  else if (!["r", "R", "l", "L", "f", "F", "e", "E", ",", ".", "<", ">"].includes(e.key)) {
    // no edit from under it
    e.preventDefault();
    e.stopPropagation();
  }
}
onMounted(() => {
  back = document.activeElement;
  window.addEventListener("keydown", key, true);
  void nextTick(() => box.value?.focus());
});
onBeforeUnmount(() => {
  window.removeEventListener("keydown", key, true);
  if (back instanceof HTMLElement) back.focus();
});
</script>

<template>
  <Teleport to="body">
    <div
      ref="box"
      class="showing"
      tabindex="-1"
      role="dialog"
      aria-label="The picture; Esc ends it"
      data-test="showing"
      @click="play.start(1)"
    >
      <FinderView v-if="shot.view" :shot="shot.view" :camera="camera" bare />
      <p class="count" data-test="showing-frame">
        {{ four(shot.frame) }} <span>{{ code }}</span>
      </p>
    </div>
  </Teleport>
</template>

<style scoped>
.showing {
  position: fixed;
  inset: 0;
  z-index: 9000;
  background: var(--picture);
  outline: none;
  cursor: none;
  display: grid;
}
.showing > :first-child {
  border: 0 !important;
  height: 100%;
}
.count {
  position: absolute;
  right: 24px;
  bottom: 16px;
  margin: 0;
  color: var(--picture-ink);
  font: 400 var(--t30)/1 var(--text);
  background: var(--picture-veil);
  padding: var(--s4) var(--s10);
  font-variant-numeric: tabular-nums;
}
.count span {
  font-size: var(--t16);
  opacity: 0.85;
}
</style>
