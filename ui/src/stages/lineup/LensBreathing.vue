<script setup lang="ts">
import { ref } from "vue";
import { api, type LensView } from "../../api/client";
import { readNumber } from "../../fields/numbers";

// How the picture widens or narrows with the focus (breathing): one thing, framed twice.
const props = defineProps<{ of: LensView["package"] }>();
const emit = defineEmits<{
  took: [answer: { data?: LensView; error?: unknown }, text: string];
  wrong: [text: string];
}>();
const breath = ref({ near: "", nearWide: "", far: "", farWide: "" });
const open = ref(false);
async function measure(): Promise<void> {
  const { near, nearWide, far, farWide } = breath.value;
  const [near_m, near_wide, far_m, far_wide] = [near, nearWide, far, farWide].map(readNumber) as [
    number,
    number,
    number,
    number,
  ];
  if ([near_m, near_wide, far_m, far_wide].some((v) => !Number.isFinite(v)))
    emit("wrong", "Give both distances in metres and how wide the thing is in each picture.");
  else await put({ near_m, near_wide, far_m, far_wide }, "Breathing is measured.");
}
const forget = (): Promise<void> =>
  put({ near_m: 0, near_wide: 0, far_m: 0, far_wide: 0, forgotten: true }, "As a thin lens again.");
async function put(
  measured: {
    near_m: number;
    near_wide: number;
    far_m: number;
    far_wide: number;
    forgotten?: boolean;
  },
  text: string,
): Promise<void> {
  const answer = await api
    .POST("/api/packages/{id}/breathing", {
      params: { path: { id: props.of.id } },
      body: { base: props.of.version, ...measured },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  emit("took", answer, text);
}
</script>

<template>
  <p class="row small">
    <button class="link" data-test="breathing" @click="open = !open">measure breathing …</button
    ><button v-if="of.lens.breathing !== undefined" class="link" @click="forget">forget it</button>
  </p>
  <form v-if="open" class="row small" @submit.prevent="measure">
    <span>one chart, not moved: focused at</span
    ><input
      v-model="breath.near"
      class="field n"
      data-test="breath-near"
      aria-label="Near focus in metres"
    /><span>m it is</span
    ><input
      v-model="breath.nearWide"
      class="field n"
      data-test="breath-near-wide"
      aria-label="Width focused near"
    /><span>wide in the picture; at</span
    ><input
      v-model="breath.far"
      class="field n"
      data-test="breath-far"
      aria-label="Far focus in metres"
    /><span>m</span
    ><input
      v-model="breath.farWide"
      class="field n"
      data-test="breath-far-wide"
      aria-label="Width focused far"
    /><button class="btn slim" data-test="breath-in">Measure</button>
  </form>
</template>

<style scoped>
p {
  margin: var(--s4) 0;
}
.row {
  display: flex;
  gap: var(--s8);
  align-items: center;
  flex-wrap: wrap;
  margin: var(--s2) 0;
}
.n {
  width: 56px;
  text-align: right;
}
</style>
