<script setup lang="ts">
import { ref, watch } from "vue";
import { type Setup } from "../../api/client";
import { useOrder } from "../../stores/order";

// A running order is begun from what a kind of rig starts with, or as the day before.
const props = defineProps<{ again: boolean }>();
const emit = defineEmits<{ done: [] }>();
const order = useOrder();
const kinds = ["slider", "crane", "arm", "model mover"] as const;
const grounds = ["stage floor", "uneven", "outdoors"] as const;
const f = ref({
  date: "",
  start: "07:30",
  kind: "slider",
  rails: true,
  ground: "stage floor",
  crew: "4",
  same: true,
});
watch(
  () => order.view,
  (v) => {
    if (!v || f.value.date) return;
    f.value = {
      date: v.today,
      start: v.order?.start ?? "07:30",
      kind: v.usual.kind,
      rails: v.usual.rails,
      ground: v.usual.ground,
      crew: String(v.usual.crew),
      same: props.again,
    };
  },
  { immediate: true },
);
const wrong = ref("");
async function begin(): Promise<void> {
  wrong.value = "";
  const crew = Number(f.value.crew);
  if (!Number.isInteger(crew)) {
    wrong.value = "“Crew” is not a whole number.";
    return;
  }
  const setup = { kind: f.value.kind, rails: f.value.rails, ground: f.value.ground, crew } as Setup;
  if (
    await order.begin(f.value.date.trim(), f.value.start.trim(), setup, props.again && f.value.same)
  )
    emit("done");
  else wrong.value = order.said.text;
}
</script>

<template>
  <section class="box begin" aria-labelledby="begin-title">
    <h2 id="begin-title" class="cap">
      {{ again ? "Begin a running order" : "No running order yet" }}
    </h2>
    <p class="big">When will you be ready?</p>
    <p class="quiet">
      It begins with what such a rig usually takes, and with what past days of this production took,
      where there are three or more. Everything in it can be changed.
    </p>
    <form @submit.prevent="begin">
      <label
        >day
        <input v-model="f.date" class="field d" data-test="begin-date" placeholder="2026-03-04"
      /></label>
      <label
        >call <input v-model="f.start" class="field t" data-test="begin-start" placeholder="hh:mm"
      /></label>
      <label
        >rig
        <select v-model="f.kind" class="field" data-test="begin-kind">
          <option v-for="k in kinds" :key="k">{{ k }}</option>
        </select></label
      >
      <label><input v-model="f.rails" type="checkbox" data-test="begin-rails" /> on rails</label>
      <label
        >ground
        <select v-model="f.ground" class="field" data-test="begin-ground">
          <option v-for="g in grounds" :key="g">{{ g }}</option>
        </select></label
      >
      <label
        >crew <input v-model="f.crew" class="field n" inputmode="numeric" data-test="begin-crew"
      /></label>
      <label v-if="again"
        ><input v-model="f.same" type="checkbox" data-test="begin-same" /> with the same
        steps</label
      >
      <button class="btn lead" type="submit" data-test="begin-go">Begin</button>
      <button v-if="again" class="btn" type="button" @click="emit('done')">Not now</button>
    </form>
    <p v-if="wrong" class="over" role="alert" data-test="begin-wrong">{{ wrong }}</p>
  </section>
</template>

<style scoped>
.begin {
  padding: var(--s16) var(--s20);
  display: flex;
  flex-direction: column;
  gap: var(--s8);
  max-width: 760px;
}
.big {
  font: 600 var(--t30)/1.1 var(--head);
  margin: 0;
}
p {
  margin: 0;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s8) var(--s16);
  align-items: center;
}
label {
  display: flex;
  gap: var(--s4);
  align-items: center;
}
.d {
  width: 98px;
}
.t {
  width: 58px;
}
.n {
  width: 44px;
  text-align: right;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
