<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import type { LiveMachine } from "../../api/client";
import BalanceDrawing from "../../drawing/BalanceDrawing.vue";
import GravityDrawing from "../../drawing/GravityDrawing.vue";
import { useBench } from "../../stores/bench";
import { useShot } from "../../stores/shot";
import { useMoves } from "../../shell/moves";
import BenchChecks from "./BenchChecks.vue";
import BenchLooks from "./BenchLooks.vue";
import BenchPieces from "./BenchPieces.vue";
import CraneBench from "./CraneBench.vue";
import WristBench from "./WristBench.vue";

// The balance bench of one machine with one camera package.
defineProps<{ live?: LiveMachine; seen: boolean }>();
const bench = useBench();
const moves = useMoves();
const shot = useShot();
const v = computed(() => (bench.view?.machine === moves.looking ? bench.view : null));
onMounted(() => {
  void bench.list();
});
watch(
  () => [moves.looking, bench.pack, shot.view?.version],
  () => void bench.open(moves.looking, bench.pack),
  { immediate: true },
);
const part = ref<"head" | "tail">("head");
const tilt = ref(0);
watch(
  () => v.value?.machine,
  () => {
    tilt.value = 0;
    part.value = "head";
  },
);
const what = computed(() =>
  tilt.value === 0
    ? "level"
    : tilt.value < 0
      ? `nose down ${-tilt.value}°`
      : `nose up ${tilt.value}°`,
);
</script>

<template>
  <div class="bench">
    <template v-if="v">
      <nav v-if="v.head && v.crane_of" class="inner" aria-label="What is balanced">
        <button
          class="tab"
          :class="{ here: part === 'head' }"
          :aria-pressed="part === 'head'"
          data-test="bench-head"
          @click="part = 'head'"
        >
          Head
        </button>
        <button
          class="tab"
          :class="{ here: part === 'tail' }"
          :aria-pressed="part === 'tail'"
          data-test="bench-tail"
          @click="part = 'tail'"
        >
          Counterweights
        </button>
      </nav>
      <div v-if="v.head && part === 'head' && v.sheet.weight && v.sheet.arc" class="four">
        <section class="box drawn" aria-label="The head from its left">
          <h2 class="cap above">
            The head from its left <span class="quiet thin">{{ what }}</span>
          </h2>
          <BalanceDrawing :bench="v" :tilt="tilt" />
        </section>
        <section class="box low">
          <h2 class="cap">
            Gravity against the motor
            <span class="quiet thin">over the whole tilt arc, newton metres</span>
          </h2>
          <GravityDrawing :arc="v.sheet.arc" />
          <p class="small quiet">
            <span v-for="t in v.sheet.others" :key="t">{{ t + " " }}</span><span
              v-if="v.sheet.room"
              :class="{ now: !v.sheet.room.ok }"
              data-test="tilt-room"
              >{{ v.sheet.room.says }}</span
            >
            {{ " " }}
            <button
              v-if="v.sheet.room && !v.sheet.room.ok"
              class="link"
              data-test="trim"
              @click="bench.trim()"
            >
              trim it to {{ Math.ceil(v.sheet.room.low_deg) }}°
            </button>
          </p>
        </section>
        <div class="column">
          <section class="box side">
            <BenchLooks :view="v" :tilt="tilt" @look="(d) => (tilt = d)" />
            <BenchPieces :view="v" />
          </section>
          <BenchChecks :view="v" :live="live" :seen="seen" />
        </div>
      </div>
      <CraneBench
        v-else-if="v.crane_of && v.sheet.crane && (part === 'tail' || !v.head)"
        :view="v"
      />
      <WristBench v-else-if="v.wrist && v.sheet.payload" :view="v" :live="live" :seen="seen" />
      <section v-else class="box none">
        <p class="big">{{ v.name }} has nothing that a camera is balanced on.</p>
        <p class="quiet">
          A head is described in the rig book: the axis that tilts it, what its plate and riser
          read, and what friction holds. Rig, change …
        </p>
      </section>
    </template>
    <p v-else class="quiet" role="status">{{ bench.said.text || "Opening the bench …" }}</p>
  </div>
</template>

<style scoped>
.bench {
  display: flex;
  flex-direction: column;
  gap: var(--s8);
  min-height: 0;
}
.four {
  display: grid;
  grid-template: minmax(240px, 1.4fr) minmax(170px, 1fr) / minmax(0, 1.4fr) minmax(420px, 1fr);
  gap: var(--s10);
  min-height: 0;
  flex: 1;
}
.column {
  grid-column: 2;
  grid-row: 1 / 3;
  display: flex;
  flex-direction: column;
  gap: var(--s10);
  min-height: 0;
  overflow: auto;
}
.side {
  flex: none;
  padding: var(--s8) var(--s16);
}
.column > :last-child {
  flex: 1 0 auto;
}
.low p {
  margin: var(--s2) 0 0;
}
.drawn {
  overflow: hidden;
}
.above {
  position: absolute;
  left: 14px;
  top: 10px;
  z-index: 1;
}
.thin {
  font: 400 var(--t13)/1.2 var(--text);
  margin-left: var(--s14);
  text-transform: none;
  letter-spacing: 0;
}
.low {
  padding: var(--s8) var(--s14);
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.none {
  padding: var(--s16);
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
  margin: 0 0 var(--s8);
}
.inner {
  display: flex;
  gap: var(--s16);
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
  .four {
    grid-template: none / 1fr;
  }
  .column {
    grid-column: 1;
    grid-row: auto;
  }
  .drawn {
    height: 330px;
  }
  .low {
    height: 220px;
  }
}
</style>
