<script setup lang="ts">
import { computed, ref, type Ref } from "vue";
import type { Drive, LiveMachine, RigDoc, RigSheet } from "../../api/client";
import { spaced, unit } from "../../stores/axes";
import { useBook } from "../../stores/book";
import { useDraft } from "../../stores/draft";
import AxisScale from "./AxisScale.vue";
import { needNumber } from "../../fields/numbers";

// One axis of the book, to be changed: its gearing, its range and limits, how it is homed.
const props = defineProps<{ sheet: RigSheet; axisId: string; live?: LiveMachine; seen: boolean }>();
const emit = defineEmits<{ close: [] }>();
const book = useBook();
const axis = computed(() => props.sheet.rig.axes.find((a) => a.id === props.axisId)!);
const why = ref(""),
  wrong = ref("");
const ways = [
  "sensor edge",
  "hard stop",
  "both ends",
  "one end",
  "by hand",
  "absolute",
  "witness mark",
];
const drive = computed(() => axis.value.drive);
type Num = [key: string, label: string, unit: string];
const gearing = computed<Num[]>(() => {
  const out: Num[] = [
    ["motor_steps", "motor, steps a turn", ""],
    ["microsteps", "microsteps", ""],
    ["gear_num", "gear, motor turns", ""],
    ["gear_den", "for output turns", ""],
  ];
  if (axis.value.unit === "mm")
    out.push(
      ["teeth", "pulley, teeth", ""],
      ["pitch", "pitch", "mm"],
      ["lead", "or a screw's lead", "mm"],
    );
  out.push(
    ["motor_nm", "motor", "Nm"],
    ["holding_nm", "holds", "Nm"],
    ["rated_w", "rated", "W"],
    ["peak_w", "peak", "W"],
  );
  return out;
});
const limits = computed<Num[]>(() => {
  const u = unit(axis.value);
  return [
    ["hard0", "hard end", u],
    ["hard1", "hard end", u],
    ["min", "soft limit", u],
    ["max", "soft limit", u],
    ["rs", "rated speed", `${u}/s`],
    ["ra", "acceleration", `${u}/s²`],
    ["rj", "jerk", `${u}/s³`],
    ["ws", "working speed", `${u}/s`],
    ["wa", "acceleration", `${u}/s²`],
    ["wj", "jerk", `${u}/s³`],
    ["backlash", "slack", u],
    ["repeatability", "repeats to", u],
  ];
});
const draft = useDraft(() => {
  const a = axis.value,
    d = a.drive;
  const form: Record<string, string | boolean> = Object.fromEntries(
    Object.entries({
      motor_steps: d?.motor_steps,
      microsteps: d?.microsteps,
      gear_num: d?.gear.num,
      gear_den: d?.gear.den,
      teeth: d?.teeth,
      pitch: d?.pitch_um ? d.pitch_um / 1000 : undefined,
      lead: d?.lead_um ? d.lead_um / 1000 : undefined,
      motor_nm: d?.motor_nm,
      holding_nm: d?.holding_nm,
      rated_w: d?.rated_w,
      peak_w: d?.peak_w,
      hard0: a.hard[0],
      hard1: a.hard[1],
      min: a.min,
      max: a.max,
      rs: a.rated.speed,
      ra: a.rated.acceleration,
      rj: a.rated.jerk,
      ws: a.working.speed,
      wa: a.working.acceleration,
      wj: a.working.jerk,
      backlash: a.backlash,
      repeatability: a.repeatability,
    }).map(([k, x]) => [k, x === undefined ? "" : String(x)]),
  );
  return {
    of: `${props.sheet.rig.id} ${props.axisId}`,
    version: props.sheet.rig.version,
    form: {
      ...form,
      reversed: d?.reversed ?? false,
      slips: d?.slips_back ?? false,
      home: a.home as string,
      feedback: a.feedback as string,
    } as Record<string, string | boolean>,
  };
});
const v = draft.f as Ref<Record<string, string>>;
const on = draft.f as Ref<Record<string, unknown>> as Ref<{ reversed: boolean; slips: boolean }>;
// The axis as the texts have it; what has no text of its own stays as it is.
function axisOf(f: Record<string, unknown>): RigDoc["axes"][number] {
  const a = axis.value,
    n: Record<string, number> = {};
  const text = (k: string): string => String(f[k] ?? "").trim();
  for (const [k, l] of [...gearing.value, ...limits.value])
    n[k] = text(k) === "" ? 0 : needNumber(text(k), l);
  const gave = ["motor_steps", "microsteps", "teeth", "pitch", "lead"].some((k) => text(k) !== "");
  const drive = gave
    ? clean({
        ...(a.drive ?? {}),
        motor_steps: n.motor_steps!,
        microsteps: n.microsteps!,
        gear: { num: n.gear_num || 1, den: n.gear_den || 1 },
        teeth: n.teeth,
        pitch_um: Math.round((n.pitch ?? 0) * 1000),
        lead_um: Math.round((n.lead ?? 0) * 1000),
        reversed: f.reversed === true,
        slips_back: f.slips === true,
        motor_nm: n.motor_nm,
        holding_nm: n.holding_nm,
        rated_w: n.rated_w,
        peak_w: n.peak_w,
      } as Drive)
    : undefined;
  return {
    ...a,
    drive,
    hard: [n.hard0!, n.hard1!],
    min: n.min!,
    max: n.max!,
    backlash: n.backlash!,
    repeatability: n.repeatability!,
    home: f.home as typeof a.home,
    feedback: f.feedback as typeof a.feedback,
    rated: { speed: n.rs!, acceleration: n.ra!, jerk: n.rj! },
    working: { speed: n.ws!, acceleration: n.wa!, jerk: n.wj! },
  };
}
async function keep(): Promise<void> {
  wrong.value = "";
  try {
    const made = await draft.keep(
      (f) => ({ axes: [axisOf(f)] }),
      (changes) => book.amend(changes, why.value || `${axis.value.name} changed`),
    );
    if (made === "kept") emit("close");
    else wrong.value = book.said.text;
  } catch (e) {
    wrong.value = (e as Error).message;
  }
}
// What is zero is left out: a belt has no lead.
function clean(d: Drive): Drive {
  for (const k of [
    "teeth",
    "pitch_um",
    "lead_um",
    "motor_nm",
    "holding_nm",
    "rated_w",
    "peak_w",
  ] as const)
    if (!d[k]) delete d[k];
  if (!d.reversed) delete d.reversed;
  if (!d.slips_back) delete d.slips_back;
  return d;
}
async function take(d: Drive, says: string): Promise<void> {
  if (
    (await book.amend(
      [{ at: ["axes", props.axisId, "drive"], is: d, seen: props.sheet.rig.version }],
      `${axis.value.name} scaled by measurement: ${says}`,
    )) === "kept"
  )
    emit("close");
  else wrong.value = book.said.text;
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="860"
    @update:model-value="
      (x: boolean) => {
        if (!x) emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" :aria-label="`${axis.name} of ${sheet.rig.name}`">
      <h2>{{ axis.name }} of {{ sheet.rig.name }}</h2>
      <p class="gear" data-test="gear-words">{{ sheet.gears[axis.id] }}</p>
      <AxisScale
        :rig="sheet.rig.id"
        :axis="axis"
        :live="live"
        :seen="seen"
        :runs="sheet.runs === sheet.rig.version"
        @take="take"
      />
      <form @submit.prevent="keep">
        <fieldset>
          <legend class="cap">Gearing and motor</legend>
          <label v-for="[k, l, u] in gearing" :key="k"
            >{{ l }}
            <input v-model="v[k]" class="field" inputmode="decimal" :data-test="'axis-' + k" />
            {{ u }}</label
          >
          <label
            ><input v-model="on.reversed" type="checkbox" data-test="axis-reversed" /> steps the
            other way</label
          >
          <label><input v-model="on.slips" type="checkbox" /> slips back without power</label>
          <span v-if="drive?.measured" class="quiet"
            >measured: {{ drive.measured.moved }} for {{ drive.measured.asked
            }}{{ spaced(axis) }}</span
          >
        </fieldset>
        <fieldset>
          <legend class="cap">Range and limits</legend>
          <label v-for="[k, l, u] in limits" :key="k"
            >{{ l }}
            <input v-model="v[k]" class="field" inputmode="decimal" :data-test="'axis-' + k" />
            {{ u }}</label
          >
          <label
            >homed by
            <select v-model="v['home']" class="field">
              <option v-for="w in ways" :key="w">{{ w }}</option>
            </select></label
          >
          <label
            >its feedback sees
            <select v-model="v['feedback']" class="field">
              <option>nothing</option>
              <option>motor</option>
              <option>output</option>
            </select></label
          >
        </fieldset>
        <p v-if="wrong" class="over" role="alert" data-test="axis-wrong">{{ wrong }}</p>
        <div class="row">
          <label class="why">why <input v-model="why" class="field" maxlength="200" /></label
          ><button type="button" class="btn" @click="emit('close')">Leave it</button
          ><button type="submit" class="btn lead" data-test="axis-keep">
            Write version {{ sheet.rig.version + 1 }}
          </button>
        </div>
      </form>
    </section>
  </v-dialog>
</template>

<style scoped>
h2 {
  font-size: var(--t24);
}
.gear {
  margin: var(--s2) 0 var(--s8);
}
fieldset {
  border: 0;
  border-top: 1px solid var(--rule);
  padding: var(--s6) 0;
  margin: 0;
  display: grid;
  grid-template-columns: repeat(4, auto);
  gap: var(--s4) var(--s14);
  font-size: var(--t13);
  justify-content: start;
}
legend {
  padding-right: var(--s10);
}
label {
  display: flex;
  gap: var(--s4);
  align-items: center;
  justify-content: flex-end;
  white-space: nowrap;
}
label .field {
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
fieldset input.field {
  width: 58px;
  text-align: right;
}
.row {
  display: flex;
  gap: var(--s12);
  align-items: center;
  justify-content: flex-end;
  margin-top: var(--s8);
}
.why {
  flex: 1;
}
.why .field {
  flex: 1;
  min-height: 28px;
}
p {
  margin: var(--s4) 0;
}
@media (max-width: 900px) {
  fieldset {
    grid-template-columns: repeat(2, auto);
  }
}
</style>
