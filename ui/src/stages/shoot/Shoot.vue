<script setup lang="ts">
import { watch } from "vue";
import { useRoute } from "vue-router";
import SheetTabs from "../../shell/SheetTabs.vue";
import { useFrames } from "../../stores/frames";
import { useShot } from "../../stores/shot";
import FramesSheet from "./FramesSheet.vue";
import PassesSheet from "./PassesSheet.vue";

// Shoot has a sheet for each way of taking a shot.
const route = useRoute();
const shot = useShot();
const frames = useFrames();
watch(
  () => route.params.sheet,
  (s) => {
    if (route.name === "shoot") frames.sheet = s === "frames" || s === "passes" ? s : "";
  },
  { immediate: true },
);
const sheets = [
  { name: "passes", title: "Passes" },
  { name: "frames", title: "Frames" },
] as const;
</script>

<template>
  <div v-if="shot.view" class="shoot-sheets">
    <SheetTabs stage="shoot" :sheets="sheets" :here="frames.open ? 'frames' : 'passes'" />
    <FramesSheet v-if="frames.open" />
    <PassesSheet v-else />
  </div>
</template>

<style scoped>
.shoot-sheets {
  display: grid;
  grid-template-rows: 26px minmax(0, 1fr);
  gap: var(--s8);
  height: 100%;
}
@media (max-width: 960px), (max-height: 620px) {
  .shoot-sheets {
    grid-template-rows: 26px auto;
    height: auto;
  }
}
</style>
