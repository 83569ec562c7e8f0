<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from "vue";
import {
  api,
  sentence,
  type Axis,
  type AxisHomings,
  type MachineState,
  type MachineView,
} from "../../api/client";
import WitnessMarks from "../../drawing/WitnessMarks.vue";
import { useMoves } from "../../shell/moves";
import { useShot } from "../../stores/shot";

// How one axis is homed, in every way that it can be, and how well that repeats.
const props = defineProps<{
  machine: MachineView;
  axis: Axis;
  state?: MachineState;
  busy: boolean;
  standIn: boolean;
  homings?: AxisHomings;
}>();
const emit = defineEmits<{ soft: [range: [number, number]] }>();
const moves = useMoves();
const shot = useShot();
const ways = computed(() => props.machine.ways[props.axis.id] ?? []);
const picked = ref("");
watch(
  () => props.axis.id,
  () => {
    picked.value = "";
    said.value = "";
  },
);
const way = computed(() => ways.value.find((w) => w.way === picked.value) ?? ways.value[0]);
const own = computed(() => way.value?.way === ways.value[0]?.way);
const waits = computed(() => props.state?.axes[props.axis.id]?.waits ?? "");
const said = ref("");
// All that stand at their check pose are confirmed with one look round.
const checks = computed(() =>
  props.machine.rig.axes.filter((a) => props.state?.axes[a.id]?.waits === "check pose"),
);
async function confirm(
  what: "check pose" | "witness mark" | "low end" | "high end",
  axes = [props.axis.id],
): Promise<void> {
  const r = await api.POST("/api/machines/{id}/confirm", {
    params: { path: { id: props.machine.rig.id } },
    body: { shot: shot.id || undefined, axes, what },
  });
  said.value = r.error ? sentence(r.error) : r.data.said;
  if (!r.error && what === "high end") {
    const high = props.state?.axes[props.axis.id]?.pos;
    if (high !== undefined)
      emit("soft", [props.axis.min, Math.min(high, props.axis.hard[1] ?? high)]);
  }
}
function home(times = 1): void {
  const w = way.value?.way;
  if (w === "by hand" || w === "witness mark") return;
  moves.home(
    props.machine.rig.id,
    [props.axis],
    times,
    own.value ? undefined : (w as Parameters<typeof moves.home>[3]),
    way.value?.says,
  );
}
// The marks are looked at while somebody has to.
const apart = ref<number>();
const looks = computed(
  () => props.standIn && (way.value?.way === "absolute" || way.value?.way === "witness mark"),
);
let timer = 0;
async function look(): Promise<void> {
  window.clearTimeout(timer);
  if (!looks.value) {
    apart.value = undefined;
    return;
  }
  const r = await api
    .GET("/api/machines/{id}/marks", { params: { path: { id: props.machine.rig.id } } })
    .catch(() => undefined);
  apart.value = r?.data?.[props.axis.id];
  timer = window.setTimeout(() => void look(), 300);
}
watch([looks, () => props.axis.id], () => void look(), { immediate: true });
onBeforeUnmount(() => window.clearTimeout(timer));
const learnt = computed(() => {
  const h = props.homings,
    a = props.axis;
  if (!h?.learnt) return "";
  const off = h.learnt - ((a.hard[1] ?? 0) - (a.hard[0] ?? 0));
  const apart = `Its ends are ${h.learnt.toFixed(2)} apart`;
  if (Math.abs(off) < 0.005 * h.learnt) return `${apart}, as described.`;
  return (
    `${apart}, ${Math.abs(off).toFixed(2)} ${off > 0 ? "more" : "less"} than described: ` +
    "look at its scale, and at what stands in its way."
  );
});
</script>

<template>
  <h3 class="cap">
    Home
    <select
      v-model="picked"
      class="field"
      data-test="way"
      :aria-label="`How ${axis.name} is homed`"
    >
      <option v-for="(w, i) in ways" :key="w.way" :value="i === 0 ? '' : w.way">
        {{ w.way }}{{ i === 0 ? " (its own)" : "" }}
      </option>
    </select>
  </h3>
  <p>{{ way?.says }}</p>
  <WitnessMarks v-if="looks" :axis="axis" :apart="apart" />
  <div class="line">
    <button
      v-if="checks.length"
      class="btn lead"
      data-test="confirm-check"
      :disabled="busy"
      @click="
        confirm(
          'check pose',
          checks.map((a) => a.id),
        )
      "
    >
      {{
        checks.length === 1
          ? `The marks of ${checks[0]!.name} meet`
          : `All ${checks.length} pairs of marks meet`
      }}
    </button>
    <button
      class="btn slim"
      :class="{ lead: !checks.length }"
      data-test="home"
      :disabled="busy"
      @click="moves.home(machine.rig.id)"
    >
      Home all <kbd>H</kbd>
    </button>
    <template v-if="way?.way === 'witness mark'"
      ><button
        class="btn slim"
        data-test="confirm-mark"
        :disabled="busy"
        @click="confirm('witness mark')"
      >
        the marks meet
      </button></template
    >
    <template v-else-if="way?.way === 'by hand'">
      <button class="btn slim" data-test="confirm-low" :disabled="busy" @click="confirm('low end')">
        this is its low end
      </button>
      <button
        class="btn slim"
        data-test="confirm-high"
        :disabled="busy || waits !== 'high end'"
        @click="confirm('high end')"
      >
        and this its high end
      </button>
    </template>
    <template v-else>
      <button class="btn slim" data-test="home-one" :disabled="busy" @click="home()">
        home {{ axis.name }}
      </button>
      <button
        v-if="way?.alone"
        class="btn slim"
        data-test="home-ten"
        :disabled="busy"
        title="to see how well it repeats"
        @click="home(10)"
      >
        ten times
      </button>
    </template>
    <slot />
  </div>
  <p v-if="state?.axes[axis.id]?.trouble" class="over" role="alert" data-test="home-trouble">
    {{ axis.name }}: {{ state.axes[axis.id]?.trouble }}.
  </p>
  <p v-if="said" role="status" data-test="home-said">{{ said }}</p>
  <h3 class="cap">How well it repeats</h3>
  <p :class="{ now: homings?.repeat.walks }" data-test="repeats">
    {{ homings?.says ?? "Never homed since it was switched on." }} {{ learnt }}
  </p>
</template>

<style scoped>
h3 .field {
  margin-left: var(--s8);
  min-height: 22px;
  padding: var(--s1) var(--s4);
  text-transform: none;
  letter-spacing: 0;
}
.line {
  display: flex;
  gap: var(--s8);
  flex-wrap: wrap;
}
.lead kbd {
  border-color: var(--sheet);
}
p {
  margin: 0;
}
h3 {
  font-size: var(--t13);
  margin-top: var(--s4);
}
</style>
