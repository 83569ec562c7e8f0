<script setup lang="ts">
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import LivePicture from "../../drawing/LivePicture.vue";
import { usePrefs } from "../../stores/prefs";

// The camera's picture in a window of its own, for a second screen; turned where the camera
// is mounted upright.
const prefs = usePrefs();
const route = useRoute();
const turned = computed({
  get: () => route.query.turned !== undefined,
  set: (on: boolean) => {
    void router.replace({ query: on ? { turned: null } : {} });
  },
});
const router = useRouter();
</script>

<template>
  <div class="camera">
    <header>
      <b class="cap">The camera's picture</b>
      <label><input v-model="prefs.cross" type="checkbox" data-test="cross" /> cross</label>
      <label><input v-model="prefs.lines" type="checkbox" /> frame lines</label>
      <label><input v-model="turned" type="checkbox" data-test="turned" /> mounted upright</label>
    </header>
    <LivePicture
      :width="1920"
      :pause="400"
      :cross="prefs.cross"
      :lines="prefs.lines"
      :turned="turned"
    />
  </div>
</template>

<style scoped>
.camera {
  display: grid;
  grid-template-rows: 28px minmax(0, 1fr);
  height: 100%;
  gap: var(--s6);
}
header {
  display: flex;
  gap: var(--s20);
  align-items: center;
}
</style>
