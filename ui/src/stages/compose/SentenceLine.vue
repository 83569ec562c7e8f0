<script setup lang="ts">
import { computed, ref, shallowRef, watch } from "vue";
import { api, type Remedy } from "../../api/client";
import { usePreview } from "../../stores/preview";
import { useShot } from "../../stores/shot";

const shot = useShot();
const preview = usePreview();
const a = computed(() => shot.view?.analysis);
// A remedy is looked at before it is taken: under the pointer, with the keyboard on it, or
// touched once. Pressed then, it is done.
const at = shallowRef<Remedy | null>(null);
let touched: Remedy | null = null;
function look(r: Remedy): void {
  at.value = r;
  preview.want({ edit: r.edit, whole: true }, true);
}
function leave(r?: Remedy): void {
  if (r && at.value !== r) return;
  at.value = touched = null;
  preview.clear();
}
async function press(r: Remedy, e: MouseEvent): Promise<void> {
  if ((e as PointerEvent).pointerType === "touch" && touched !== r) {
    look(r);
    touched = r;
    return;
  }
  leave();
  await shot.edit(r.edit, `${r.text}: done.`);
}
// What it comes to.
const then = computed(() => {
  const t = preview.now?.held && at.value ? preview.now.view : null,
    v = shot.view;
  if (!t || !v) return "";
  const longer = t.last - t.first - (v.last - v.first),
    fps = t.fps !== v.fps ? `, at ${+t.fps.toFixed(3)} fps` : "";
  const frames =
    longer === 0
      ? "as long as it is"
      : `${Math.abs(longer)} frames ${longer > 0 ? "longer" : "shorter"}`;
  return `${frames}${fps}; ${t.analysis.sentences[0] ?? "everything within its limits"}`;
});
// What takes longer to find comes after, for the plan as it is then.
const more = shallowRef<Remedy[]>([]);
const looking = ref(false);
let asked = 0;
watch(
  () =>
    [
      a.value && a.value.sentences.length > 0 ? `${shot.id} ${shot.view?.revision}` : "",
      shot.view?.rig,
    ] as const,
  ([key, rig], old) => {
    if (key === old?.[0] && rig === old[1]) return;
    more.value = [];
    if (at.value) leave();
    const mine = ++asked;
    looking.value = key !== "";
    if (key === "") return;
    setTimeout(() => {
      if (mine !== asked) return;
      void api
        .GET("/api/shots/{id}/remedies", { params: { path: { id: shot.id } } })
        .then((r) => {
          if (mine !== asked) return;
          looking.value = false;
          if (r.data && r.data.revision === shot.view?.revision && rig === shot.view.rig)
            more.value = r.data.remedies;
        })
        .catch(() => {
          if (mine === asked) looking.value = false;
        });
    }, 300);
  },
  { immediate: true },
);
// What is over a working limit and within the rated one may be signed for.
const signing = ref(false);
const why = ref("");
const unsaid = ref(false);
watch(
  () => `${shot.id} ${shot.view?.revision}`,
  () => (signing.value = false),
);
async function sign(): Promise<void> {
  unsaid.value = why.value.trim() === "";
  if (!unsaid.value && (await shot.signSeal(why.value))) [signing.value, why.value] = [false, ""];
}
const remedies = computed(() => [...(a.value?.remedies ?? []), ...more.value]);
// What an edit of a sealed path has opened.
const opened = computed(() =>
  shot.view?.seal && shot.view.seal.revision >= 0 && !shot.view.sealed_as_is
    ? shot.view.seal
    : null,
);
const finished = computed(() => {
  const n = shot.passes.filter((p) =>
    p.takes.some((t) => t.id === p.chosen && !t.broken && !t.older),
  ).length;
  return n === 0 ? "" : `; ${n} ${n === 1 ? "pass is" : "passes are"} finished on it`;
});
function calm(v: typeof shot.view): string {
  if (!v || v.empty) return "Nothing to check yet.";
  const top = [...v.analysis.report.axes].sort((p, q) => q.share - p.share)[0];
  const name = shot.axes.find((x) => x.id === top?.axis)?.name;
  return (
    `Everything is within its limits at ${+v.fps.toFixed(3)} fps. Closest: ${name} at ` +
    `${Math.ceil((top?.share ?? 0) * 100)}%.`
  );
}
// While a keyframe is dragged the sentence is of where it would lie.
const dragged = computed(() =>
  preview.refused
    ? { text: preview.refused, over: true }
    : preview.now && !preview.now.held
      ? {
          text: preview.now.view.analysis.sentences[0] ?? calm(preview.now.view),
          over: preview.now.view.analysis.sentences.length > 0,
        }
      : null,
);
</script>

