<script setup lang="ts">
import { computed } from "vue";
import type { ShotView, View } from "../api/client";
import { usePrefs } from "../stores/prefs";
import FinderView from "./FinderView.vue";
import LivePicture from "./LivePicture.vue";

// Through the lens: the finder, which is drawn from the plan, or the camera's own picture.
const props = defineProps<{ shot: ShotView; camera: View | null; label?: string }>();
const prefs = usePrefs();
const upright = computed(() => props.shot.lens.height_mm > props.shot.lens.width_mm);
</script>

<template>
  <div class="seeing">
    <FinderView v-if="!prefs.picture" :shot="shot" :camera="camera" :label="label" />
    <div v-else class="box real" data-test="real-picture">
      <LivePicture :width="640" :pause="600" :cross="prefs.cross" :lines="prefs.lines" />
    </div>
    <div class="turn small">
      <template v-if="prefs.picture">
        <label><input v-model="prefs.cross" type="checkbox" /> cross</label
        ><label><input v-model="prefs.lines" type="checkbox" /> lines</label>
        <a :href="upright ? '/camera?turned' : '/camera'" target="_blank">own window</a>
      </template>
      <button
        data-test="seeing"
        :aria-pressed="prefs.picture"
        @click="prefs.picture = !prefs.picture"
      >
        {{ prefs.picture ? "finder" : "camera" }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.seeing {
  position: relative;
  min-height: 0;
  min-width: 0;
  display: grid;
}
.seeing > :first-child {
  min-height: 0;
  height: 100%;
}
.real {
  overflow: hidden;
}
.turn {
  position: absolute;
  right: 1px;
  bottom: 1px;
  display: flex;
  gap: var(--s8);
  align-items: center;
  background: var(--picture-veil-thick);
  padding: 0 0 0 var(--s8);
  color: var(--picture-ink);
}
.turn a {
  color: var(--picture-ink);
}
.turn button {
  background: var(--picture-ink);
  color: var(--picture);
  border: 0;
  font: 600 var(--t13)/1 var(--head);
  padding: var(--s4) var(--s8);
  cursor: pointer;
}
.turn label {
  display: flex;
  gap: var(--s2);
  align-items: center;
}
</style>
