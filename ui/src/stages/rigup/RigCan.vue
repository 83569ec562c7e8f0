<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import { api, sentence, type Answer, type RigSheet, type Wish } from "../../api/client";
import { useBench } from "../../stores/bench";
import { readNumber } from "../../fields/numbers";

// Can this rig do it? Asked before anything is hired, answered wish by wish.
const props = defineProps<{ sheet: RigSheet }>();
type Field =
  | "low_m"
  | "high_m"
  | "reach_m"
  | "travel_m"
  | "payload_kg"
  | "speed_mps"
  | "pan_dps"
  | "tilt_deg"
  | "roll_deg"
  | "front_m"
  | "body_m";
const fields: [Field, string, string][] = [
  ["low_m", "down to", "m"],
  ["high_m", "up to", "m"],
  ["reach_m", "reach", "m"],
  ["travel_m", "travel", "m"],
  ["payload_kg", "carries", "kg"],
  ["speed_mps", "camera at", "m/s"],
  ["pan_dps", "pans at", "°/s"],
  ["tilt_deg", "tilts down", "°"],
  ["roll_deg", "rolls", "°"],
  ["front_m", "lens ahead", "m"],
  ["body_m", "body across", "m"],
];
const flags: ["sound" | "holds_off" | "repeats", string][] = [
  ["sound", "sound is recorded"],
  ["holds_off", "stays put without power"],
  ["repeats", "repeats, at other speeds"],
];
const mountings = ["level", "sloped", "upright", "upside down"] as const;
const typed = ref<Partial<Record<Field, string>>>({});
const flag = ref<Record<string, boolean>>({});
const mounting = ref<(typeof mountings)[number]>("level");
// The package that it is to carry: its weight is asked, and its lens looked through.
const bench = useBench();
const pack = ref("");
onMounted(() => bench.list());
const answers = ref<Answer[]>([]);
const trouble = ref("");
const wish = computed<Wish | string>(() => {
  const w: Wish = {};
  for (const [f, name] of fields) {
    const t = typed.value[f]?.trim();
    if (!t) continue;
    const v = readNumber(t);
    if (Number.isNaN(v)) return `“${name}” is not a number.`;
    w[f] = v;
  }
  for (const [f] of flags) if (flag.value[f]) w[f] = true;
  if (w.payload_kg !== undefined || pack.value) w.mounting = mounting.value;
  return w;
});
let turn = 0;
watch([wish, pack, () => props.sheet.rig.id, () => props.sheet.rig.version], async () => {
  const mine = ++turn;
  trouble.value = typeof wish.value === "string" ? wish.value : "";
  if (typeof wish.value === "string" || Object.keys(wish.value).length === 0) {
    answers.value = [];
    return;
  }
  const r = await api
    .POST("/api/rigs/{id}/can", {
      params: { path: { id: props.sheet.rig.id }, query: { package: pack.value || undefined } },
      body: wish.value,
    })
    .catch(() => ({ data: undefined, error: undefined }));
  if (mine !== turn) return;
  if (r.data) answers.value = r.data;
  else trouble.value = sentence(r.error);
});
const no = computed(() => answers.value.filter((a) => a.word === "no"));
const unknown = computed(() => answers.value.filter((a) => a.word === "cannot say"));
const big = computed(() => {
  const e = props.sheet.extent;
  if (answers.value.length === 0) {
    if (!e) return "It carries no camera.";
    const low = e.low_m < 0.005 ? "the floor" : e.low_m.toFixed(2);
    const along = e.travel_m > 0 ? ` along ${e.travel_m.toFixed(2)} m` : "";
    const far = e.reach_m > 0.2 ? ` and reaches ${e.reach_m.toFixed(2)} m` : along;
    return `Its camera gets from ${low} to ${e.high_m.toFixed(2)} m${far}.`;
  }
  if (no.value.length)
    return `No: ${no.value.length === 1 ? "one thing" : `${no.value.length} things`} it cannot do.`;
  return unknown.value.length ? "Perhaps: not all of it is written down." : "Yes, it can.";
});
</script>

<template>
  <section class="box can" aria-labelledby="can-title">
    <h2 id="can-title" class="cap">Can {{ sheet.rig.name }} do it?</h2>
    <p class="big" :class="{ now: no.length > 0 }" role="status" data-test="can">{{ big }}</p>
    <div class="fields">
      <label v-for="[f, name, u] in fields" :key="f"
        >{{ name }}
        <input
          v-model="typed[f]"
          class="field"
          inputmode="decimal"
          :data-test="'wish-' + f"
          :aria-label="`${name}, ${u}`"
        />
        {{ u }}</label
      >
      <label v-if="bench.packages.length" class="wide"
        >with
        <select v-model="pack" class="field" data-test="wish-package" aria-label="Camera package">
          <option value="">no package</option>
          <option v-for="p in bench.packages" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select></label
      >
      <label
        >mounted
        <select v-model="mounting" class="field">
          <option v-for="m in mountings" :key="m">{{ m }}</option>
        </select></label
      >
    </div>
    <div class="flags">
      <label v-for="[f, name] in flags" :key="f"
        ><input v-model="flag[f]" type="checkbox" :data-test="'wish-' + f" /> {{ name }}</label
      >
    </div>
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <ul v-if="answers.length" data-test="answers">
      <li v-for="a in answers" :key="a.wish">
        <b :class="{ good: a.word === 'yes', now: a.word !== 'yes' }"
          >{{ a.word === "yes" ? "✓" : a.word === "no" ? "✕" : "?" }} {{ a.wish }}</b
        >
        {{ a.says }}
      </li>
    </ul>
    <p v-else class="quiet">
      Say what the job asks for: only that is answered, each with what limits it. Ratings are the
      maker's; what a place and a grip allow is for those who answer for them.
    </p>
  </section>
</template>

<style scoped>
.can {
  padding: var(--s10) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s6);
}
.big {
  font: 600 var(--t24)/1.1 var(--head);
  margin: 0;
}
.fields {
  display: grid;
  grid-template-columns: repeat(3, auto);
  gap: var(--s2) var(--s14);
  font-size: var(--t13);
  justify-content: start;
}
.fields label {
  white-space: nowrap;
  display: flex;
  gap: var(--s4);
  align-items: center;
  justify-content: flex-end;
}
.fields input {
  width: 40px;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
.fields select {
  min-height: 22px;
  padding: var(--s1) var(--s2);
}
.wide {
  grid-column: span 2;
}
.wide select {
  max-width: 190px;
}
.flags {
  display: flex;
  gap: 0 var(--s14);
  font-size: var(--t13);
  flex-wrap: wrap;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: var(--s2);
}
p {
  margin: 0;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
