<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type Difference, type Edit, type PathVersion } from "../../api/client";
import { usePreview } from "../../stores/preview";
import { useOutbox } from "../../stores/outbox";
import { four, useShot } from "../../stores/shot";
import { symbols } from "../../api/rules";
import { needNumber } from "../../shell/numbers";

// What is done to a move as a whole, and the versions of it that somebody has named. Beside
// sheet and score, which show what it would be before it is done.
const emit = defineEmits<{ close: [] }>();
type Whole = NonNullable<Edit["whole"]>;
type Do = Whole["do"];
const shot = useShot();
const outbox = useOutbox();
const preview = usePreview();
const names: Record<Do, string> = {
  shift: "shift in time",
  stretch: "stretch in time",
  reverse: "reverse",
  scale: "scale an axis",
  offset: "offset an axis",
  quantise: "quantise keyframes",
  cut: "keep a part",
  join: "join another move on",
};
const what = ref<Do>("shift");
const axis = ref(shot.selected?.id ?? "");
const frames = ref("12");
const factor = ref("1.5");
const about = ref("0");
const by = ref("0");
const keep = ref<"before" | "after">("before");
const said = ref("");
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
async function edit(): Promise<Edit> {
  const w: Whole = { do: what.value };
  const e: Edit = { op: "whole", whole: w };
  if (["shift", "quantise", "join"].includes(w.do)) w.frames = needNumber(frames.value, "Frames");
  if (["stretch", "scale"].includes(w.do)) w.factor = needNumber(factor.value, "Factor");
  if (["stretch", "scale", "cut"].includes(w.do)) w.about = needNumber(about.value, "About");
  if (["offset", "quantise"].includes(w.do)) w.by = needNumber(by.value, "By");
  if (["scale", "offset"].includes(w.do) || (w.do === "quantise" && w.by)) e.axis = axis.value;
  if (w.do === "cut") w.keep = keep.value;
  if (w.do === "join") {
    const r = await api.GET("/api/shots/{id}", { params: { path: { id: other.value } } });
    if (!r.data)
      throw new Error(other.value ? sentence(r.error) : "Choose the move that is joined on.");
    e.tracks = r.data.path.tracks;
  }
  return e;
}
async function run(): Promise<void> {
  try {
    const e = await edit();
    unlook(); // nothing would be any more: it is done
    const done = await shot.edit(e, `${names[what.value]}: done.`);
    const why = outbox.refused[outbox.refused.length - 1]; // it is read here
    if (!done && why) outbox.read(why.deed);
    said.value = done ? "Done. Take back undoes it." : (why?.text ?? shot.trouble);
    await list();
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
  return `It would have ${n} frames, from ${four(t.first)} to ${four(t.last - 1)}. ${t.analysis.sentences[0] ?? "Everything within its limits."}`;
});

const versions = shallowRef<PathVersion[]>([]);
const name = ref("");
const note = ref("");
const shown = ref<number>(0);
const difference = shallowRef<Difference | null>(null);
async function list(): Promise<void> {
  versions.value = await shot.versions();
}
onMounted(async () => {
  choose();
  await list();
  const s = await api.GET("/api/shelf").catch(() => ({ data: undefined }));
  for (const p of s.data ?? [])
    for (const x of p.shots ?? [])
      if (x.id !== shot.id) others.value = [...others.value, { id: x.id, code: x.code }];
  other.value = others.value[0]?.id ?? "";
});
async function keepName(): Promise<void> {
  const r = await api.POST("/api/shots/{id}/versions", {
    params: { path: { id: shot.id } },
    body: { revision: shot.view?.revision ?? 0, name: name.value },
  });
  note.value = r.error ? sentence(r.error) : "";
  if (r.data) {
    name.value = "";
    await list();
  }
}
async function compare(v: PathVersion): Promise<void> {
  const r = await api.GET("/api/shots/{id}/versions/{number}/difference", {
    params: { path: { id: shot.id, number: v.number } },
  });
  note.value = r.error ? sentence(r.error) : "";
  [difference.value, shown.value] = [r.data ?? null, v.number];
}
// A version over the move as it stands.
const looked = ref(0);
function lookAt(v: PathVersion): void {
  if (preview.now?.held && looked.value === v.number) return unlook();
  looked.value = v.number;
  preview.want({ back: v.revision, whole: true }, true);
}
async function back(v: PathVersion): Promise<void> {
  unlook();
  note.value = (await shot.backTo(v))
    ? `The move is as in “${v.name}” again. Take back undoes it.`
    : shot.trouble;
  difference.value = null;
}
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
      <p v-else class="quiet small">
        {{
          what === "scale"
            ? "A factor of −1 mirrors about that place."
            : what === "quantise"
              ? "0 leaves frames, or values, as they are."
              : what === "join"
                ? "The way between the two is smooth: it takes up the speed of one and gives it to the other."
                : what === "cut"
                  ? "The other part goes; the pose at that frame is kept. Name a version first to have both."
                  : what === "reverse"
                    ? "The last frame comes first, between the same frames."
                    : "All keyframes of all axes."
        }}
      </p>
      <h2 class="gap">Versions</h2>
      <form class="line" @submit.prevent="keepName">
        <label
          >keep the move as it stands as
          <input v-model="name" class="field name" maxlength="60" data-test="version-name"
        /></label>
        <button class="btn slim lead" data-test="version-keep">keep</button>
      </form>
      <p v-if="note" role="status" data-test="version-note">{{ note }}</p>
      <table v-if="versions.length">
        <tbody>
          <template v-for="v in versions" :key="v.number">
            <tr :data-test="`version-${v.number}`">
              <td>{{ v.number }}</td>
              <td>
                <b>{{ v.name }}</b>
              </td>
              <td class="quiet">{{ v.by.name }}</td>
              <td class="acts">
                <button
                  class="btn slim"
                  :data-test="`version-${v.number}-look`"
                  :aria-pressed="preview.now?.held && looked === v.number"
                  @click="lookAt(v)"
                >
                  show
                </button>
                <button
                  class="btn slim"
                  :data-test="`version-${v.number}-compare`"
                  @click="compare(v)"
                >
                  compare
                </button>
                <button class="btn slim" :data-test="`version-${v.number}-back`" @click="back(v)">
                  go back
                </button>
              </td>
            </tr>
            <tr v-if="difference && shown === v.number">
              <td />
              <td colspan="3" data-test="difference">
                <p>From {{ difference.from }} to {{ difference.to }}: {{ difference.words }}</p>
                <ul v-if="difference.lines.length">
                  <li v-for="l in difference.lines.slice(0, 40)" :key="l.axis + l.from">
                    <button class="link" @click="shot.go(Math.round(l.at))">
                      {{ four(Math.round(l.at)) }}
                    </button>
                    {{ l.words }}
                  </li>
                </ul>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
      <p v-else class="quiet">No version has a name yet. Sealed paths keep their own.</p>
    </div>
  </section>
</template>

<style scoped>
.whole {
  grid-row: 1 / -1;
  padding: 10px 14px;
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
  gap: 8px 12px;
  margin: 10px 0 4px;
  align-items: center;
}
.n {
  width: 64px;
}
.name {
  width: 150px;
}
.gap {
  margin-top: 14px;
}
td {
  padding: 3px 10px 3px 0;
  vertical-align: top;
}
.acts {
  white-space: nowrap;
}
.acts .btn {
  margin-left: 4px;
}
.btn[aria-pressed="true"] {
  background: var(--ink);
  color: var(--sheet);
}
ul {
  margin: 2px 0 6px;
  padding-left: 0;
  list-style: none;
  max-height: 180px;
  overflow: auto;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
