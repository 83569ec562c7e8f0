<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from "vue";
import type { Edit } from "../../api/client";
import { laws, symbols } from "../../api/rules";
import { isFocus } from "../../stores/axes";
import { distance } from "../../drawing/ring";
import { usePreview } from "../../stores/preview";
import { useShot } from "../../stores/shot";
import { needNumber } from "../../fields/numbers";

// A move of the selected axis typed as a start, an end, a duration and ramps. It is shown on
// sheet and score before it is laid.
const shot = useShot();
const preview = usePreview();
const track = computed(() => shot.view?.path.tracks.find((t) => t.axis === shot.selected?.id));
const unit = computed(() =>
  shot.selected && isFocus(shot.selected)
    ? "m"
    : (symbols[shot.selected?.unit as keyof typeof symbols] ?? ""),
);
const from = ref(""),
  to = ref(""),
  at = ref(""),
  long = ref(""),
  into = ref(""),
  out = ref("");
const law = ref<(typeof laws)[number]>("trapezoid");
const said = ref("");
const short = (v: number): string => String(+v.toFixed(3));
const written = (v: number): string =>
  short(
    shot.selected && isFocus(shot.selected) && shot.view ? distance(shot.view.focus_scale, v) : v,
  );
watch(
  () => [shot.selected?.id, shot.view?.revision],
  () => {
    const k = track.value?.keys ?? [],
      a = k[0],
      b = k[k.length - 1],
      here = shot.values[shot.selected?.id ?? ""] ?? 0;
    from.value = written(a?.value ?? here);
    to.value = written(b?.value ?? here);
    at.value = short(a?.frame ?? shot.first);
    long.value = short(
      b && a && b.frame > a.frame ? b.frame - a.frame : Math.max(1, shot.last - shot.first),
    );
    const r = track.value?.ramps?.["0"] ?? track.value?.ramp;
    law.value = r?.law ?? "trapezoid";
    into.value = r ? short(r.in) : "";
    out.value = r ? short(r.out) : "";
    said.value = "";
  },
  { immediate: true },
);
function duration(text: string): number {
  const s = /^\s*([\d.,]+)\s*s\s*$/.exec(text);
  const n = s
    ? Math.round(needNumber(s[1] ?? "", "Duration") * (shot.view?.fps ?? 24))
    : needNumber(text, "Duration");
  if (!(n > 0)) throw new Error(`Duration: “${text}” is none; give frames, or seconds as 2.5 s.`);
  return n;
}
// Focus is typed as a distance.
async function place(text: string, name: string): Promise<number> {
  const v = needNumber(text, name);
  return shot.selected && isFocus(shot.selected) ? ((await shot.ringFor(v)) ?? NaN) : v;
}
async function edit(): Promise<Edit> {
  const a = needNumber(at.value, "Frame"),
    pair = [await place(from.value, "Start"), await place(to.value, "End")];
  if (pair.some(Number.isNaN)) throw new Error(shot.trouble);
  return {
    op: "span",
    axis: shot.selected?.id,
    frame: a,
    to: a + duration(long.value),
    pair,
    ramp: { law: law.value, in: into.value, out: out.value },
  };
}
async function look(): Promise<void> {
  said.value = "";
  try {
    preview.want({ edit: await edit(), whole: true }, true);
  } catch (x) {
    said.value = x instanceof Error ? x.message : String(x);
    preview.clear();
  }
}
async function lay(): Promise<void> {
  try {
    const e = await edit();
    preview.clear();
    await shot.edit(e, `${shot.selected?.name} goes in one move.`);
  } catch (x) {
    said.value = x instanceof Error ? x.message : String(x);
  }
}
onBeforeUnmount(() => preview.clear());
const blur = (e: KeyboardEvent): void => (e.target as HTMLInputElement).blur();
</script>

<template>
  <form class="ends" data-test="ends" @submit.prevent="lay" @keydown.esc="preview.clear()">
    <b>{{ shot.selected?.name }}</b>
    <label
      >from
      <input
        v-model="from"
        class="field num"
        inputmode="decimal"
        data-test="ends-from"
        @change="look"
    /></label>
    <label
      >to
      <input
        v-model="to"
        class="field num"
        inputmode="decimal"
        data-test="ends-to"
        @change="look"
        @keydown.enter="blur"
      />
      {{ unit }}</label
    >
    <label
      >at frame
      <input v-model="at" class="field num" inputmode="decimal" data-test="ends-at" @change="look"
    /></label>
    <label
      >in
      <input
        v-model="long"
        class="field num"
        data-test="ends-long"
        title="frames, or as 2.5 s"
        @change="look"
      />
      frames</label
    >
    <label
      >by
      <select v-model="law" class="field" data-test="ends-law" @change="look">
        <option v-for="l in laws" :key="l">{{ l }}</option>
      </select></label
    >
    <label
      >ramp in
      <input
        v-model="into"
        class="field num"
        data-test="ends-in"
        :title="`frames, or as 0.5 s, or as 40 ${unit}/s²; empty: a third`"
        @change="look"
    /></label>
    <label>out <input v-model="out" class="field num" data-test="ends-out" @change="look" /></label>
    <button
      class="btn slim"
      data-test="ends-lay"
      :title="(track?.keys.length ?? 0) > 2 ? `its ${track?.keys.length} keyframes go` : ''"
    >
      lay it<template v-if="(track?.keys.length ?? 0) > 2"
        >, {{ track?.keys.length }} keyframes go</template
      >
    </button>
    <span v-if="said" class="over" role="alert">{{ said }}</span>
  </form>
</template>

<style scoped>
.ends {
  display: contents;
}
.field {
  font-size: var(--t13);
  min-height: 24px;
  margin-left: var(--s2);
}
.num {
  width: 50px;
}
</style>
