<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, onBeforeUnmount, onMounted, watch } from "vue";
import SeeingBox from "../../drawing/SeeingBox.vue";
import SheetDrawing from "../../drawing/SheetDrawing.vue";
import { useHold } from "../../stores/hold";
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";
import PassStack from "./PassStack.vue";
import RollPanel from "./RollPanel.vue";

const shot = useShot();
const live = useLive();
const hold = useHold();
const homed = computed(() => live.connected && allHomed(live.now?.floor.state));
const rig = computed(() => (homed.value ? (live.now?.view ?? null) : null));
// Which of it is seen by a sensor, and what is only counted.
const counted = computed(() =>
  shot.axes
    .filter((a) => a.feedback === "nothing")
    .map((a) => a.name)
    .join(", "),
);
const label = computed(() => {
  if (!rig.value) return "as planned: the rig is not lined up";
  return counted.value
    ? `as the rig's sensors see it; ${counted.value} only counted`
    : "as the rig's sensors see it";
});
onMounted(() => {
  hold.open();
  void shot.reloadPasses();
});
// A take whose end is not stored yet (the database was away) is asked for again.
const again = window.setInterval(() => {
  if (!live.rolling && shot.passes.some((p) => p.takes.some((t) => !t.ended)))
    void shot.reloadPasses();
}, 1000);
onBeforeUnmount(() => {
  window.clearInterval(again);
  hold.close();
});
watch(
  () => shot.pass,
  () => hold.open(),
);
</script>

<template>
  <div v-if="shot.view" class="shoot">
    <SeeingBox :shot="shot.view" :camera="rig ?? shot.camera" :label="label" />
    <SheetDrawing
      :shot="shot.view"
      :camera="rig ?? shot.camera"
      :rig="rig"
      :frame="shot.frame"
      plan-only
      follow
      @go="shot.go"
    />
    <RollPanel />
    <PassStack />
  </div>
</template>

<style scoped>
.shoot {
  display: grid;
  grid-template: minmax(250px, 0.95fr) minmax(220px, 1fr) / minmax(0, 1.15fr) minmax(0, 1fr) 344px;
  gap: var(--s12);
  height: 100%;
  min-height: 560px;
}
.shoot > :last-child {
  grid-column: 1 / -1;
}
@media (max-width: 1180px) {
  .shoot {
    grid-template-columns: minmax(0, 1fr) minmax(0, 0.9fr) 300px;
  }
}
/* Where there is little room, what rolls the rig comes first and whole. */
@media (max-width: 960px), (max-height: 620px) {
  .shoot {
    grid-template: auto 240px auto / minmax(0, 1fr) minmax(0, 1fr);
    height: auto;
    min-height: 0;
  }
  .shoot > :nth-child(3) {
    grid-column: 1 / -1;
    grid-row: 1;
  }
}
@media (max-width: 700px) {
  .shoot {
    display: flex;
    flex-direction: column;
  }
  .shoot > * {
    min-height: 220px;
  }
  .shoot > :nth-child(3) {
    order: -1;
  }
}
</style>
