<script setup lang="ts">
import { computed, ref } from "vue";
import type { Edit } from "../../api/client";
import ScoreDrawing from "../../drawing/ScoreDrawing.vue";
import SeeingBox from "../../drawing/SeeingBox.vue";
import SheetDrawing from "../../drawing/SheetDrawing.vue";
import { useLive } from "../../stores/live";
import { useSteer } from "../../stores/steer";
import { useShot } from "../../stores/shot";
import LiveSign from "./LiveSign.vue";
import PlanBar from "./PlanBar.vue";
import PoseBox from "./PoseBox.vue";
import SentenceLine from "./SentenceLine.vue";

const shot = useShot();
const live = useLive();
const steer = useSteer();
// While it is steered live, the camera is where the rig has it.
const camera = computed(() => (steer.on ? live.now?.view ?? shot.camera : shot.camera));
const opened = ref<number | null>(null);

async function edit(e: Edit, said: string): Promise<void> {
  await shot.edit(e, said);
}
async function dropped(e: DragEvent): Promise<void> {
  const f = e.dataTransfer?.files[0];
  if (f) await shot.upload(f);
}
</script>

<template>
  <div v-if="shot.view" class="compose" @dragover.prevent @drop.prevent="dropped">
    <SheetDrawing :shot="shot.view" :camera="camera"
      :rig="live.connected && Object.values(live.now?.floor.state.homed ?? {}).every(Boolean) ? live.now?.view ?? null : null"
      :frame="shot.frame" @go="shot.go" />
    <LiveSign v-if="steer.on" class="livesign" />
    <div class="right">
      <SeeingBox :shot="shot.view" :camera="camera" />
      <PoseBox />
    </div>
    <section class="box bottom" aria-label="Score">
      <PlanBar />
      <div class="staves"><ScoreDrawing :shot="shot.view" :axis="shot.axis" :opened="opened" @go="shot.go" @select="shot.select"
        :tried="shot.tried" @open="(i) => (opened = i)" @edit="edit" /></div>
      <SentenceLine />
    </section>
  </div>
</template>

<style scoped>
.compose { display: grid; grid-template: minmax(250px, 1fr) minmax(240px, 292px) / minmax(0, 1.78fr) minmax(340px, 1fr); gap: 12px; height: 100%; min-height: 600px; }
.compose > :first-child, .livesign { grid-column: 1; grid-row: 1; }
.livesign { justify-self: center; align-self: start; z-index: 3; margin-top: 8px; }
.right { display: grid; grid-template-rows: minmax(120px, 1fr) auto; gap: 12px; min-height: 0; }
.bottom { grid-column: 1 / -1; display: grid; grid-template-rows: auto 1fr auto; }
.staves { position: relative; min-height: 0; }
@media (max-width: 900px) { .compose { grid-template: 300px auto 340px / 1fr; height: auto; } .right { grid-template-rows: 240px auto; } }
</style>
