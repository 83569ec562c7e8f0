<script setup lang="ts">
import { computed } from "vue";
import type { BenchView, LiveMachine, Settled } from "../../api/client";
import { useBench } from "../../stores/bench";
import FieldInput from "../../fields/FieldInput.vue";
import { readNumber } from "../../fields/numbers";

// What it would do if it were left like this, what is still to be looked after before it
// rolls, and what readiness says.
const props = defineProps<{ view: BenchView; live?: LiveMachine; seen: boolean }>();
const bench = useBench();
const r = computed(() => props.view.record);
const s = computed(() => props.view.sheet);
type Checks = Settled["checks"];
const checks: [keyof Checks, string][] = [
  ["all_on", "all that will hang on it is on it"],
  ["line", "safety line on"],
  ["clear", "nothing dangles before the lens"],
  ["engaged", "gear engaged again"],
  ["tight", "plate and knobs tight"],
  ["pins_out", "pins out"],
];
const tick = (k: keyof Checks, on: boolean): void =>
  void bench.check(k, on, on ? "Looked after." : "Open again.");
// What was homed before the gear was engaged again is not homed any more.
const homed = computed(
  () =>
    props.seen &&
    props.live?.state.axes[props.view.head?.axis ?? ""]?.homed === true &&
    (!r.value.engaged_at || props.view.homed_since === true),
);
const enough = computed(() => s.value.arc?.enough === true);
function number(e: Event, k: "creep_deg_h" | "droop_share", by = 1): void {
  const f = e.target as HTMLInputElement,
    t = f.value.trim();
  const n = readNumber(t);
  if (t && Number.isNaN(n)) {
    bench.said = { text: "Give a number, or nothing.", tone: "over" };
    return;
  }
  void bench.keep({ [k]: t ? n / by : undefined });
}
</script>

<template>
  <section class="box checks">
    <h2 class="cap">If it is left like this</h2>
    <p v-for="t in s.alone" :key="t" class="alone">{{ t }}</p>
    <p class="small row">
      <label
        >creep
        <FieldInput
          class="field n"
          :value="r.creep_deg_h ?? ''"
          inputmode="decimal"
          data-test="creep"
          @change="number($event, 'creep_deg_h')"
        />
        ° an hour</label
      >
      <label
        >the drive droops
        <FieldInput
          class="field n"
          :value="r.droop_share === undefined ? '' : +(r.droop_share * 100).toPrecision(4)"
          inputmode="decimal"
          data-test="droop"
          @change="number($event, 'droop_share', 100)"
        />
        % at full torque</label
      >
    </p>
    <h2 class="cap">Before it rolls</h2>
    <ul>
      <li v-for="[k, t] in checks" :key="k">
        <label
          ><input
            type="checkbox"
            :checked="r.checks[k]"
            :data-test="'check-' + k"
            @change="tick(k, ($event.target as HTMLInputElement).checked)"
          />
          {{ t }}</label
        >
      </li>
      <li :class="{ quiet: !homed }">{{ homed ? "✓" : "·" }} homed since its gear was engaged</li>
    </ul>
    <p v-if="!s.weight?.next.done && enough">
      <label
        ><input
          type="checkbox"
          :checked="r.by_margin ?? false"
          :disabled="!enough"
          data-test="by-margin"
          @change="bench.keep({ by_margin: ($event.target as HTMLInputElement).checked })"
        />
        accepted as it is, and never freed: the motor has {{ s.arc?.times }} what may pull at
        it</label
      >
    </p>
    <p :class="s.verdict.ok ? 'good' : 'now'" role="status" data-test="bench-verdict">
      <b
        >{{ s.verdict.ok ? "✓ " : ""
        }}{{ s.verdict.says.charAt(0).toUpperCase() + s.verdict.says.slice(1) }}</b
      >
    </p>
    <p v-if="s.verdict.on" class="quiet small" data-test="verdict-on">{{ s.verdict.on }}</p>
    <p v-if="s.guiding" class="quiet small">{{ s.guiding }}</p>
    <p class="now">One hand on the camera whenever the gear is free.</p>
  </section>
</template>

<style scoped>
.checks {
  padding: var(--s6) var(--s16);
}
p {
  margin: var(--s2) 0;
}
.alone {
  font-size: var(--t11);
}
.row {
  display: flex;
  gap: var(--s14);
  flex-wrap: wrap;
}
.n {
  width: 50px;
  text-align: right;
  min-height: 22px;
}
ul {
  list-style: none;
  margin: var(--s2) 0;
  padding: 0;
  display: grid;
  grid-template-columns: 1.35fr 1fr;
  gap: 0 var(--s10);
  font-size: var(--t11);
}
h2:not(:first-child) {
  margin-top: var(--s6);
}
html.paper .quiet {
  color: var(--muted);
}
</style>
