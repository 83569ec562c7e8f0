<script setup lang="ts">
import { computed, ref, watch } from "vue";
import GroundDrawing from "../../drawing/GroundDrawing.vue";
import { useDraft } from "../../stores/draft";
import { useGround } from "../../stores/ground";
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";
import { docOf, none, stations, texts } from "./groundForm";

// Ground and track: which sections, how level, what swings behind, and what the floor
// takes. Lengths in metres or in feet and inches, and they stay as they were typed.
const ground = useGround();
const shot = useShot();
const live = useLive();
watch(
  () => [shot.id, live.now?.version],
  () => {
    if (shot.id) void ground.load(shot.id);
  },
  { immediate: true },
);
const v = computed(() => ground.view);
const draft = useDraft(() => ({
  of: shot.id,
  version: v.value?.revision ?? 0,
  form: texts(v.value?.ground ?? none),
}));
const f = draft.f;
const wrong = ref("");
async function keep(): Promise<void> {
  wrong.value = "";
  try {
    await draft.keep(
      (g) => docOf(g, !!v.value?.ground.swing),
      (changes) => ground.amend(changes),
    );
  } catch (e) {
    wrong.value = (e as Error).message;
  }
}
// One of two readings of what was typed is meant.
function means(text: string): void {
  const field = ground.said.field ?? "",
    section = /^owned\[(\d+)\]/.exec(field);
  if (section) {
    const o = f.value.owned.filter((x) => x.as.trim())[Number(section[1])];
    if (o) o.as = text;
  } else if (field === "run" || field === "footprint" || field === "margin") f.value[field] = text;
  void keep();
}
</script>

<template>
  <form v-if="v" class="ground" @submit.prevent="keep">
    <section class="box drawn" aria-labelledby="ground-title">
      <div class="line">
        <h2 id="ground-title" class="cap">Ground and track</h2>
        <span class="quiet grow">{{
          v.kept ? v.sheet.run_says : "a proposal out of the rig book; nobody has been there yet"
        }}</span><button
          type="button"
          class="link small"
          data-test="ground-back"
          @click="ground.back()"
        >
          take back
        </button>
      </div>
      <GroundDrawing :ground="v.ground" :sheet="v.sheet" />
    </section>
    <section class="box says" aria-labelledby="lies-title">
      <h2 id="lies-title" class="cap">Does it lie?</h2>
      <p class="big" :class="{ now: !v.sheet.reaches }" role="status" data-test="ground-says">
        {{ v.sheet.says }}
      </p>
      <p :class="{ now: v.sheet.need_mm > 0 && !v.sheet.packing?.ok }" data-test="ground-level">
        {{ v.sheet.level }}
      </p>
      <p v-if="v.sheet.packing" class="small quiet" data-test="ground-packers">
        <template v-for="(n, k) in v.sheet.packing.count" :key="k"
          >{{ n }} × {{ k }} mm&nbsp;&nbsp;</template
        >
      </p>
      <ul>
        <li v-for="m in v.sheet.more" :key="m" data-test="ground-more">{{ m }}</li>
      </ul>
      <h3 class="cap">The run</h3>
      <div class="row">
        <label
          >goes
          <input
            v-model="f.run"
            class="field l"
            :placeholder="v.path ? ((v.path[1] ?? 0) - (v.path[0] ?? 0)).toFixed(0) + ' mm' : ''"
            data-test="g-run" /></label
        ><label
          >stands on <input v-model="f.footprint" class="field l" data-test="g-footprint" /></label
        ><label>to stop <input v-model="f.margin" class="field l" data-test="g-margin" /></label>
      </div>
      <h3 class="cap">Sections there are</h3>
      <div class="row">
        <label v-for="(o, i) in f.owned" :key="i"
          ><input
            v-model="o.count"
            class="field c"
            inputmode="numeric"
            :aria-label="`How many of ${o.as}`"
            :data-test="`g-count-${i}`" />
          ×
          <input
            v-model="o.as"
            class="field l"
            aria-label="Length"
            :data-test="`g-owned-${i}`" /></label
        ><button
          type="button"
          class="link small"
          data-test="g-another"
          @click="f.owned.push({ as: '', count: '1', mm: 0 })"
        >
          another length
        </button>
      </div>
      <template v-if="v.ground.swing">
        <h3 class="cap">What swings behind</h3>
        <div class="row">
          <label>tail <input v-model="f.tail" class="field n" /> m</label
          ><label>pivot at <input v-model="f.pivot" class="field n" /> m</label
          ><label>front up <input v-model="f.up" class="field n" />°</label
          ><label>weights hang <input v-model="f.hangs" class="field n" /> m</label
          ><label>room <input v-model="f.room" class="field n" data-test="g-room" /> m</label
          ><label>keep free <input v-model="f.keep" class="field n" /> m</label>
        </div>
      </template>
      <h3 class="cap">On the floor</h3>
      <div class="row">
        <label><input v-model="f.mass" class="field n" data-test="g-mass" /> kg on</label
        ><label><input v-model="f.feet" class="field c" data-test="g-feet" /> feet of</label
        ><label><input v-model="f.pad" class="field n" /> cm²</label
        ><label>worst × <input v-model="f.worst" class="field c" /></label
        ><label
          >floor bears <input v-model="f.floor" class="field n" data-test="g-floor" /> kN/m²</label
        >
      </div>
      <div class="foot">
        <button class="btn slim lead" type="submit" data-test="ground-keep">
          {{ v.kept ? "keep" : "it is like this" }}</button><span
          class="small"
          :class="wrong ? 'over' : ground.said.tone"
          role="status"
          data-test="ground-said"
          >{{ wrong || ground.said.text }}</span
        >
      </div>
      <div v-if="!wrong && ground.said.choices?.length" class="row" data-test="ground-choices">
        it is
        <button
          v-for="c in ground.said.choices"
          :key="c"
          type="button"
          class="btn slim"
          @click="means(c)"
        >
          {{ c }}
        </button>
      </div>
      <p class="now small">
        Platforms, floors and what stands over people are for competent people under local codes.
      </p>
    </section>
    <section class="box table" aria-labelledby="measured-title">
      <div class="line">
        <h2 id="measured-title" class="cap">Floor as measured</h2>
        <span class="quiet nowrap">mm, up is more</span>
        <label>gauge <input v-model="f.gauge" class="field n" /> mm</label
        ><label
          >slope to <input v-model="f.slope" class="field c" data-test="g-slope" /> twist
          <input v-model="f.twist" class="field c" data-test="g-twist" /> across
          <input v-model="f.cross" class="field c" :placeholder="f.slope" data-test="g-cross" />
          mm/m</label
        ><label
          >packers <input v-model="f.packers" class="field p" data-test="g-packers" /> mm</label
        >
      </div>
      <div class="supports">
        <div class="sup head small quiet"><span>at</span><span>left</span><span>right</span></div>
        <div v-for="(r, i) in f.rows" :key="i" class="sup">
          <input
            v-model="r.at"
            class="field"
            inputmode="decimal"
            aria-label="Support at, millimetres"
            :data-test="`g-at-${i}`"
          /><input
            v-model="r.left"
            class="field"
            inputmode="decimal"
            aria-label="Under the left rail, millimetres"
            :data-test="`g-left-${i}`"
          /><input
            v-model="r.right"
            class="field"
            inputmode="decimal"
            aria-label="Under the right rail, millimetres"
            :data-test="`g-right-${i}`"
          />
        </div>
        <div class="sup end">
          <button
            type="button"
            class="link small"
            data-test="g-support"
            @click="f.rows.push({ at: '', left: '', right: '' })"
          >
            another</button
          ><button
            type="button"
            class="link small"
            data-test="g-stations"
            @click="f.rows = stations(v.sheet.used ?? [])"
          >
            at every section</button
          ><button v-if="f.rows.length" type="button" class="link small" @click="f.rows.pop()">
            one less
          </button>
        </div>
      </div>
    </section>
  </form>
  <p v-else class="quiet">{{ ground.said.text || "…" }}</p>
