<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { PowerNode } from "../../api/client";
import PowerDrawing from "../../drawing/PowerDrawing.vue";
import { useDraft } from "../../stores/draft";
import { useLive } from "../../stores/live";
import { usePower } from "../../stores/power";
import { useShot } from "../../stores/shot";
import PowerNodeBox from "./PowerNodeBox.vue";

// Power: what hangs on which supply, the volts that are left, what fails first and at
// which speed, and limits that the supply can bear.
const power = usePower();
const shot = useShot();
const live = useLive();
watch(
  () => [shot.id, live.now?.version],
  () => {
    if (shot.id) void power.load(shot.id);
  },
  { immediate: true },
);
const v = computed(() => power.view);
const notes = ref(false);
const draft = useDraft(() => ({
  of: shot.id,
  version: v.value?.revision ?? 0,
  form: {
    plates: v.value?.power.plates ?? "",
    sync: v.value?.power.sync ?? "",
    picture: v.value?.power.picture ?? "",
  },
}));
const f = draft.f;
async function keepNotes(): Promise<void> {
  if (
    (await draft.keep(
      (f) => ({ plates: f.plates.trim(), sync: f.sync.trim(), picture: f.picture.trim() }),
      (c) => power.amend(c),
    )) === "kept"
  )
    notes.value = false;
}
async function add(role: PowerNode["role"]): Promise<void> {
  let n = 1;
  while (power.nodes.some((x) => x.id === `${role}-${n}`)) n++;
  const from = (
    power.node && power.node.role !== "device"
      ? power.node
      : power.nodes.find((x) => x.role === "supply")
  )?.id;
  if (role !== "supply" && !from) {
    power.said = { text: "There is no supply yet. Add one first.", tone: "over" };
    return;
  }
  const given =
    role === "supply"
      ? { volts: 230, breaker_a: 16 }
      : role === "converter"
        ? { volts: 24, dc: true }
        : { rated_w: 20 };
  if (
    await power.change({
      id: `${role}-${n}`,
      name: `another ${role}`,
      role,
      from: role === "supply" ? undefined : from,
      ...given,
    })
  )
    power.picked = `${role}-${n}`;
}
</script>

<template>
  <div v-if="v" class="power">
    <section class="box drawn" aria-labelledby="power-title">
      <div class="line">
        <h2 id="power-title" class="cap">Power</h2>
        <span class="quiet grow">{{
          v.kept
            ? "as thick as its current; volts at the speeds of the line-up"
            : "a proposal out of the rig book: check every line of it"
        }}</span>
        <button class="link small" data-test="add-supply" @click="add('supply')">a supply</button
        ><button class="link small" data-test="add-converter" @click="add('converter')">
          a converter</button
        ><button class="link small" data-test="add-device" @click="add('device')">a device</button>
        <button class="link small" data-test="power-back" @click="power.back()">take back</button>
      </div>
      <PowerDrawing
        :nodes="power.nodes"
        :sheet="v.sheet"
        :picked="power.picked"
        @pick="
          (id) => {
            power.picked = power.picked === id ? '' : id;
          }
        "
      />
    </section>
    <PowerNodeBox
      v-if="power.node"
      :key="power.picked"
      :node="power.node"
      :sheet="v.sheet"
      :nodes="power.nodes"
      :axes="v.axes ?? []"
    />
    <section v-else class="box says" aria-labelledby="bears-title">
      <h2 id="bears-title" class="cap">Does it bear it?</h2>
      <p
        class="big"
        :class="{ now: !v.sheet.ok, good: v.sheet.ok && v.sheet.share >= 1 }"
        role="status"
        data-test="power-says"
      >
        {{ v.sheet.says }}
      </p>
      <p v-if="v.sheet.on" class="quiet small" data-test="power-on">{{ v.sheet.on }}</p>
      <template v-if="(v.sheet.unknown?.length ?? 0) > 0">
        <h3 class="cap">Nobody typed yet</h3>
        <ul class="needs" data-test="power-unknown">
          <li v-for="u in v.sheet.unknown" :key="u">{{ u }}</li>
        </ul>
      </template>
      <template v-if="v.sheet.lower?.length">
        <h3 class="cap">It would bear</h3>
        <table>
          <tbody>
            <tr v-for="l in v.sheet.lower" :key="l.axis">
              <td>{{ l.named }}</td>
              <td class="n quiet">{{ l.from }}</td>
              <td class="n">
                <b>{{ l.to }}</b> {{ l.unit }}
              </td>
            </tr>
          </tbody>
        </table>
        <button class="btn slim" data-test="power-limits" @click="power.limits()">
          take them into today's line-up
        </button>
      </template>
      <p v-for="m in v.sheet.more" :key="m" class="more" data-test="power-more">{{ m }}</p>
      <button
        v-if="!v.kept"
        class="btn slim lead"
        data-test="power-keep"
        @click="power.write({}, 'Kept as the wiring.')"
      >
        it is wired like this
      </button>
      <h3 class="cap">What others bring</h3>
      <form v-if="notes" class="notes" @submit.prevent="keepNotes">
        <label
          >plates
          <input v-model="f.plates" class="field" maxlength="300" data-test="need-plates" /></label
        ><label>sync <input v-model="f.sync" class="field" maxlength="300" /></label
        ><label>picture <input v-model="f.picture" class="field" maxlength="300" /></label
        ><button class="btn slim lead" type="submit" data-test="need-keep">keep</button>
      </form>
      <ul v-else class="needs">
        <li v-for="n in v.sheet.needs" :key="n.what + n.says">
          <b>{{ n.what }}</b> {{ n.says }}
        </li>
      </ul>
      <div class="foot">
        <button class="link small" data-test="need-edit" @click="notes = !notes">
          {{ notes ? "not now" : "what else we ask for …" }}</button><a
          class="btn slim"
          :href="`/api/shots/${shot.id}/needs.pdf`"
          target="_blank"
          rel="noopener"
          data-test="needs-paper"
          >on paper</a
        >
      </div>
      <p class="small" :class="power.said.tone" role="status" data-test="power-said">
        {{ power.said.text }}
      </p>
      <p class="now small">
        Supply work is for licensed people, by local codes and the maker's manual. Our sums are
        planning aids.
      </p>
    </section>
  </div>
  <p v-else class="quiet">{{ power.said.text || "…" }}</p>
</template>

<style scoped>
.power {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: var(--s10);
  height: 100%;
  min-height: 560px;
}
.drawn {
  padding: var(--s10) var(--s14) var(--s6);
  display: flex;
  flex-direction: column;
  gap: var(--s4);
}
.line {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  flex: none;
}
.grow {
  flex: 1;
  min-width: 0;
}
.says {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s6);
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: 0;
}
p {
  margin: 0;
}
td {
  padding: var(--s2) var(--s8) var(--s2) 0;
}
.n {
  text-align: right;
  white-space: nowrap;
}
.btn.slim {
  align-self: start;
}
.needs {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: var(--t11);
  display: grid;
  gap: var(--s2);
}
.notes {
  display: grid;
  gap: var(--s4);
}
.notes label {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: var(--s6);
  align-items: center;
}
.foot {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .power {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 460px auto;
    height: auto;
  }
}
</style>
