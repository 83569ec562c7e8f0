<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, watch } from "vue";
import { useRoute } from "vue-router";
import { useTheme } from "vuetify";
import { busy } from "./api/busy";
import AskDialog from "./shell/AskDialog.vue";
import LimitsBand from "./shell/LimitsBand.vue";
import KeysOverlay from "./shell/KeysOverlay.vue";
import StageRail from "./shell/StageRail.vue";
import TopStrip from "./shell/TopStrip.vue";
import { useKeys } from "./shell/keys";
import { usePrefs } from "./stores/prefs";
import { useOutbox } from "./stores/outbox";
import { useShot } from "./stores/shot";

const prefs = usePrefs();
const shot = useShot();
const route = useRoute();
const theme = useTheme();
const outbox = useOutbox();
const lost = computed(() => outbox.refused.filter((q) => q.shot === shot.id || q.shot === ""));
const { onKey, onKeyUp, onEscape } = useKeys();
const open = computed(() => typeof route.params.id === "string");

watch(
  () => prefs.theme,
  (t) => {
    document.documentElement.className = t;
    theme.change(t);
  },
  { immediate: true },
);

watch(
  () => route.params.id,
  (id) => {
    if (typeof id === "string" && id !== "") void shot.load(id);
  },
  { immediate: true },
);
watch(
  () => route.name,
  (n) => {
    if (typeof n === "string" && n !== "shelf" && n !== "camera") shot.remember(n);
  },
  { immediate: true },
);

onMounted(() => {
  window.addEventListener("keydown", onEscape, true);
  window.addEventListener("keydown", onKey);
  window.addEventListener("keyup", onKeyUp);
});
onBeforeUnmount(() => {
  window.removeEventListener("keydown", onEscape, true);
  window.removeEventListener("keydown", onKey);
  window.removeEventListener("keyup", onKeyUp);
});
</script>

<template>
  <v-app>
    <div class="frame" :class="{ open }">
      <TopStrip />
      <LimitsBand />
      <StageRail v-if="open" />
      <main id="stage" :aria-busy="busy">
        <router-view v-if="!open || shot.view" />
        <p v-else class="opening" role="status">
          {{ shot.trouble || "Opening the shot …" }}
          <button v-if="shot.trouble" class="btn slim" @click="shot.reload()">Try again</button>
        </p>
      </main>
      <div v-if="open && shot.view && (shot.trouble || lost.length)" class="troubles">
        <div v-for="q in lost" :key="q.deed" class="trouble" role="alert" data-test="lost">
          <span>{{ q.text }}</span>
          <button
            v-if="q.again"
            class="btn slim"
            data-test="again"
            @click="'edit' in q ? shot.again(q.deed) : outbox.insist(q.deed)"
          >
            Do it all the same
          </button>
          <button class="btn slim" data-test="read" @click="outbox.read(q.deed)">Close</button>
        </div>
        <div v-if="shot.trouble" class="trouble" role="alert">
          <span>{{ shot.trouble }}</span>
          <button class="btn slim" @click="shot.trouble = ''">Close</button>
        </div>
      </div>
    </div>
    <KeysOverlay />
    <AskDialog />
  </v-app>
</template>

<style>
.frame {
  display: grid;
  grid-template: 60px auto 1fr / 1fr;
  height: 100vh;
  height: 100dvh;
  overflow: hidden;
}
.frame.open {
  grid-template: 60px auto 1fr / 92px 1fr;
}
.frame > .strip,
.frame > .band {
  grid-column: 1 / -1;
}
.frame > .rail,
.frame > main {
  grid-row: 3;
}
#stage {
  padding: var(--s12);
  min-height: 0;
  min-width: 0;
  overflow: auto;
}
.opening {
  padding: var(--s24);
  font-size: var(--t16);
}
.troubles {
  position: fixed;
  left: 104px;
  right: 12px;
  bottom: 12px;
  z-index: 50;
  display: grid;
  gap: var(--s6);
  max-height: 40vh;
  overflow: auto;
}
.trouble {
  background: var(--sheet);
  border: 2px solid var(--over);
  padding: var(--s8) var(--s12);
  display: flex;
  gap: var(--s12);
  align-items: center;
}
.trouble span {
  flex: 1;
  overflow-wrap: anywhere;
}
@media (max-width: 700px) {
  .frame.open {
    grid-template: auto auto auto 1fr / 1fr;
  }
  .frame > .rail {
    grid-row: 3;
  }
  .frame.open > main {
    grid-row: 4;
  }
  .troubles {
    left: 12px;
  }
}
</style>
