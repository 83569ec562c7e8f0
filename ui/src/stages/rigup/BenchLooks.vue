<script setup lang="ts">
import { computed, ref } from "vue";
import type { BenchView, Seen } from "../../api/client";
import { useBench } from "../../stores/bench";
import { readNumber } from "../../fields/numbers";

// What the freed head does at the attitudes of its arc, what a scale reads there, and the
// next step in one sentence.
const props = defineProps<{ view: BenchView; tilt: number }>();
const emit = defineEmits<{ look: [deg: number] }>();
const bench = useBench();
const r = computed(() => props.view.record);
const w = computed(() => props.view.sheet.weight!);
const next = computed(() => w.value.next);
const attitudes = computed(() => w.value.attitudes ?? [0]);
const name = (deg: number): string =>
  deg === 0 ? "level" : `nose ${deg < 0 ? "down" : "up"} ${Math.abs(deg)}°`;
const does = {
  rests: "rests",
  "nose falls": "nose falls",
  "nose rises": "nose rises",
  "turns slowly": "turns slowly",
} as const;
const here = (s: Seen): boolean =>
  Math.abs(s.slide_mm - r.value.slide_mm) < 0.05 &&
  (s.tilt_deg === 0 || Math.abs(s.rise_mm - r.value.rise_mm) < 0.05);
const last = (deg: number): Seen | undefined =>
  [...(r.value.seen ?? [])].reverse().find((s) => s.tilt_deg === deg && s.did && here(s));
function saw(deg: number, did: string): void {
  emit("look", deg);
  if (did) note([[deg, did as Seen["did"]]]);
}
// The same look again takes the place of the one before. Made at the readings as they were set
// last, though the answer to that is still on its way.
function note(looks: [deg: number, did: Seen["did"]][]): void {
  void bench.keep((was) => {
    const { slide_mm, rise_mm } = was;
    const old = (s: Seen): boolean =>
      looks.some(([deg]) => s.tilt_deg === deg) &&
      !!s.did &&
      s.slide_mm === slide_mm &&
      s.rise_mm === rise_mm;
    const kept = (was.seen ?? []).filter((s) => !old(s));
    return {
      seen: [...kept, ...looks.map(([tilt_deg, did]) => ({ tilt_deg, slide_mm, rise_mm, did }))],
    };
  }, "Noted.");
}
// One attitude after the other: it rests at all, or turns at one, having rested at those before.
const sweep = computed(() => (w.value.says ? [] : (next.value.sweep_deg ?? [])));
const turnsAt = ref<number>();
function rested(before = sweep.value.length): [number, Seen["did"]][] {
  return sweep.value.slice(0, before).map((deg) => [deg, "rests"]);
}
function turns(did: Seen["did"]): void {
  const deg = turnsAt.value ?? NaN,
    k = sweep.value.indexOf(deg);
  if (k < 0) return;
  emit("look", deg);
  note([...rested(k), [deg, did]]);
}
const safe: ["clear" | "line", string][] = [
  ["line", "safety line on"],
  ["clear", "nothing dangles before the lens"],
];
const contra = computed(() => (w.value.against >= 0 ? r.value.seen?.[w.value.against] : undefined));
function turned(): void {
  const n = next.value;
  if (n.knob)
    void bench.keep(
      n.knob === "slide" ? { slide_mm: n.reading_mm! } : { rise_mm: n.reading_mm! },
      "Set.",
    );
}
// A spring or luggage scale, that holds it at an attitude.
const scaling = ref(false);
const scale = ref({ deg: 0, kg: "", arm: "200" });
function weighed(): void {
  const kg = readNumber(scale.value.kg),
    arm = readNumber(scale.value.arm);
  if (Number.isNaN(kg) || Number.isNaN(arm)) {
    bench.said = {
      text:
        "What does the scale read, and how far ahead of the axis does it pull? Give two " +
        "numbers.",
      tone: "over",
    };
    return;
  }
  const one = { tilt_deg: scale.value.deg, scale_kg: kg, arm_m: arm / 1000 };
  void bench
    .keep(
      (was) => ({
        seen: [...(was.seen ?? []), { ...one, slide_mm: was.slide_mm, rise_mm: was.rise_mm }],
      }),
      "The scale's reading is in.",
    )
    .then((ok) => {
      if (ok) scaling.value = false;
    });
}
const scales = computed(() => (r.value.seen ?? []).filter((s) => s.scale_kg !== undefined).length);
</script>