<template>
  <div
    class="sentence"
    :class="{ two: a && a.sentences.length > 0 }"
    data-test="sentence"
    role="status"
    aria-live="polite"
  >
    <span v-if="dragged" class="say" :class="dragged.over ? 'over' : 'quiet'" data-test="dragged">{{
      dragged.text
    }}</span>
    <template v-else-if="shot.offer">
      <span class="say">{{ shot.offer.text }}</span>
      <button class="link" data-test="offer" @click="shot.offer.accept()">
        {{ shot.offer.label }}
      </button>
      <button class="link" data-test="offer-no" @click="shot.offer = null">leave them</button>
    </template>
    <template v-else-if="a && a.sentences.length">
      <span v-if="shot.view?.sealed_as_is && shot.view.seal?.over" data-test="signed"
        >Signed for by {{ shot.view.seal.sealed_by.name }}: {{ shot.view.seal.over }}.</span
      >
      <span class="over say">{{ a.sentences[0] }}</span>
      <span v-if="a.sentences.length > 1" class="quiet">and {{ a.sentences.length - 1 }} more</span>
      <button
        v-for="r in signing ? [] : remedies"
        :key="r.kind"
        class="link"
        :class="{ looked: at === r }"
        :data-test="'remedy-' + r.kind"
        @click="press(r, $event)"
        @pointerenter="$event.pointerType !== 'touch' && look(r)"
        @pointerleave="leave(r)"
        @focus="look(r)"
        @blur="leave(r)"
      >
        {{ r.text }}<template v-if="!r.clears"> (leaves others)</template>
      </button>
      <button
        v-if="a.within_rated && !shot.view?.sealed_as_is && !signing"
        class="link"
        data-test="sign"
        @click="signing = true"
      >
        sign for it …
      </button>
      <form v-if="signing" class="sign" @submit.prevent="sign">
        <label
          >over working limits, because
          <input v-model="why" class="field" maxlength="200" data-test="sign-why"
        /></label>
        <button class="btn slim lead" data-test="sign-seal">seal, and sign</button>
        <span v-if="unsaid" class="over" role="alert"
          >Say why working limits may be passed; the log keeps it with your name.</span
        >
        <span v-else class="quiet small"
          >Rated limits hold all the same. The log keeps your name and the reason.</span
        >
      </form>
      <span v-if="looking && !signing" class="quiet" data-test="looking">looking for more …</span>
      <span v-else-if="remedies.length === 0 && !signing" class="quiet"
        >No remedy was found; change a keyframe.</span
      >
      <span v-if="then" class="then" data-test="then">then {{ then }}</span>
    </template>
    <span v-else class="quiet">{{ calm(shot.view) }}</span>
    <span v-if="opened && !dragged" class="opened" data-test="opened"
      >Not as sealed path {{ opened.version }} any more{{ finished }}.
      <button class="link" data-test="resume" @click="shot.resume()">
        back to the sealed path
      </button></span
    >
  </div>
</template>

<style scoped>
.sentence {
  position: relative;
  display: flex;
  gap: var(--s4) var(--s16);
  padding: var(--s6) var(--s14);
  border-top: 1px solid var(--rule);
  min-height: 31px;
  align-items: center;
  flex-wrap: wrap;
  box-sizing: border-box;
}
/* What is found later, and what one that is looked at comes to, move nothing from under the
   pointer. */
.two {
  min-height: 58px;
  align-content: flex-start;
}
.sign {
  display: flex;
  gap: var(--s10);
  align-items: center;
}
.looked {
  background: var(--wash);
}
.then {
  position: absolute;
  left: -1px;
  bottom: 100%;
  max-width: 100%;
  box-sizing: border-box;
  padding: var(--s2) var(--s14);
  border: 1px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  pointer-events: none;
}
.opened {
  margin-left: auto;
  color: var(--now);
}
html.paper .quiet {
  color: var(--muted);
}
</style>
