<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, type Edit } from "../../api/client";
import { usePreview } from "../../stores/preview";
import { useOutbox } from "../../stores/outbox";
import { four, useShot } from "../../stores/shot";
import { symbols } from "../../api/rules";
import MoveVersions from "./MoveVersions.vue";
import { hints, names, wholeEdit, type Do } from "./wholeEdit";

// What is done to a move as a whole, and the versions of it that somebody has named. Beside
// sheet and score, which show what it would be before it is done.
const emit = defineEmits<{ close: [] }>();
const shot = useShot();
const outbox = useOutbox();
const preview = usePreview();
const what = ref<Do>("shift");
const axis = ref(shot.selected?.id ?? "");
const frames = ref("12");
const factor = ref("1.5");
const about = ref("0");
const by = ref("0");
const keep = ref<"before" | "after">("before");
const said = ref("");
const versions = ref<InstanceType<typeof MoveVersions>>();
const others = shallowRef<{ id: string; code: string }[]>([]);
const other = ref("");
const unit = computed(
  () => symbols[shot.axes.find((a) => a.id === axis.value)?.unit as keyof typeof symbols] ?? "",
);
// Where a scaling is about: usually what stays put is the axis's place at the playhead.
function choose(): void {
  said.value = "";
  about.value =
    what.value === "scale"
      ? String(+(shot.values[axis.value] ?? 0).toFixed(3))
      : String(what.value === "cut" ? shot.frame : shot.first);
  if (what.value === "scale") factor.value = "-1";
  if (what.value === "stretch") factor.value = "1.5";
  if (what.value === "quantise") [frames.value, by.value] = ["1", "0"];
}
const edit = (): Promise<Edit> =>
  wholeEdit({
    what: what.value,
    axis: axis.value,
    frames: frames.value,
    factor: factor.value,
    about: about.value,
    by: by.value,
    keep: keep.value,
    other: other.value,
  });
async function run(): Promise<void> {
  try {
    const e = await edit();
    unlook(); // nothing would be any more: it is done
    const done = await shot.edit(e, `${names[what.value]}: done.`);
    const why = outbox.refused[outbox.refused.length - 1]; // it is read here
    if (!done && why) outbox.read(why.deed);
    said.value = done ? "Done. Take back undoes it." : (why?.text ?? shot.trouble);
    await versions.value?.list();
  } catch (x) {
    said.value = x instanceof Error ? x.message : String(x);
  }
}
// What it would be, as soon as it is typed; a moment after the last key.
let soon = 0;
const would = ref(false);
function look(): void {
  window.clearTimeout(soon);
  would.value = true;
  soon = window.setTimeout(async () => {
    try {
      const e = await edit();
      if (!would.value) return;
      preview.want({ edit: e, whole: true }, true);
      said.value = "";
    } catch (x) {
      if (!would.value) return;
      preview.clear();
      said.value = x instanceof Error ? x.message : String(x);
    }
  }, 120);
}
function unlook(): void {
  window.clearTimeout(soon);
  would.value = false;
  preview.clear();
}
const touched = ref(false); // not before somebody has
watch([what, axis, frames, factor, about, by, keep, other], () => {
  if (touched.value) look();
});
onBeforeUnmount(unlook);
const then = computed(() => {
  const t = preview.now?.held ? preview.now.view : null,
    v = shot.view;
  if (!t || !v) return "";
  const n = t.last - t.first;
  return (
    `It would have ${n} frames, from ${four(t.first)} to ${four(t.last - 1)}. ` +
    `${t.analysis.sentences[0] ?? "Everything within its limits."}`
  );
});

onMounted(async () => {
  choose();
  const s = await api.GET("/api/shelf").catch(() => ({ data: undefined }));
  for (const p of s.data ?? [])
    for (const x of p.shots ?? [])
      if (x.id !== shot.id) others.value = [...others.value, { id: x.id, code: x.code }];
  other.value = others.value[0]?.id ?? "";
});
</script>

<template>
  <section class="box whole" aria-labelledby="whole-title" data-test="whole-sheet">
    <header>
      <h2 id="whole-title" class="cap">The whole move of {{ shot.view?.code }}</h2>
      <button type="button" class="btn slim" data-test="whole-close" @click="emit('close')">
        close
      </button>
    </header>
    <div class="scroll">
      <form class="line" @submit.prevent="run" @input="touched = true" @change="touched = true">
        <label
          >what
          <select v-model="what" class="field" data-test="whole-do" @change="choose">
            <option v-for="[k, t] in Object.entries(names)" :key="k" :value="k">{{ t }}</option>
          </select></label
        >
        <label v-if="what === 'scale' || what === 'offset' || what === 'quantise'"
          >axis
          <select v-model="axis" class="field" data-test="whole-axis" @change="choose">
            <option v-for="a in shot.axes" :key="a.id" :value="a.id">{{ a.name }}</option>
          </select></label
        >
        <label v-if="what === 'stretch' || what === 'scale'"
          >× <input v-model="factor" class="field n" data-test="whole-factor" inputmode="decimal"
        /></label>
        <label v-if="what === 'stretch' || what === 'cut'"
          >{{ what === "cut" ? "at" : "about" }} frame
          <input v-model="about" class="field n" data-test="whole-about" inputmode="decimal"
        /></label>
        <label v-if="what === 'scale'"
          >about
          <input v-model="about" class="field n" data-test="whole-about" inputmode="decimal" />
          {{ unit }}</label
        >
        <label v-if="what === 'shift' || what === 'join'"
          >{{ what === "join" ? "after" : "by" }}
          <input v-model="frames" class="field n" data-test="whole-frames" inputmode="decimal" />
          frames</label
        >
        <label v-if="what === 'quantise'"
          >every
          <input v-model="frames" class="field n" data-test="whole-frames" inputmode="decimal" />
          frames</label
        >
        <label v-if="what === 'quantise'"
          >and its values to
          <input v-model="by" class="field n" data-test="whole-by" inputmode="decimal" />
          {{ unit }}</label
        >
        <label v-if="what === 'offset'"
          >by <input v-model="by" class="field n" data-test="whole-by" inputmode="decimal" />
          {{ unit }}</label
        >
        <label v-if="what === 'cut'"
          >keep what is
          <select v-model="keep" class="field" data-test="whole-keep">
            <option>before</option>
            <option>after</option>
          </select></label
        >
        <label v-if="what === 'join'"
          >move
          <select v-model="other" class="field" data-test="whole-other">
            <option v-for="o in others" :key="o.id" :value="o.id">{{ o.code }}</option>
          </select></label
        >
        <button type="button" class="btn slim" data-test="whole-look" @click="look">show it</button>
        <button class="btn slim lead" data-test="whole-run">do it</button>
      </form>
      <p
        v-if="said || preview.refused"
        role="status"
        data-test="whole-said"
        :class="{ over: preview.refused }"
      >
        {{ said || preview.refused }}
      </p>
      <p v-else-if="then" data-test="whole-then">{{ then }}</p>
      <p v-else class="quiet small">{{ hints[what] }}</p>
      <MoveVersions ref="versions" @unlook="unlook" />
    </div>
  </section>
</template>

<style scoped>
.whole {
  grid-row: 1 / -1;
  padding: var(--s10) var(--s14);
  display: grid;
  grid-template-rows: auto 1fr;
  min-height: 0;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s8) var(--s12);
  margin: var(--s10) 0 var(--s4);
  align-items: center;
}
.n {
  width: 64px;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