<template>
  <div>
    <h2 class="cap">What it does when you let go</h2>
    <div class="looks" :class="{ many: attitudes.length > 3 }">
      <div
        v-for="d in attitudes"
        :key="d"
        class="look"
        :class="{ here: tilt === d, wrong: contra?.tilt_deg === d }"
      >
        <button class="fig" :aria-label="`draw it ${name(d)}`" @click="emit('look', d)">
          <svg viewBox="0 6 104 44" width="95" height="40" aria-hidden="true">
            <g
              :transform="`translate(50 28) rotate(${-d})`"
              fill="none"
              stroke="var(--ink)"
              stroke-width="1.5"
            >
              <rect x="-26" y="-14" width="36" height="26" />
              <rect x="10" y="-9" width="18" height="17" />
              <circle r="2.4" fill="var(--ink)" />
            </g>
            <path
              v-if="last(d)?.did === 'nose falls'"
              d="M84 16Q98 28 88 42m-2 -9l1 10l9 -5"
              class="arc"
            />
            <path
              v-if="last(d)?.did === 'nose rises'"
              d="M88 44Q98 30 86 16m-3 9l2 -10l9 5"
              class="arc"
            />
          </svg>
        </button>
        <label
          >{{ name(d)
          }}<select
            class="field"
            :value="last(d)?.did ?? ''"
            :data-test="'saw' + d"
            @change="saw(d, ($event.target as HTMLSelectElement).value)"
          >
            <option value="">not tried</option>
            <option v-for="(t, k) in does" :key="k" :value="k">{{ t }}</option>
          </select></label
        >
      </div>
    </div>
    <p v-if="!r.checks.all_on" class="first">
      <label class="tick"
        ><input
          type="checkbox"
          :checked="false"
          data-test="first-all-on"
          @change="bench.check('all_on', true, 'Looked after.')"
        />
        {{ " " }}
        <b>First: everything that will hang on it is on it</b>, cables, matte box, monitor, lens
        motor.</label
      >
    </p>
    <p v-if="!r.checks.clear || !r.checks.line" class="first" data-test="first-safe">
      <b>Before the gear is freed:</b>
      <label v-for="[k, t] in safe" :key="k" class="tick"
        ><input
          type="checkbox"
          :checked="r.checks[k]"
          :data-test="'first-' + k"
          @change="bench.check(k, ($event.target as HTMLInputElement).checked, 'Looked after.')"
        />
        {{ t }}</label
      >
    </p>
    <p
      class="big"
      :class="{ now: w.says !== '', good: next.done }"
      role="status"
      data-test="bench-next"
    >
      {{ w.says || next.says }}
    </p>
    <p v-if="!next.done" class="then">
      {{ w.says ? next.says : next.then }}
      <button
        v-if="next.knob && next.by_mm && !w.says"
        class="btn slim"
        data-test="bench-turned"
        @click="turned"
      >
        It reads {{ next.reading_mm }} now
      </button>
    </p>
    <p v-if="sweep.length" class="row small" data-test="sweep">
      <b>{{ sweep.map((d) => `${d}°`.replace("-", "−")).join(", ") }}</b>
      <button class="btn slim" data-test="sweep-rests" @click="note(rested())">
        It rests at all of them
      </button>
      <span>or it turns at</span>
      <select
        v-model="turnsAt"
        class="field"
        data-test="sweep-at"
        aria-label="The attitude at which it turns"
      >
        <option v-for="d in sweep" :key="d" :value="d">{{ name(d) }}</option>
      </select>
      <template v-for="(t, k) in does" :key="k">
        <button
          v-if="k !== 'rests'"
          class="btn slim"
          :disabled="!sweep.includes(turnsAt ?? NaN)"
          :title="sweep.includes(turnsAt ?? NaN) ? undefined : 'choose where it turns first'"
          :data-test="'sweep-' + k.replace(' ', '-')"
          @click="turns(k)"
        >
          {{ t }}
        </button></template
      >
    </p>
    <p v-else-if="w.rests_between" class="small quiet" data-test="between">
      Between these it rests at {{ w.rests_between }} more.
    </p>
    <p class="row small">
      <button class="link" data-test="bench-scale" @click="scaling = !scaling">
        a scale's reading …
      </button>
      <span v-if="scales" class="quiet">{{ scales }} in</span>
      <button class="link" data-test="bench-back" @click="bench.back()">take back</button>
      <button
        v-if="r.seen?.length"
        class="link"
        data-test="bench-clear"
        @click="bench.keep({ seen: [] }, 'Cleared.')"
      >
        begin again
      </button>
      <span :class="bench.said.tone" role="status" data-test="bench-said">{{
        bench.said.text
      }}</span>
    </p>
    <form v-if="scaling" class="row small" @submit.prevent="weighed">
      <span>held</span
      ><select v-model="scale.deg" class="field" aria-label="At which attitude">
        <option v-for="d in attitudes.filter((x) => Math.abs(x) <= 80)" :key="d" :value="d">
          {{ name(d) }}
        </option>
      </select>
      <span>it reads</span
      ><input
        v-model="scale.kg"
        class="field n"
        inputmode="decimal"
        data-test="scale-kg"
        aria-label="Kilograms that the scale reads"
      /><span>kg, pulling up</span>
      <input
        v-model="scale.arm"
        class="field n"
        inputmode="decimal"
        data-test="scale-arm"
        aria-label="Millimetres ahead of the axis"
      /><span>mm ahead of the axis</span
      ><button class="btn slim" data-test="scale-in">Enter</button>
    </form>
  </div>
