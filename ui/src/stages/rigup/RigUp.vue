<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute } from "vue-router";
import type { LiveMachine } from "../../api/client";
import { useMoves } from "../../shell/moves";
import SheetTabs from "../../shell/SheetTabs.vue";
import { useBook } from "../../stores/book";
import { useLive } from "../../stores/live";
import BalanceSheet from "./BalanceSheet.vue";
import BeginRig from "./BeginRig.vue";
import ConnectSheet from "./ConnectSheet.vue";
import GroundSheet from "./GroundSheet.vue";
import OrderSheet from "./OrderSheet.vue";
import PackagePick from "./PackagePick.vue";
import PowerSheet from "./PowerSheet.vue";
import RigSheet from "./RigSheet.vue";

// The machines of the rig book, those on the floor first; one of them is looked at.
const route = useRoute();
const live = useLive();
const moves = useMoves();
const book = useBook();
onMounted(() => {
  live.each++;
  void book.list();
});
onBeforeUnmount(() => {
  live.each--;
});
const sheets = [
  { name: "rig", title: "Rig" },
  { name: "order", title: "Order" },
  { name: "ground", title: "Ground" },
  { name: "power", title: "Power" },
  { name: "connect", title: "Connect" },
  { name: "balance", title: "Balance" },
] as const;
const here = computed(() => sheets.find((s) => s.name === route.params.sheet)?.name ?? "rig");
// Those about the place are about the whole shot, not about one machine.
const ofPlace = computed(
  () => here.value === "order" || here.value === "ground" || here.value === "power",
);
const chosen = computed({
  get: () => moves.looking,
  set: (id: string) => {
    moves.looking = id;
  },
});
watch(chosen, (id) => void book.open(id), { immediate: true });
// A version that somebody else has written is opened, too.
watch(
  () => live.now?.version,
  async () => {
    await book.list();
    const newest = book.lines.find((l) => l.id === chosen.value)?.version ?? 0;
    if (book.sheet && newest > book.sheet.rig.version) void book.open(chosen.value);
  },
);
const now = computed<Record<string, LiveMachine>>(() =>
  Object.fromEntries((live.now?.machines ?? []).map((m) => [m.machine, m])),
);
// On the floor in the floor's order, then the others of the book. Before the floor is known there
// is none: what comes before others that are there would push them from under the pointer.
const list = computed(() => {
  if (!live.now && !live.lost) return [];
  const floor = (live.now?.machines ?? []).map((m) => ({ id: m.machine, name: m.name }));
  return [...floor, ...book.lines.filter((l) => !floor.some((f) => f.id === l.id))];
});
const seen = (id: string): boolean => !live.lost && (now.value[id]?.connected ?? false);
function says(id: string): { text: string; tone: string } {
  const m = now.value[id];
  if (!m) return { text: "in the book only", tone: "quiet" };
  if (!seen(id)) return { text: "not seen", tone: "now" };
  if (m.state.emergency_stop) return { text: "emergency stop pressed", tone: "over" };
  if (Object.values(m.state.axes).some((a) => a.fault))
    return { text: "drive fault", tone: "over" };
  if (!m.driving) return { text: "driven elsewhere, watched here", tone: "now" };
  if (m.state.mode !== "idle") return { text: m.state.mode, tone: "now" };
  return allHomed(m.state)
    ? { text: "seen, homed", tone: "good" }
    : { text: "seen, not homed", tone: "quiet" };
}
const beginning = ref(false);
</script>

<template>
  <div class="rigup" :class="{ place: ofPlace }">
    <div class="head">
      <SheetTabs stage="rig-up" :sheets="sheets" :here="here" /><PackagePick
        v-if="here === 'balance'"
        :machine="chosen"
      />
    </div>
    <OrderSheet v-if="here === 'order'" />
    <GroundSheet v-else-if="here === 'ground'" />
    <PowerSheet v-else-if="here === 'power'" />
    <template v-else>
      <section class="floor" aria-label="Machines">
        <button
          v-for="m in list"
          :key="m.id"
          class="pick"
          :class="{ here: m.id === chosen }"
          :aria-pressed="m.id === chosen"
          :data-test="'choose-' + m.id"
          @click="chosen = m.id"
        >
          <b>{{ m.name }}</b><span class="small" :class="says(m.id).tone">{{
            says(m.id).text
          }}</span>
        </button>
        <button class="pick more" data-test="begin-rig" @click="beginning = true">
          <b>+</b><span class="small quiet">another one</span>
        </button>
      </section>
      <RigSheet v-if="here === 'rig'" :key="chosen" :live="now[chosen]" :seen="seen(chosen)" />
      <BalanceSheet v-else-if="here === 'balance'" :live="now[chosen]" :seen="seen(chosen)" />
      <ConnectSheet v-else :key="chosen" :live="now[chosen]" :seen="seen(chosen)" />
    </template>
    <BeginRig
      v-if="beginning"
      @close="beginning = false"
      @made="
        (id) => {
          chosen = id;
          beginning = false;
        }
      "
    />
  </div>
</template>

<style scoped>
.rigup {
  display: grid;
  grid-template-rows: minmax(26px, auto) auto minmax(0, 1fr);
  gap: var(--s8);
  height: 100%;
  min-height: 600px;
}
.rigup.place {
  grid-template-rows: minmax(26px, auto) minmax(0, 1fr);
}
.head {
  display: flex;
  gap: var(--s24);
  align-items: center;
  min-width: 0;
}
.floor {
  display: flex;
  gap: var(--s10);
  flex-wrap: wrap;
}
.pick {
  flex: 1;
  min-width: 130px;
  text-align: left;
  border: 1px solid var(--ink);
  background: var(--sheet);
  color: var(--ink);
  padding: var(--s4) var(--s14);
  cursor: pointer;
  font: inherit;
  display: flex;
  flex-direction: column;
  gap: var(--s1);
}
html.blackout .pick {
  border-color: var(--rule);
}
.pick b {
  font: 600 var(--t16)/1.1 var(--head);
}
.pick.here {
  background: var(--wash);
  box-shadow: inset 0 -4px 0 var(--now);
}
.more {
  flex: 0 0 96px;
  min-width: 96px;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .rigup {
    height: auto;
  }
}
</style>
