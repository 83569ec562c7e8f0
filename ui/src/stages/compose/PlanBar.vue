<script setup lang="ts">
import { mdiRedo, mdiUndo } from "@mdi/js";
import { computed, ref } from "vue";
import { api, sentence, type Edit } from "../../api/client";
import CurveBar from "./CurveBar.vue";
import EndsBar from "./EndsBar.vue";
import { useScore, type Timing } from "../../stores/score";
import { useNudge } from "../../stores/nudge";
import { useOutbox } from "../../stores/outbox";
import { useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";
import { answered } from "../../fields/typed";
import FieldInput from "../../fields/FieldInput.vue";

const shot = useShot();
const outbox = useOutbox();
const nudge = useNudge();
const onKey = computed(() => shot.axes.some((a) => shot.keyAt(a.id, shot.frame)));
const emit = defineEmits<{ whole: [] }>();
const score = useScore();
const timings: Record<Timing, string> = {
  frames: "keyframes",
  legs: "travel times",
  ends: "one move",
};
const file = ref<HTMLInputElement | null>(null);
const factor = computed(() => shot.view?.clock ?? "1");

const set = (e: Edit, said: string): void => void shot.edit(e, said);
const usual = [
  "24/1",
  "25/1",
  "30/1",
  "24000/1001",
  "30000/1001",
  "48/1",
  "50/1",
  "60000/1001",
  "60/1",
  "12/1",
];
const rate = computed(() => {
  const r = shot.view?.path.rate;
  return r ? `${r.num}/${r.den}` : "24/1";
});
const rates = computed(() => (usual.includes(rate.value) ? usual : [rate.value, ...usual]));
function rateName(r: string): string {
  const [n = 24, d = 1] = r.split("/").map(Number);
  return `${+(n / d).toFixed(3)} fps`;
}
function setRate(e: Event): void {
  const [num = 24, den = 1] = (e.target as HTMLSelectElement).value.split("/").map(Number);
  set({ op: "rate", rate: { num, den } }, "Rate changed.");
}
function setFactor(e: Event): void {
  const box = e.target as HTMLInputElement,
    gave = box.value;
  if (gave.trim() === factor.value && outbox.count === 0) return; // none is on its way, either
  void shot
    .edit({ op: "factor", clock: gave.trim() || "0" }, "Clock changed.")
    .then(() => answered(box, gave, factor.value));
}
// Run-up and run-out: where the move begins or ends with speed, or has them.
const runs = computed(() => {
  const v = shot.view;
  if (!v || v.empty) return false;
  return (
    v.path.run_up > 0 ||
    v.path.run_out > 0 ||
    v.analysis.report.axes.some((a) =>
      a.jumps.some((j) => j.order === 1 && (j.at === v.first || j.at === v.last)),
    )
  );
});
let asked: { run_up?: number; run_out?: number } = {}; // asked for and not back yet
async function setRun(e: Event, which: "run_up" | "run_out"): Promise<void> {
  const box = e.target as HTMLInputElement,
    p = shot.view?.path,
    gave = box.value;
  if (!p) return;
  const n = readNumber(gave);
  if (!Number.isInteger(n)) shot.trouble = `“${gave}” is not a whole number of frames.`;
  else {
    const mine = (asked = { ...asked, [which]: n });
    await shot.edit(
      { op: "run", run_up: p.run_up, run_out: p.run_out, ...mine },
      "Run-up and run-out changed.",
    );
    if (asked === mine) asked = {};
  }
  answered(box, gave, String(shot.view?.path[which] ?? 0));
}
async function fit(quiet: boolean): Promise<void> {
  const was = shot.view?.revision;
  const r = await api.GET("/api/shots/{id}/runs", { params: { path: { id: shot.id } } });
  if (!r.data) {
    shot.trouble = sentence(r.error);
    return;
  }
  if (shot.view?.revision !== was || shot.saving > 0) {
    // what was found is for the move as it was
    shot.trouble = "The move was changed while its runs were worked out. Press again.";
    return;
  }
  const out = quiet && r.data.quiet ? r.data.quiet.frames : r.data.run_out;
  const left = r.data.quiet
    ? `; ${(quiet ? r.data.quiet.px : r.data.quiet.least_px).toFixed(2)} px of sway are left`
    : "";
  await shot.edit(
    { op: "run", run_up: r.data.run_up, run_out: out },
    `Run-up ${r.data.run_up}, run-out ${out} frames${left}.`,
  );
}
async function pick(): Promise<void> {
  const f = file.value?.files?.[0];
  if (f) await shot.upload(f);
  if (file.value) file.value.value = "";
}
</script>

<template>
  <div v-if="shot.view" class="bar small">
    <div class="set">
      <label
        >time by
        <select v-model="score.timing" class="field" data-test="timing">
          <option v-for="(t, k) in timings" :key="k" :value="k">{{ t }}</option>
        </select></label
      >
      <EndsBar v-if="score.timing === 'ends'" />
      <CurveBar v-else />
      <label
        ><select
          class="field"
          data-test="rate"
          aria-label="Rate"
          title="the rate of the shot"
          :value="rate"
          @change="setRate"
        >
          <option v-for="r in rates" :key="r" :value="r">{{ rateName(r) }}</option>
        </select></label
      >
      <label
        >clock ×
        <FieldInput
          class="field num"
          data-test="factor"
          :value="factor"
          title="a factor, as 1, 0.5 or 1/3, or frames per second, as 8 fps"
          @change="setFactor"
          @keydown.enter="($event.target as HTMLInputElement).blur()"
      /></label>
      <span v-if="runs" class="runs"
        >run-up
        <FieldInput
          class="field short"
          inputmode="numeric"
          data-test="run-up"
          aria-label="Run-up in frames"
          :value="shot.view.path.run_up"
          @change="(e: Event) => setRun(e, 'run_up')"
        />
        run-out
        <FieldInput
          class="field short"
          inputmode="numeric"
          data-test="run-out"
          aria-label="Run-out in frames"
          :value="shot.view.path.run_out"
          @change="(e: Event) => setRun(e, 'run_out')"
        />
        <button
          class="btn slim"
          data-test="run-fit"
          title="the least in which every axis gathers and loses its speed within its limits"
          @click="fit(false)"
        >
          from limits
        </button>
        <button
          class="btn slim"
          data-test="run-quiet"
          title="a run-out after which the picture hardly sways"
          @click="fit(true)"
        >
          quiet
        </button></span
      >
    </div>
    <div class="do">
      <button
        class="btn slim"
        data-test="take-out"
        :disabled="!onKey"
        title="take the keyframe out, on all axes  Delete"
        @click="nudge.remove(false)"
      >
        take out
      </button>
      <button
        class="btn slim"
        data-test="undo"
        :disabled="!shot.view.can_undo && shot.tried.length === 0 && outbox.count === 0"
        aria-label="take back"
        title="take back  Ctrl+Z"
        @click="shot.undo()"
      >
        <svg viewBox="0 0 24 24"><path :d="mdiUndo" /></svg>
      </button>
      <button
        class="btn slim"
        data-test="redo"
        :disabled="!shot.view.can_redo"
        aria-label="do again"
        title="do again  Ctrl+Shift+Z"
        @click="shot.redo()"
      >
        <svg viewBox="0 0 24 24"><path :d="mdiRedo" /></svg>
      </button>
      <input
        ref="file"
        type="file"
        accept=".csv,text/csv,text/plain"
        class="hide"
        data-test="file"
        aria-label="Keyframes from a CSV file"
        @change="pick"
      />
      <button class="btn slim" title="keyframes from a CSV file" @click="file?.click()">CSV</button>
      <button class="btn slim" data-test="whole" :disabled="shot.view.empty" @click="emit('whole')">
        whole move …
      </button>
      <button
        class="btn slim lead"
        data-test="seal"
        :disabled="shot.view.empty || shot.view.sealed_as_is"
        @click="shot.seal()"
      >
        {{ shot.view.sealed_as_is ? "sealed" : "seal" }}<kbd v-if="!shot.view.sealed_as_is">S</kbd>
      </button>
    </div>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s2) var(--s6);
  align-items: center;
  white-space: nowrap;
  padding: var(--s4) var(--s12) var(--s4);
  border-bottom: 1px solid var(--rule);
}
.set {
  display: contents;
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s2) var(--s6);
  align-items: center;
  margin-left: auto;
}
.field {
  font-size: var(--t13);
  min-height: 24px;
  margin-left: var(--s2);
}
.num {
  width: 40px;
}
.short {
  width: 38px;
}
.do svg {
  width: 17px;
  height: 17px;
  fill: currentColor;
}
.runs .btn {
  margin-left: var(--s6);
}
.hide {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
  pointer-events: none;
}
.lead kbd {
  border-color: var(--sheet);
}
@media (max-width: 700px) {
  .do {
    margin-left: 0;
  }
}
</style>
