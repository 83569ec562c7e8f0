<script setup lang="ts">
import { computed, ref } from "vue";
import {
  api,
  sentence,
  type Axis,
  type Drive,
  type LiveMachine,
  type Measurement,
} from "../../api/client";
import { spaced } from "../../stores/axes";

// Scale by measurement: a long way that was commanded, against a tape. On a machine that
// is there, its counter tells what was commanded; a stand-in's tape is read for you.
const props = defineProps<{
  rig: string;
  axis: Axis;
  live?: LiveMachine;
  seen: boolean;
  runs: boolean;
}>();
const emit = defineEmits<{ take: [drive: Drive, says: string] }>();
const asked = ref(""),
  moved = ref(""),
  said = ref("");
const from = ref<{ at: number; tape?: number } | null>(null);
const m = ref<Measurement | null>(null);
const here = computed(() => (props.seen ? props.live?.state.axes[props.axis.id]?.pos : undefined));
async function tape(): Promise<number | undefined> {
  if (!props.live?.stand_in) return undefined;
  const r = await api
    .GET("/api/machines/{id}/marks", { params: { path: { id: props.rig } } })
    .catch(() => undefined);
  return r?.data?.[props.axis.id];
}
async function mark(): Promise<void> {
  if (here.value === undefined) return;
  from.value = { at: here.value, tape: await tape() };
  said.value =
    `From ${from.value.at.toFixed(2)}. Jog it a long way on Line up, or go to a frame, ` +
    "then come back here and press “to here”.";
  sessionStorage.setItem(key(), JSON.stringify(from.value));
}
const key = (): string => `keenarc.tape.${props.rig}.${props.axis.id}`;
const kept = sessionStorage.getItem(key());
if (kept) from.value = JSON.parse(kept) as { at: number; tape?: number };
async function to(): Promise<void> {
  const f = from.value;
  if (!f || here.value === undefined) return;
  asked.value = (here.value - f.at).toFixed(3);
  const t = await tape();
  if (t !== undefined && f.tape !== undefined) {
    moved.value = (t - f.tape).toFixed(2);
    said.value = "The stand-in's tape is read to a hundredth.";
  } else said.value = "Now type what the tape says.";
}
async function work(): Promise<void> {
  const [a, b] = [asked.value, moved.value].map((t) => Number(t.trim().replace(",", ".")));
  if (!asked.value.trim() || !moved.value.trim() || !Number.isFinite(a) || !Number.isFinite(b)) {
    said.value = "Give both: what was asked for, and what it moved.";
    return;
  }
  const r = await api.POST("/api/rigs/{id}/measure", {
    params: { path: { id: props.rig } },
    body: { axis: props.axis.id, asked: a!, moved: b! },
  });
  m.value = r.data ?? null;
  said.value = r.error ? sentence(r.error) : "";
}
</script>

<template>
  <div class="scale">
    <h3 class="cap">Scale by measurement</h3>
    <div class="line">
      <template v-if="here !== undefined"
        ><button class="btn slim" type="button" data-test="tape-from" @click="mark">
          from here</button
        ><button class="btn slim" type="button" data-test="tape-to" :disabled="!from" @click="to">
          to here
        </button></template
      >
      <label
        >asked for
        <input v-model="asked" class="field" inputmode="decimal" data-test="tape-asked" />{{
          spaced(axis)
        }}</label
      >
      <label
        >it moved
        <input v-model="moved" class="field" inputmode="decimal" data-test="tape-moved" />{{
          spaced(axis)
        }}</label
      >
      <button class="btn slim" type="button" data-test="tape-work" @click="work">
        what does that say?
      </button>
    </div>
    <p v-if="seen && !runs" class="now">
      The machine runs another version than the book's newest. Give it that one first: a measurement
      of the old scale says nothing of the new.
    </p>
    <p v-if="m" data-test="tape-says">
      <b>{{ m.says }}</b> {{ m.stated.toPrecision(6) }} steps were taken for a unit, it has
      {{ m.measured.toPrecision(6) }}.
    </p>
    <div v-if="m" class="line">
      <template v-for="s in m.suspects" :key="s.says"
        ><button
          v-if="s.drive"
          class="btn slim"
          type="button"
          data-test="take-suspect"
          @click="emit('take', s.drive, s.says)"
        >
          it is: {{ s.says }}
        </button></template
      >
      <button
        v-if="m.drive"
        class="btn slim"
        type="button"
        data-test="take-measured"
        @click="emit('take', m.drive, `${moved} for ${asked}`)"
      >
        take the measured scale
      </button>
    </div>
    <p v-if="said" class="quiet" role="status">{{ said }}</p>
  </div>
</template>

<style scoped>
.scale {
  border-top: 1px solid var(--rule);
  padding: var(--s6) 0;
}
.line {
  display: flex;
  gap: var(--s10);
  align-items: center;
  flex-wrap: wrap;
  font-size: var(--t13);
}
.field {
  width: 76px;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
p {
  margin: var(--s4) 0;
}
h3 {
  font-size: var(--t13);
}
</style>
