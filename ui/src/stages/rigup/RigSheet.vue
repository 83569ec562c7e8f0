<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, ref } from "vue";
import { api, sentence, type LiveMachine } from "../../api/client";
import MachineDrawing from "../../drawing/MachineDrawing.vue";
import { useAsk } from "../../stores/ask";
import { useBook } from "../../stores/book";
import BookEditor from "./BookEditor.vue";
import RigAxes from "./RigAxes.vue";
import RigCan from "./RigCan.vue";
import RigCarry from "./RigCarry.vue";
import RigVersions from "./RigVersions.vue";

// One machine of the book: drawn as it stands or in one of its poses, asked whether it can
// do the job, and all that is known of it.
const props = defineProps<{ live?: LiveMachine; seen: boolean }>();
const book = useBook();
const ask = useAsk();
const sheet = computed(() => book.sheet);
const pose = ref("");
const editing = ref(false);
const poses = computed(() =>
  Object.keys(sheet.value?.poses ?? {}).sort((a, b) => order.indexOf(a) - order.indexOf(b)),
);
const order = ["home", "mounting", "transport", "lowest", "highest", "farthest"];
const joints = computed(
  () =>
    (pose.value && sheet.value?.poses[pose.value]) ||
    (props.seen ? (props.live?.joints ?? []) : (sheet.value?.poses["home"] ?? [])),
);
const known = computed(() => pose.value !== "" || !props.seen || allHomed(props.live?.state));
const part = ref<"axes" | "carry" | "cables" | "versions">("axes");
const parts = [
  ["axes", "Axes"],
  ["carry", "Carry"],
  ["cables", "Cables, pins, power"],
  ["versions", "Versions"],
] as const;
// The machine on the floor may still be what an older version says.
const differs = computed(() =>
  props.seen && sheet.value && sheet.value.runs > 0 && sheet.value.runs !== sheet.value.rig.version
    ? sheet.value.runs
    : 0,
);
function configure(): void {
  const s = sheet.value;
  if (!s) return;
  ask.ask({
    title: `Give ${s.rig.name} version ${s.rig.version}?`,
    yes: `Give it version ${s.rig.version}`,
    text:
      "It must stand still. Axes that count other steps have to be homed again; what is " +
      "armed or loaded is gone. Nothing moves.",
    act: async () => {
      const r = await api.POST("/api/machines/{id}/configure", {
        params: { path: { id: s.rig.id } },
      });
      if (!r.error) window.setTimeout(() => void book.open(s.rig.id), 700);
      return r.error ? sentence(r.error) : "";
    },
  });
}
</script>

<template>
  <div v-if="sheet" class="rig">
    <div class="drawn">
      <div class="poses small" role="group" aria-label="Drawn">
        <button
          class="link"
          :class="{ on: pose === '' }"
          :aria-pressed="pose === ''"
          @click="pose = ''"
        >
          {{ seen ? "as it stands" : "home" }}
        </button>
        <button
          v-for="p in poses"
          :key="p"
          class="link"
          :class="{ on: pose === p }"
          :aria-pressed="pose === p"
          :data-test="'pose-' + p"
          @click="pose = p"
        >
          {{ p }}
        </button>
      </div>
      <MachineDrawing
        :key="sheet.rig.id"
        class="draw"
        :sheet="sheet.sheet"
        :joints="joints"
        :name="sheet.rig.name"
        :known="known"
      />
    </div>
    <RigCan :sheet="sheet" />
    <section class="box parts">
      <nav class="inner" aria-label="What is known of it">
        <button
          v-for="[k, t] in parts"
          :key="k"
          class="tab"
          :class="{ here: part === k }"
          :aria-pressed="part === k"
          :data-test="'part-' + k"
          @click="part = k"
        >
          {{ t }}
        </button>
        <button class="btn slim" data-test="edit-book" @click="editing = true">change …</button>
        <span class="quiet small"
          >version {{ sheet.rig.version
          }}<template v-if="differs">, but the machine itself runs {{ differs }}</template></span
        >
        <button v-if="differs" class="btn slim lead" data-test="configure" @click="configure">
          give it version {{ sheet.rig.version }}
        </button>
        <span class="small" :class="book.said.tone" role="status" data-test="book-said">{{
          book.said.text
        }}</span>
      </nav>
      <RigAxes v-if="part === 'axes'" :sheet="sheet" :live="live" :seen="seen" />
      <RigCarry
        v-else-if="part === 'carry' || part === 'cables'"
        :sheet="sheet"
        :cables="part === 'cables'"
      />
      <RigVersions v-else :sheet="sheet" />
    </section>
    <BookEditor v-if="editing" :sheet="sheet" :live="live" :seen="seen" @close="editing = false" />
  </div>
  <p v-else class="quiet" role="status">{{ book.said.text || "Opening the book …" }}</p>
</template>

<style scoped>
.rig {
  display: grid;
  grid-template: minmax(230px, 1.1fr) minmax(220px, 1fr) / minmax(0, 1.25fr) minmax(380px, 1fr);
  gap: var(--s10);
  min-height: 0;
}
.drawn {
  position: relative;
  min-height: 0;
}
.draw {
  height: 100%;
}
.poses {
  position: absolute;
  right: 10px;
  top: 8px;
  z-index: 1;
  display: flex;
  gap: var(--s12);
}
.poses .link {
  color: var(--quiet);
}
.poses .on {
  color: var(--now);
  font-weight: 700;
}
.parts {
  grid-column: 1 / -1;
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: var(--s6) var(--s14) var(--s8);
}
.inner {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
}
.tab {
  background: none;
  border: 0;
  border-bottom: 2px solid transparent;
  padding: 0;
  font: 600 var(--t16)/1.3 var(--head);
  color: var(--quiet);
  cursor: pointer;
}
.tab.here {
  color: var(--ink);
  border-color: var(--now);
}
html.paper .tab:not(.here),
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .rig {
    grid-template: none / 1fr;
  }
  .draw {
    height: 320px;
  }
  .parts {
    grid-column: 1;
  }
}
</style>
