<script setup lang="ts">
import { longestMove } from "../../api/rules";
import { useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";
import FieldInput from "../../fields/FieldInput.vue";

// The playhead's frame, to be typed; apart, so that scrubbing draws nothing else.
const shot = useShot();
function setFrame(e: Event): void {
  const box = e.target as HTMLInputElement;
  const v = readNumber(box.value);
  if (!(Math.abs(v) <= longestMove))
    shot.trouble = `Frame: "${box.value}" is not a frame; give a number within ±${longestMove}.`;
  else shot.go(v);
  box.value = String(shot.frame);
}
</script>

<template>
  <label
    >frame
    <FieldInput
      class="field num"
      data-test="frame"
      inputmode="numeric"
      :value="shot.frame"
      @change="setFrame"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
  /></label>
</template>

<style scoped>
.num {
  width: 48px;
  font-size: var(--t13);
  min-height: 24px;
  margin-left: var(--s2);
}
</style>
