<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { api, sentence, type LiveMachine, type WireFinding } from "../../api/client";
import { mishaps, wirings } from "../../api/rules";
import WiringDrawing from "../../drawing/WiringDrawing.vue";
import { useMoves } from "../../shell/moves";
import { useBook } from "../../stores/book";

// What answers on each wire of a machine, held against the book; and, for stand-ins, what
// they can be told to have.
const props = defineProps<{ live?: LiveMachine; seen: boolean }>();
const book = useBook();
const moves = useMoves();
const rig = computed(() => book.sheet?.rig);
const findings = shallowRef<WireFinding[]>([]);
const trouble = ref("");
let timer = 0;
async function look(): Promise<void> {
  window.clearTimeout(timer);
  const id = rig.value?.id;
  if (id && props.live && props.seen) {
    const r = await api
      .GET("/api/machines/{id}/wires", { params: { path: { id } } })
      .catch(() => ({ data: undefined, error: undefined }));
    if (r.data) [findings.value, trouble.value] = [r.data, ""];
    else trouble.value = sentence(r.error);
  }
  timer = window.setTimeout(() => void look(), 1500);
}
watch(
  () => [rig.value?.id, props.seen],
  () => {
    findings.value = [];
    void look();
  },
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));
const wrong = computed(() => findings.value.filter((f) => f.word !== "ok"));
const big = computed(() => {
  if (!props.live) return "It is in the book only: nothing on the floor answers for it.";
  if (!props.seen)
    return (
      `${rig.value?.name} is not seen: ` +
      (props.live.why || "the application does not answer") +
      "."
    );
  if (trouble.value) return "It does not say what is on its wires.";
  if (findings.value.length === 0) return "Looking at its wires …";
  return wrong.value.length === 0
    ? "Everything answers where the book has it."
    : wrong.value[0]!.says;
});
const homed = computed(() => allHomed(props.live?.state));

// A stand-in can be told what has happened to it, to see what the application says.
const what = ref<(typeof mishaps)[number] | (typeof wirings)[number]>("drive fault");
const axis = ref("");
const by = ref("");
const said = ref("");
// On which axis; a knock has directions instead.
const axes = computed(
  () =>
    (what.value === "knocked"
      ? [
          ["right", "to the right, mm"],
          ["forward", "forward, mm"],
          ["up", "up, mm"],
          ["turn", "turned right, °"],
        ]
      : (rig.value?.axes ?? []).map((a) => [a.id, a.name])) as [string, string][],
);
watch(
  axes,
  (list) => {
    if (!list.some(([id]) => id === axis.value)) axis.value = list[0]?.[0] ?? "";
  },
  { immediate: true },
);
const asks = computed(
  () =>
    ({
      "lost steps": "1",
      "other scale": "2",
      "other payload": "6",
      "focus handset turned": "20",
      knocked: "4",
    })[what.value as string],
);
async function pretend(on: boolean): Promise<void> {
  const r = rig.value;
  if (!r) return;
  const n = Number((by.value.trim() || asks.value || "0").replace(",", "."));
  if (!Number.isFinite(n)) {
    said.value = "By how much? Give a number.";
    return;
  }
  const a = await api.POST("/api/machines/{id}/pretend", {
    params: { path: { id: r.id } },
    body: { what: what.value, axis: axis.value, on, by: asks.value ? n : 0 },
  });
  said.value = a.error ? sentence(a.error) : "Told.";
  void look();
}
</script>

<template>
  <div v-if="rig" class="connect">
    <section class="box draw" aria-label="Wires">
      <WiringDrawing :rig="rig" :findings="findings" :known="seen && findings.length > 0" />
    </section>
    <section class="box side">
      <h2 class="cap">{{ rig.name }} on its wires</h2>
      <p class="big" :class="{ now: wrong.length > 0 || !seen }" role="status" data-test="connect">
        {{ big }}
      </p>
      <p v-if="wrong[0]?.look" data-test="connect-look"><b>Look first:</b> {{ wrong[0].look }}</p>
      <ul v-if="wrong.length > 1">
        <li v-for="f in wrong.slice(1)" :key="f.says">
          <b>{{ f.says }}</b> <span class="quiet">{{ f.look }}</span>
        </li>
      </ul>
      <p v-if="seen && !live?.driving" class="now">
        Another copy of Keen Arc drives it. This one watches, and acknowledges nothing.
      </p>
      <p v-if="live?.stand_in" class="quiet">
        It is a stand-in that ships with the application: a simulated machine in a process of its
        own.
      </p>
      <div class="row">
        <button
          class="btn slim"
          data-test="home-machine"
          :disabled="!seen || !live?.driving || live?.state.mode !== 'idle'"
          @click="moves.home(rig.id)"
        >
          Home {{ rig.name }}
        </button>
        <span v-if="seen && !homed" class="quiet small"
          >what is not homed is only counted, not known</span
        >
      </div>
      <p>
        Lock pins out<template v-if="rig.book?.lock_pins?.length"
          >: {{ rig.book.lock_pins.map((p) => p.name).join(", ") }}</template
        >. Camera and lens on a safety line. Cables tied, with loops for the whole travel. Nobody
        within {{ rig.clear_m }} m of it.
      </p>
      <p class="quiet">
        Electrical supply, rigging and platforms are for competent or licensed people under local
        codes and the maker's manual.
      </p>
      <form v-if="live?.stand_in" class="small try" @submit.prevent="pretend(true)">
        <span>Practise on the stand-in:</span>
        <select v-model="what" class="field" data-test="mishap" aria-label="What it has">
          <optgroup label="it happens">
            <option v-for="w in mishaps" :key="w">{{ w }}</option>
          </optgroup>
          <optgroup label="on its wires">
            <option v-for="w in wirings" :key="w">{{ w }}</option>
          </optgroup>
        </select>
        <select
          v-if="
            what !== 'emergency stop' && what !== 'other payload' && what !== 'focus handset turned'
          "
          v-model="axis"
          class="field"
          data-test="mishap-axis"
          aria-label="On which axis"
        >
          <option v-for="[id, name] in axes" :key="id" :value="id">{{ name }}</option>
        </select>
        <input
          v-if="asks"
          v-model="by"
          class="field by"
          inputmode="decimal"
          :placeholder="asks"
          data-test="mishap-by"
          aria-label="By how much"
        />
        <button class="btn slim" type="submit" data-test="mishap-on">It has</button>
        <button
          class="btn slim"
          type="button"
          data-test="mishap-off"
          :disabled="
            what === 'hard end' || what === 'lost steps' || what === 'focus handset turned'
          "
          @click="pretend(false)"
        >
          It is over
        </button>
        <span class="quiet" role="status">{{ said }}</span>
      </form>
    </section>
  </div>
  <p v-else class="quiet" role="status">Opening the book …</p>
</template>

<style scoped>
.connect {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(330px, 1fr);
  gap: var(--s10);
  min-height: 0;
}
.draw {
  overflow: auto;
}
.side {
  padding: var(--s12) var(--s16);
  overflow: auto;
}
.side p {
  margin: var(--s8) 0;
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
}
.row {
  display: flex;
  gap: var(--s10);
  align-items: center;
}
.try {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s6);
  align-items: center;
  border-top: 1px solid var(--rule);
  padding-top: var(--s8);
}
.by {
  width: 56px;
  text-align: right;
}
ul {
  margin: 0;
  padding-left: var(--s16);
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .connect {
    grid-template-columns: 1fr;
  }
}
</style>
