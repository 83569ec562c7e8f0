<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, onBeforeUnmount, nextTick, onMounted, ref, shallowRef, watch } from "vue";
import ScoreDrawing from "../../drawing/ScoreDrawing.vue";
import SeeingBox from "../../drawing/SeeingBox.vue";
import SheetDrawing from "../../drawing/SheetDrawing.vue";
import { useLive } from "../../stores/live";
import { usePlay } from "../../stores/play";
import { usePreview } from "../../stores/preview";
import { useScore } from "../../stores/score";
import { useSteer } from "../../stores/steer";
import { useShot } from "../../stores/shot";
import { useClips } from "./clips";
import LiveSign from "./LiveSign.vue";
import PlanBar from "./PlanBar.vue";
import PlayBar from "./PlayBar.vue";
import PoseBox from "./PoseBox.vue";
import SentenceLine from "./SentenceLine.vue";
import ShowPicture from "./ShowPicture.vue";
import WholeMove from "./WholeMove.vue";

const shot = useShot();
const live = useLive();
const steer = useSteer();
const preview = usePreview();
const play = usePlay();
const score = useScore();
const whole = ref(false);
const { onCopy, onPaste } = useClips();
onMounted(() => {
  preview.open();
  document.addEventListener("copy", onCopy);
  document.addEventListener("cut", onCopy);
  document.addEventListener("paste", onPaste);
});
onBeforeUnmount(() => {
  document.removeEventListener("copy", onCopy);
  document.removeEventListener("cut", onCopy);
  document.removeEventListener("paste", onPaste);
  play.stop();
  preview.shut();
});
// While it is steered live, the camera is where the rig has it; while something is tried,
// where that would put it.
const camera = computed(() => {
  if (steer.on) return live.now?.view ?? shot.camera;
  const p = preview.now;
  if (!p) return shot.camera;
  if (p.whole)
    return (
      p.view.plot.views[
        Math.min(
          Math.max(Math.round((shot.frame - p.view.plot.start) / p.view.plot.step), 0),
          p.view.plot.views.length - 1,
        )
      ] ?? shot.camera
    );
  return p.camera && p.frame === shot.frame ? p.camera : shot.camera;
});

// What is dragged is drawn on the score first, and on the sheet a little later.
const sheet = shallowRef(preview.shown);
// The slower it is drawn, the more is left out in between.
let pause = 0;
let next = 0;
let drawn = 0;
watch(
  () => preview.shown,
  () => {
    window.clearTimeout(next);
    const draw = async (): Promise<void> => {
      const began = performance.now();
      sheet.value = preview.shown;
      await nextTick();
      drawn = performance.now();
      pause = Math.min(Math.max(50, 8 * (drawn - began)), 250);
    };
    if (preview.now && !preview.now.held)
      next = window.setTimeout(() => void draw(), Math.max(0, drawn + pause - performance.now()));
    else void draw();
  },
  { flush: "sync" },
);

async function dropped(e: DragEvent): Promise<void> {
  const f = e.dataTransfer?.files[0];
  if (f) await shot.upload(f);
}
</script>

<template>
  <div
    v-if="shot.view"
    class="compose"
    :class="{ shaping: score.opened !== null, strip: score.changes }"
    @dragover.prevent
    @drop.prevent="dropped"
  >
    <div class="sheetside">
      <SheetDrawing
        :shot="sheet ?? shot.view"
        :camera="camera"
        :was="preview.now?.held ? shot.view : null"
        :rig="live.connected && allHomed(live.now?.floor.state) ? (live.now?.view ?? null) : null"
        :frame="shot.frame"
        scrub
        @go="shot.go"
      />
      <PlayBar />
    </div>
    <LiveSign v-if="steer.on" class="livesign" />
    <div class="right">
      <WholeMove v-if="whole" @close="whole = false" />
      <template v-else>
        <SeeingBox v-if="!play.showing" :shot="shot.view" :camera="camera" />
        <div v-else />
        <PoseBox />
      </template>
    </div>
    <section class="box bottom" aria-label="Score">
      <PlanBar @whole="whole = !whole" />
      <div class="staves">
        <ScoreDrawing
          :shot="shot.view"
          :axis="shot.axis"
          :tried="shot.tried"
          @go="shot.go"
          @select="shot.select"
        />
      </div>
      <SentenceLine />
    </section>
    <ShowPicture v-if="play.showing" :camera="camera" />
  </div>
</template>

<style scoped>
.compose {
  display: grid;
  grid-template: minmax(250px, 1fr) minmax(240px, 306px) / minmax(0, 1.78fr) minmax(340px, 1fr);
  gap: var(--s12);
  height: 100%;
  min-height: 600px;
}
.compose.strip {
  grid-template-rows: minmax(240px, 1fr) minmax(270px, 346px);
}
.compose.shaping {
  grid-template-rows: minmax(240px, 1fr) minmax(300px, 372px);
}
.sheetside,
.livesign {
  grid-column: 1;
  grid-row: 1;
}
.sheetside {
  position: relative;
  display: grid;
  min-height: 0;
  min-width: 0;
}
.livesign {
  place-self: start center;
  z-index: 3;
  margin-top: var(--s8);
}
.right {
  display: grid;
  grid-template-rows: minmax(100px, 1fr) minmax(0, auto);
  gap: var(--s12);
  min-height: 0;
  min-width: 0;
}
.bottom {
  grid-column: 1 / -1;
  display: grid;
  grid-template-rows: auto 1fr auto;
}
.staves {
  position: relative;
  min-height: 0;
}
@media (max-width: 900px) {
  .compose,
  .compose.shaping,
  .compose.strip {
    grid-template: 300px auto 340px / 1fr;
    height: auto;
  }
  .right {
    grid-template-rows: 240px auto;
  }
}
</style>