</template>

<style scoped>
.ground {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 370px;
  grid-template-rows: minmax(0, 1fr) 158px;
  gap: var(--s10);
  height: 100%;
  min-height: 560px;
}
.drawn,
.table {
  padding: var(--s10) var(--s14) var(--s6);
  display: flex;
  flex-direction: column;
  gap: var(--s4);
}
.says {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s4);
  grid-row: 1 / 3;
  grid-column: 2;
}
.table {
  grid-column: 1;
}
.table .line {
  gap: var(--s2) var(--s10);
  flex-wrap: wrap;
}
.nowrap {
  white-space: nowrap;
}
.line .cap {
  white-space: nowrap;
}
.line {
  display: flex;
  gap: var(--s14);
  align-items: baseline;
  flex: none;
  font-size: var(--t13);
}
.grow {
  flex: 1;
  min-width: 0;
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: 0;
}
p {
  margin: 0;
}
ul {
  margin: 0;
  padding: 0 0 0 var(--s14);
  font-size: var(--t11);
  display: grid;
  gap: var(--s2);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s2) var(--s12);
  font-size: var(--t13);
  align-items: center;
}
label {
  display: inline-flex;
  gap: var(--s4);
  align-items: center;
  white-space: nowrap;
}
.l {
  width: 72px;
}
.n {
  width: 46px;
  text-align: right;
}
.c {
  width: 34px;
  text-align: right;
}
.p {
  width: 108px;
}
.row .field,
.line .field {
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
.cap {
  margin-top: var(--s2);
}
.supports {
  display: flex;
  gap: var(--s6);
  overflow-x: auto;
  padding-bottom: var(--s4);
}
.sup {
  display: flex;
  flex-direction: column;
  gap: var(--s2);
  flex: none;
  width: 56px;
}
.sup .field {
  width: 100%;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
  box-sizing: border-box;
}
.sup.head {
  width: 34px;
  justify-content: space-around;
}
.sup.end {
  width: auto;
  justify-content: center;
}
.foot {
  display: flex;
  gap: var(--s12);
  align-items: center;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .ground {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 380px auto auto;
    height: auto;
  }
  .says {
    grid-column: 1;
    grid-row: auto;
  }
}
</style>
