<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import SheetTabs from "../../shell/SheetTabs.vue";
import AxesSheet from "./AxesSheet.vue";
import LensSheet from "./LensSheet.vue";
import PointsSheet from "./PointsSheet.vue";
import SyncSheet from "./SyncSheet.vue";

// Line up has a sheet for each thing that has to be known to the step.
const route = useRoute();
const sheets = [
  { name: "axes", title: "Axes" },
  { name: "lens", title: "Lens" },
  { name: "points", title: "Points" },
  { name: "sync", title: "Sync" },
] as const;
const here = computed(() => sheets.find((s) => s.name === route.params.sheet)?.name ?? "axes");
</script>

<template>
  <div class="line-up">
    <SheetTabs stage="line-up" :sheets="sheets" :here="here" />
    <AxesSheet v-if="here === 'axes'" />
    <LensSheet v-else-if="here === 'lens'" />
    <PointsSheet v-else-if="here === 'points'" />
    <SyncSheet v-else />
  </div>
</template>

<style scoped>
.line-up {
  display: grid;
  grid-template-rows: 26px minmax(0, 1fr);
  gap: var(--s8);
  height: 100%;
}
@media (max-width: 820px) {
  .line-up {
    height: auto;
  }
}
</style>
