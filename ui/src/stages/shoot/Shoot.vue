<script setup lang="ts">
import { watch } from "vue";
import { useRoute } from "vue-router";
import { useFrames } from "../../stores/frames";
import { useShot } from "../../stores/shot";
import FramesSheet from "./FramesSheet.vue";
import PassesSheet from "./PassesSheet.vue";

// Shoot has a sheet for each way of taking a shot.
const route = useRoute();
const shot = useShot();
const frames = useFrames();
watch(() => route.params.sheet, (s) => {
  if (route.name === "shoot") frames.sheet = s === "frames" || s === "passes" ? s : "";
}, { immediate: true });
const sheets = [{ name: "passes", title: "Passes" }, { name: "frames", title: "Frames" }] as const;
</script>

<template>
  <div v-if="shot.view" class="shoot-sheets">
    <nav aria-label="Sheets of Shoot">
      <router-link v-for="s in sheets" :key="s.name" :to="{ name: 'shoot', params: { id: shot.id, sheet: s.name } }" class="tab" :class="{ here: (s.name === 'frames') === frames.open }"
        :aria-current="(s.name === 'frames') === frames.open ? 'page' : undefined" :data-test="'sheet-' + s.name">{{ s.title }}</router-link>
    </nav>
    <FramesSheet v-if="frames.open" />
    <PassesSheet v-else />
  </div>
</template>

<style scoped>
.shoot-sheets { display: grid; grid-template-rows: 26px minmax(0, 1fr); gap: 8px; height: 100%; }
nav { display: flex; gap: 24px; }
.tab { font: 600 17px/1.2 var(--head); color: var(--quiet); text-decoration: none; border-bottom: 3px solid transparent; }
.tab.here { color: var(--ink); border-color: var(--now); }
html.paper .tab { color: #4d5a67; }
html.paper .tab.here { color: var(--ink); }
@media (max-width: 960px), (max-height: 620px) { .shoot-sheets { grid-template-rows: 26px auto; height: auto; } }
</style>
