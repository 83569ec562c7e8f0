<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { api, sentence, type MachineState, type MachineView } from "../../api/client";
import { fixed, places, spaced, unit } from "../../stores/axes";
import { useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";

// Several axes are sent somewhere, at a speed of their own, all arriving together.
const props = defineProps<{ machine: MachineView; state: MachineState }>();
const emit = defineEmits<{ close: [] }>();
const shot = useShot();
const typed = ref<Record<string, string>>({});
const share = ref(25);
const says = ref({ text: "", tone: "quiet" });
const poses = computed(() => Object.entries(props.machine.rig.book?.poses ?? {}));
function fill(p: Record<string, number>): void {
  typed.value = Object.fromEntries(
    props.machine.rig.axes
      .filter((a) => a.id in p)
      .map((a) => [a.id, String(Math.min(Math.max(p[a.id]!, a.min), a.max))]),
  );
}
const to = computed(() => {
  const out: Record<string, number> = {};
  for (const a of props.machine.rig.axes) {
    const t = typed.value[a.id]?.trim();
    if (t) out[a.id] = readNumber(t);
  }
  return out;
});
const bad = computed(() => props.machine.rig.axes.find((a) => Number.isNaN(to.value[a.id] ?? 0)));
let nth = 0; // an answer that is overtaken says nothing
async function send(ask: boolean): Promise<boolean> {
  const mine = ++nth;
  if (bad.value) {
    says.value = {
      text:
        `${bad.value.name}: “${typed.value[bad.value.id]}” is not a number; give ` +
        `${unit(bad.value)}.`,
      tone: "over",
    };
    return false;
  }
  if (Object.keys(to.value).length === 0) {
    says.value = { text: "Give at least one axis a value; the others stand still.", tone: "quiet" };
    return false;
  }
  const r = await api
    .POST("/api/machines/{id}/go", {
      params: { path: { id: props.machine.rig.id } },
      body: { shot: shot.id || undefined, to: to.value, share: share.value / 100, ask },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  if (ask && mine !== nth) return false;
  if (!r.data) {
    says.value = { text: sentence(r.error), tone: "over" };
    return false;
  }
  says.value = {
    text:
      r.data.seconds > 0
        ? `It takes ${r.data.seconds} s; ${r.data.slowest} takes longest, the others arrive ` +
          "with it."
        : "It stands there already.",
    tone: "good",
  };
  return true;
}
let resting = 0; // what is half typed is not asked about
watch([to, share], () => {
  window.clearTimeout(resting);
  resting = window.setTimeout(() => void send(true), 350);
});
void send(true);
onBeforeUnmount(() => window.clearTimeout(resting));
async function go(): Promise<void> {
  window.clearTimeout(resting);
  if (await send(false)) emit("close");
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="520"
    @update:model-value="
      (v: boolean) => {
        if (!v) emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" aria-labelledby="go-title">
      <h2 id="go-title">Send {{ machine.rig.name }} somewhere</h2>
      <div class="line small">
        <button
          v-for="[n, p] in poses"
          :key="n"
          class="link"
          :data-test="'fill-' + n"
          @click="fill(p)"
        >
          {{ n }}
        </button>
      </div>
      <div class="axes">
        <label v-for="a in machine.rig.axes" :key="a.id"
          ><span>{{ a.name }}</span
          ><span class="quiet"
            >{{ fixed(state.axes[a.id]?.pos ?? 0, places(a)) }}{{ spaced(a) }} →</span
          >
          <input
            v-model="typed[a.id]"
            class="field"
            inputmode="decimal"
            :data-test="'go-' + a.id"
            :aria-label="`${a.name} to`"
          />
          <span class="quiet">{{ a.min }} to {{ a.max }}</span></label
        >
      </div>
      <label class="line"
        >at
        <input
          v-model.number="share"
          type="range"
          min="1"
          max="50"
          data-test="go-share"
          aria-label="Share of the working speeds"
        />
        {{ share }} % of the working speeds</label
      >
      <p :class="says.tone" role="status" data-test="go-says">{{ says.text }}</p>
      <p>
        Call the move. Nobody within {{ machine.rig.clear_m }} m. Esc slows the rig to a stop; only
        the hardware stop is an emergency stop.
      </p>
      <div class="line end">
        <button class="btn" @click="emit('close')">Leave it</button
        ><button
          class="btn lead"
          data-test="go-yes"
          :disabled="Object.keys(to).length === 0"
          @click="go"
        >
          Go
        </button>
      </div>
    </section>
  </v-dialog>
</template>

<style scoped>
h2 {
  font-size: var(--t24);
}
.axes {
  display: grid;
  gap: var(--s2);
  margin: var(--s8) 0;
  max-height: 50vh;
  overflow: auto;
}
.axes label {
  display: grid;
  grid-template-columns: 90px 110px 84px 1fr;
  gap: var(--s8);
  align-items: center;
}
.axes input {
  text-align: right;
}
.line {
  display: flex;
  gap: var(--s12);
  align-items: center;
  flex-wrap: wrap;
}
.end {
  justify-content: flex-end;
}
p {
  margin: var(--s6) 0;
}
</style>
