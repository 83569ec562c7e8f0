<script setup lang="ts">
import { mdiPause, mdiPlay, mdiRepeat, mdiStepBackward, mdiStepForward } from "@mdi/js";
import { speeds, usePlay } from "../../stores/play";
import { usePrefs } from "../../stores/prefs";
import { useScore } from "../../stores/score";
import FrameField from "./FrameField.vue";
import { useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";
import FieldInput from "../../fields/FieldInput.vue";

// Plays the move on the sheet and in the finder. No rig moves.
const shot = useShot();
const score = useScore();
const play = usePlay();
const prefs = usePrefs();
function setSpeed(e: Event): void {
  const box = e.target as HTMLInputElement,
    v = readNumber(box.value);
  if (v >= 0.01 && v <= 20) prefs.speed = v;
  else shot.trouble = `Speed: “${box.value}” is none; give 0.01 to 20, 1 being the clock's own.`;
  box.value = String(prefs.speed);
}
</script>

<template>
  <div
    class="play"
    role="group"
    aria-label="Play the move on the sheet; no rig moves"
    data-test="play"
  >
    <FrameField />
    <button
      class="pb"
      data-test="step-back"
      aria-label="One frame back"
      title="one frame back  ,"
      @click="shot.go(shot.frame - 1)"
    >
      <svg viewBox="0 0 24 24"><path :d="mdiStepBackward" /></svg>
    </button>
    <button
      class="pb"
      data-test="play-back"
      :aria-pressed="play.way < 0"
      aria-label="Play backward"
      title="play backward  Shift+R"
      @click="play.start(-1)"
    >
      <svg viewBox="0 0 24 24">
        <path
          :d="play.way < 0 ? mdiPause : mdiPlay"
          :transform="play.way < 0 ? '' : 'matrix(-1 0 0 1 24 0)'"
        />
      </svg>
    </button>
    <button
      class="pb"
      data-test="play-on"
      :aria-pressed="play.way > 0"
      aria-label="Play"
      title="play  R"
      @click="play.start(1)"
    >
      <svg viewBox="0 0 24 24"><path :d="play.way > 0 ? mdiPause : mdiPlay" /></svg>
    </button>
    <button
      class="pb"
      data-test="step-on"
      aria-label="One frame on"
      title="one frame on  ."
      @click="shot.go(shot.frame + 1)"
    >
      <svg viewBox="0 0 24 24"><path :d="mdiStepForward" /></svg>
    </button>
    <button
      class="pb"
      data-test="loop"
      :aria-pressed="prefs.loop"
      aria-label="Over and over"
      title="over and over  L"
      @click="prefs.loop = !prefs.loop"
    >
      <svg viewBox="0 0 24 24"><path :d="mdiRepeat" /></svg>
    </button>
    <label
      >×
      <FieldInput
        class="field"
        list="speeds"
        :value="prefs.speed"
        inputmode="decimal"
        data-test="play-speed"
        aria-label="Speed of playing"
        title="of the clock's own speed: 0.01 to 20"
        @change="setSpeed"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
    /></label>
    <datalist id="speeds"><option v-for="s in speeds" :key="s" :value="s" /></datalist>
    <button
      class="pb word"
      data-test="show"
      title="the picture alone, over the whole window; Esc ends it"
      @click="play.show(true)"
    >
      show
    </button>
    <button
      class="pb word"
      data-test="changes-on"
      :aria-pressed="score.changes"
      title="how much the picture changes from frame to frame  D"
      @click="score.changes = !score.changes"
    >
      changes
    </button>
  </div>
</template>

<style scoped>
.play {
  position: absolute;
  left: 124px;
  top: 1px;
  display: flex;
  gap: var(--s2);
  align-items: center;
  background: var(--sheet);
  padding: var(--s2) var(--s4);
  font-size: var(--t13);
}
.pb {
  width: 26px;
  height: 24px;
  padding: 0;
  border: 1px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  cursor: pointer;
  display: grid;
  place-items: center;
}
.pb[aria-pressed="true"] {
  background: var(--ink);
  color: var(--sheet);
  border-color: var(--ink);
}
.pb svg {
  width: 16px;
  height: 16px;
  fill: currentColor;
}
.pb.word {
  width: auto;
  padding: 0 var(--s8);
  font: 600 var(--t13)/1 var(--head);
}
.field {
  width: 46px;
  min-height: 24px;
  font-size: var(--t13);
  padding: var(--s1) var(--s2);
}
label {
  margin: 0 var(--s4);
}
@media (max-width: 1100px) {
  .play {
    left: 4px;
    right: 4px;
    top: 30px;
    width: fit-content;
    flex-wrap: wrap;
  }
}
</style>