</template>

<style scoped>
.looks {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: var(--s6);
  border-bottom: 1px solid var(--rule);
  padding-bottom: var(--s6);
}
.many {
  grid-template-columns: repeat(auto-fill, minmax(98px, 1fr));
}
.many .fig svg {
  width: 62px;
  height: 26px;
}
.many select {
  width: 98px;
  padding-left: var(--s4);
  font-size: var(--t11);
}
.look {
  text-align: center;
  border-bottom: 3px solid transparent;
}
.look.here {
  border-color: var(--rule);
}
.look.wrong {
  border-color: var(--over);
}
.fig {
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.arc {
  fill: none;
  stroke: var(--now);
  stroke-width: 2.2;
}
label {
  display: flex;
  flex-direction: column;
  gap: var(--s2);
  font-size: var(--t11);
  color: var(--quiet);
  align-items: center;
}
html.paper label,
html.paper .quiet {
  color: var(--muted);
}
select.field {
  font-weight: 700;
}
.first {
  border: 1px solid var(--now);
  padding: var(--s2) var(--s8);
  margin: var(--s4) 0 0;
}
label.tick {
  display: block;
  font-size: var(--t13);
  color: var(--ink);
}
html.paper label.tick {
  color: var(--ink);
}
.big {
  font: 600 var(--t24)/1.1 var(--head);
  margin: var(--s6) 0 var(--s1);
}
.then {
  margin: 0 0 var(--s2);
}
.row {
  display: flex;
  gap: var(--s10);
  align-items: baseline;
  flex-wrap: wrap;
  margin: var(--s2) 0;
}
.n {
  width: 54px;
  text-align: right;
}
.slim {
  min-height: 26px;
  padding: var(--s2) var(--s10);
  margin-left: var(--s8);
}
</style>
