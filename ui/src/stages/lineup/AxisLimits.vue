<script setup lang="ts">
import { computed } from "vue";
import { api, sentence, type Axis, type MachineState } from "../../api/client";
import { places, spaced } from "../../stores/axes";
import { useAsk } from "../../stores/ask";

// The day's limits of one axis: typed, or taught by driving there.
export interface Typed {
  low: string;
  high: string;
  speed: string;
  acceleration: string;
  zero: string;
}
const props = defineProps<{
  machine: string;
  along: number[];
  axis: Axis;
  state?: MachineState;
  busy: boolean;
  homed: boolean;
  changed: boolean;
  said: { text: string; tone: string };
}>();
const typed = defineModel<Typed>({ required: true });
defineEmits<{ keep: [] }>();
const ask = useAsk();
const here = computed(() => props.state?.axes[props.axis.id]?.pos);
const off = computed(() => (props.state?.axes[props.axis.id]?.suspended_ms ?? 0) > 0);
function teach(end: "low" | "high"): void {
  if (here.value !== undefined)
    typed.value = { ...typed.value, [end]: here.value.toFixed(places(props.axis)) };
}
// The plan's zero is laid where it stands, over home; or so that it looks along its rail.
function zero(value = 0): void {
  if (here.value !== undefined)
    typed.value = {
      ...typed.value,
      zero: String(+((props.state?.axes[props.axis.id]?.asked ?? here.value) - value).toFixed(3)),
    };
}
const forHowLong = 30;
function suspend(): void {
  const a = props.axis;
  ask.ask({
    title: `Let ${a.name} past its soft limits for ${forHowLong} seconds?`,
    yes: `Off for ${forHowLong} s`,
    text:
      `Only its hard ends, ${a.hard[0]} and ${a.hard[1]}${spaced(a)}, stop it then. It can ` +
      "be jogged, slowly; nothing rolls or goes anywhere. The limits come back on by " +
      "themselves. Nobody in the moving zone.",
    act: async () => {
      const r = await api.POST("/api/machines/{id}/suspend", {
        params: { path: { id: props.machine } },
        body: { axis: a.id, seconds: forHowLong },
      });
      return r.error ? sentence(r.error) : "";
    },
  });
}
</script>

<template>
  <h3 class="cap">Limits of the day</h3>
  <div class="limits">
    <label
      >soft
      <input
        v-model="typed.low"
        class="field"
        inputmode="decimal"
        :data-test="`low-${axis.id}`"
        :aria-label="`${axis.name}: lower soft limit`"
    /></label>
    <button
      class="btn slim"
      data-test="teach-low"
      :disabled="!homed"
      :title="`the lower limit is where ${axis.name} stands`"
      @click="teach('low')"
    >
      from here
    </button>
    <label
      >to
      <input
        v-model="typed.high"
        class="field"
        inputmode="decimal"
        :data-test="`high-${axis.id}`"
        :aria-label="`${axis.name}: upper soft limit`"
      />{{ spaced(axis) }}</label
    >
    <button
      class="btn slim"
      data-test="teach-high"
      :disabled="!homed"
      :title="`the upper limit is where ${axis.name} stands`"
      @click="teach('high')"
    >
      up to here
    </button>
    <label
      >at most
      <input
        v-model="typed.speed"
        class="field"
        inputmode="decimal"
        :aria-label="`${axis.name}: working speed`"
      />{{ spaced(axis) }}/s</label
    >
    <label
      >and
      <input
        v-model="typed.acceleration"
        class="field"
        inputmode="decimal"
        :aria-label="`${axis.name}: working acceleration`"
      />{{ spaced(axis) }}/s²</label
    >
  </div>
  <div class="line zero">
    <label
      >plan's 0 at
      <input
        v-model="typed.zero"
        class="field"
        inputmode="decimal"
        data-test="zero"
        :aria-label="`${axis.name}: the plan's zero`"
      />{{ spaced(axis) }}</label
    >
    <button
      class="btn slim"
      data-test="zero-here"
      :disabled="!homed"
      title="laid over home, never instead of it"
      @click="zero()"
    >
      zero here
    </button>
    <button
      v-for="(v, i) in along"
      :key="v"
      class="btn slim"
      :data-test="'along-' + i"
      :disabled="!homed"
      title="sight along the rail, then press"
      @click="zero(v)"
    >
      {{ i === 0 ? "sees up rail" : "sees down rail" }}
    </button>
  </div>
  <div class="line">
    <button class="btn slim" data-test="keep-line-up" :disabled="!changed" @click="$emit('keep')">
      Keep as today's line-up
    </button>
    <button class="btn slim" data-test="suspend" :disabled="busy || !homed || off" @click="suspend">
      past them for {{ forHowLong }} s
    </button>
  </div>
  <p v-if="said.text" :class="said.tone" role="status" data-test="line-up-said">{{ said.text }}</p>
</template>

<style scoped>
h3 {
  font-size: var(--t13);
  margin-top: var(--s4);
}
.limits {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--s4) var(--s8);
  font-size: var(--t13);
  align-items: center;
}
.limits label,
.zero label {
  white-space: nowrap;
  font-size: var(--t13);
}
.zero {
  gap: var(--s6);
  align-items: center;
}
.zero .btn {
  min-height: 22px;
  padding: var(--s1) var(--s6);
  font-size: var(--t13);
}
.zero .field {
  width: 54px;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
.limits .btn {
  justify-self: start;
  min-height: 22px;
  padding: var(--s1) var(--s6);
  font-size: var(--t13);
}
.limits .field {
  width: 54px;
  text-align: right;
  min-height: 22px;
  padding: var(--s1) var(--s4);
}
.line {
  display: flex;
  gap: var(--s8);
  flex-wrap: wrap;
}
p {
  margin: 0;
}
</style>
