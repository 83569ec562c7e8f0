<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { BenchView } from "../../api/client";
import BoomDrawing from "../../drawing/BoomDrawing.vue";
import { useBench } from "../../stores/bench";
import { useDraft } from "../../stores/draft";

// A crane's tail: which weights for each length of the arm, and the one set for a move.
const props = defineProps<{ view: BenchView }>();
const bench = useBench();
const c = computed(() => props.view.sheet.crane!);
const chosen = ref(0);
watch(
  () => c.value.arms.length,
  (n) => {
    chosen.value = Math.min(chosen.value, Math.max(n - 1, 0));
  },
);
type Row = { kg: string; count: string };
const rows = (own: { kg: number; count: number }[]): Row[] =>
  own.length
    ? own.map((w) => ({ kg: String(w.kg), count: String(w.count) }))
    : [{ kg: "", count: "" }];
const end = (v: number | undefined): string => String(+(v ?? 0).toFixed(1));
const draft = useDraft(() => ({
  of: `${props.view.machine} ${props.view.package.id}`,
  version: props.view.kept?.version ?? 0,
  form: {
    own: rows(c.value.own ?? []),
    from: end(c.value.axis_mm[0]),
    to: end(c.value.axis_mm[c.value.axis_mm.length - 1]),
  },
}));
const f = draft.f;
const n = (t: string): number => Number(t.trim().replace(",", "."));
const weights = (own: Row[]): { kg: number; count: number }[] =>
  own.filter((w) => w.kg.trim() || w.count.trim()).map((w) => ({ kg: n(w.kg), count: n(w.count) }));
function keepOwn(): void {
  if (weights(f.value.own).some((w) => !Number.isFinite(w.kg) || !Number.isInteger(w.count))) {
    bench.said = { text: "A weight has kilograms, and how many of it you own.", tone: "over" };
    return;
  }
  void draft.keep(
    (f) => ({ own: weights(f.own) }),
    (changes) => bench.amend(changes, "Those are the weights."),
  );
}
function keepArms(): void {
  if (!(n(f.value.from) < n(f.value.to))) {
    bench.said = {
      text: "The arm is used from the shorter to the longer: give two numbers that rise.",
      tone: "over",
    };
    return;
  }
  void draft.keep(
    (f) => ({ arms_mm: [n(f.from), n(f.to)] }),
    (changes) => bench.amend(changes, "Worked out for that."),
  );
}
const words = (w: { kg: number; count: number }[]): string =>
  w.length ? w.map((x) => `${x.count} × ${x.kg}`).join(" + ") : "none";
</script>

<template>
  <div class="crane">
    <section class="box draw" aria-label="The boom from its side">
      <h2 class="cap above">
        The boom from its side
        <span class="quiet thin"
          >what is left at the pivot, kilogram metres, with what hangs there</span
        >
      </h2>
      <BoomDrawing :crane="c" :chosen="chosen" />
    </section>
    <section class="box side">
      <p class="big" :class="c.ok ? 'good' : 'now'" role="status" data-test="crane-says">
        {{ c.problem || c.says }}
      </p>
      <p data-test="crane-then">{{ c.then }}</p>
      <p v-if="c.one_set.chosen.length && !c.ok">
        <button
          class="btn slim lead"
          data-test="crane-hang"
          @click="bench.keep({ weights: c.one_set.chosen }, 'Noted: that hangs at the tail.')"
        >
          {{ c.one_set.chosen_kg }} kg hang there now
        </button>
      </p>
      <table>
        <thead>
          <tr>
            <th>arm</th>
            <th class="r">needed</th>
            <th>nearest of yours</th>
            <th class="r">left</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(a, i) in c.arms" :key="i" :class="{ here: i === chosen }" @click="chosen = i">
            <td>
              <button class="link" @click="chosen = i">{{ a.arm_m.toFixed(2) }} m</button>
            </td>
            <td class="r">{{ a.needed_kg.toFixed(1) }} kg</td>
            <td>{{ words(a.chosen) }}</td>
            <td class="r">{{ a.left_kgm.toFixed(1) }} kg m</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet">Weights are not changed in mid-move: one set serves all of it.</p>
      <form class="row" @submit.prevent="keepArms">
        <span>in this move the arm goes from</span
        ><input
          v-model="f.from"
          class="field n"
          inputmode="decimal"
          data-test="arm-from"
          aria-label="Arm from"
        /><span>to</span
        ><input
          v-model="f.to"
          class="field n"
          inputmode="decimal"
          data-test="arm-to"
          aria-label="Arm to"
        /><span>mm</span><button class="btn slim" data-test="arm-keep">work out</button>
      </form>
      <form class="own" @submit.prevent="keepOwn">
        <h2 class="cap">The weights you own</h2>
        <div v-for="(w, i) in f.own" :key="i" class="row">
          <input
            v-model="w.count"
            class="field n"
            inputmode="numeric"
            :aria-label="`How many of weight ${i + 1}`"
            :data-test="'own-count-' + i"
          /><span>of</span
          ><input
            v-model="w.kg"
            class="field n"
            inputmode="decimal"
            :aria-label="`Kilograms of weight ${i + 1}`"
            :data-test="'own-kg-' + i"
          /><span>kg</span>
        </div>
        <div class="row">
          <button type="button" class="link" @click="f.own.push({ kg: '', count: '' })">
            another kind</button
          ><button class="btn slim" data-test="own-keep">these</button
          ><button type="button" class="link" @click="bench.back()">take back</button
          ><span class="small" :class="bench.said.tone" role="status" data-test="bench-said">{{
            bench.said.text
          }}</span>
        </div>
      </form>
      <p v-if="c.differs" class="now" data-test="own-differs">{{ c.differs }}</p>
      <p :class="bench.view?.sheet.verdict.ok ? 'good' : 'now'" data-test="bench-verdict">
        <b>{{ (bench.view?.sheet.verdict.says ?? "").replace(/^./, (c) => c.toUpperCase()) }}</b>
      </p>
      <p v-if="bench.view?.sheet.verdict.on" class="quiet small" data-test="verdict-on">
        {{ bench.view?.sheet.verdict.on }}
      </p>
      <p class="now">
        Nobody under the boom. Pin it before a weight goes on or off: the lighter end flies up.
      </p>
      <p class="quiet small">
        Overhead loads are for competent people, by the maker's manual and local codes. Our sums are
        planning aids.
      </p>
    </section>
  </div>
</template>

<style scoped>
.crane {
  display: grid;
  grid-template-columns: minmax(0, 1.35fr) minmax(420px, 1fr);
  gap: var(--s10);
  flex: 1;
  min-height: 0;
}
.draw {
  overflow: hidden;
}
.above {
  position: absolute;
  left: 14px;
  top: 10px;
}
.thin {
  font: 400 var(--t11)/1.2 var(--text);
  margin-left: var(--s12);
  text-transform: none;
  letter-spacing: 0;
}
.side {
  padding: var(--s10) var(--s16);
  overflow: auto;
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
  margin: var(--s2) 0;
}
p {
  margin: var(--s4) 0;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td,
th {
  padding: var(--s2) var(--s6) var(--s2) 0;
}
.r {
  text-align: right;
}
.here td {
  background: var(--wash);
}
.row {
  display: flex;
  gap: var(--s8);
  align-items: center;
  margin: var(--s2) 0;
  flex-wrap: wrap;
  font-size: var(--t13);
}
.n {
  width: 58px;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
@media (max-width: 900px) {
  .crane {
    grid-template-columns: 1fr;
  }
  .draw {
    height: 340px;
  }
}
</style>
