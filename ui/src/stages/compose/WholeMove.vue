<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import { api, sentence, type Difference, type Edit, type PathVersion } from "../../api/client";
import { useOutbox } from "../../stores/outbox";
import { four, useShot } from "../../stores/shot";
import { symbols } from "../../api/rules";

// What is done to a move as a whole, and the versions of it that somebody has named.
const emit = defineEmits<{ close: [] }>();
type Whole = NonNullable<Edit["whole"]>;
type Do = Whole["do"];
const shot = useShot();
const outbox = useOutbox();
const names: Record<Do, string> = {
  shift: "shift in time", stretch: "stretch in time", reverse: "reverse", scale: "scale an axis", offset: "offset an axis",
  quantise: "quantise keyframes", cut: "keep a part", join: "join another move on",
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
const unit = computed(() => symbols[shot.axes.find((a) => a.id === axis.value)?.unit as keyof typeof symbols] ?? "");
// Where a scaling is about: usually what stays put is the axis's place at the playhead.
function choose(): void {
  said.value = "";
  about.value = what.value === "scale" ? String(+(shot.values[axis.value] ?? 0).toFixed(3)) : String(what.value === "cut" ? shot.frame : shot.first);
  if (what.value === "scale") factor.value = "-1";
  if (what.value === "stretch") factor.value = "1.5";
  if (what.value === "quantise") [frames.value, by.value] = ["1", "0"];
}
function read(text: string, name: string): number {
  const v = Number(text.trim().replace("−", "-").replace(",", "."));
  if (text.trim() === "" || !Number.isFinite(v)) throw new Error(`${name}: "${text}" is not a number.`);
  return v;
}
async function run(): Promise<void> {
  try {
    const w: Whole = { do: what.value };
    const e: Edit = { op: "whole", whole: w };
    if (["shift", "quantise", "join"].includes(w.do)) w.frames = read(frames.value, "Frames");
    if (["stretch", "scale"].includes(w.do)) w.factor = read(factor.value, "Factor");
    if (["stretch", "scale", "cut"].includes(w.do)) w.about = read(about.value, "About");
    if (["offset", "quantise"].includes(w.do)) w.by = read(by.value, "By");
    if (["scale", "offset"].includes(w.do) || (w.do === "quantise" && w.by)) e.axis = axis.value;
    if (w.do === "cut") w.keep = keep.value;
    if (w.do === "join") {
      const r = await api.GET("/api/shots/{id}", { params: { path: { id: other.value } } });
      if (!r.data) throw new Error(other.value ? sentence(r.error) : "Choose the move that is joined on.");
      e.tracks = r.data.path.tracks;
    }
    const done = await shot.edit(e, `${names[w.do]}: done.`);
    const why = outbox.refused[outbox.refused.length - 1]; // it is read here
    if (!done && why) outbox.read(why.deed);
    said.value = done ? "Done. Take back undoes it." : why?.text ?? shot.trouble;
    await list();
  } catch (x) {
    said.value = x instanceof Error ? x.message : String(x);
  }
}

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
  for (const p of s.data ?? []) for (const x of p.shots ?? []) if (x.id !== shot.id) others.value = [...others.value, { id: x.id, code: x.code }];
  other.value = others.value[0]?.id ?? "";
});
async function keepName(): Promise<void> {
  const r = await api.POST("/api/shots/{id}/versions", { params: { path: { id: shot.id } }, body: { revision: shot.view?.revision ?? 0, name: name.value } });
  note.value = r.error ? sentence(r.error) : "";
  if (r.data) { name.value = ""; await list(); }
}
async function compare(v: PathVersion): Promise<void> {
  const r = await api.GET("/api/shots/{id}/versions/{number}/difference", { params: { path: { id: shot.id, number: v.number } } });
  note.value = r.error ? sentence(r.error) : "";
  [difference.value, shown.value] = [r.data ?? null, v.number];
}
async function back(v: PathVersion): Promise<void> {
  note.value = (await shot.backTo(v)) ? `The move is as in “${v.name}” again. Take back undoes it.` : shot.trouble;
  difference.value = null;
}
</script>

<template>
  <v-dialog :model-value="true" max-width="760" @update:model-value="(v: boolean) => { if (!v) emit('close'); }">
    <section class="sheet" role="dialog" aria-labelledby="whole-title" data-test="whole-sheet">
      <h2 id="whole-title">The whole move of {{ shot.view?.code }}</h2>
      <form class="line" @submit.prevent="run">
        <label>what <select v-model="what" class="field" data-test="whole-do" @change="choose"><option v-for="[k, t] in Object.entries(names)" :key="k" :value="k">{{ t }}</option></select></label>
        <label v-if="what === 'scale' || what === 'offset' || what === 'quantise'">axis <select v-model="axis" class="field" data-test="whole-axis" @change="choose"><option v-for="a in shot.axes" :key="a.id" :value="a.id">{{ a.name }}</option></select></label>
        <label v-if="what === 'stretch' || what === 'scale'">× <input v-model="factor" class="field n" data-test="whole-factor" inputmode="decimal" /></label>
        <label v-if="what === 'stretch' || what === 'cut'">{{ what === 'cut' ? 'at' : 'about' }} frame <input v-model="about" class="field n" data-test="whole-about" inputmode="decimal" /></label>
        <label v-if="what === 'scale'">about <input v-model="about" class="field n" data-test="whole-about" inputmode="decimal" /> {{ unit }}</label>
        <label v-if="what === 'shift' || what === 'join'">{{ what === 'join' ? 'after' : 'by' }} <input v-model="frames" class="field n" data-test="whole-frames" inputmode="decimal" /> frames</label>
        <label v-if="what === 'quantise'">every <input v-model="frames" class="field n" data-test="whole-frames" inputmode="decimal" /> frames</label>
        <label v-if="what === 'quantise'">and its values to <input v-model="by" class="field n" data-test="whole-by" inputmode="decimal" /> {{ unit }}</label>
        <label v-if="what === 'offset'">by <input v-model="by" class="field n" data-test="whole-by" inputmode="decimal" /> {{ unit }}</label>
        <label v-if="what === 'cut'">keep what is <select v-model="keep" class="field" data-test="whole-keep"><option>before</option><option>after</option></select></label>
        <label v-if="what === 'join'">move <select v-model="other" class="field" data-test="whole-other"><option v-for="o in others" :key="o.id" :value="o.id">{{ o.code }}</option></select></label>
        <button class="btn slim lead" data-test="whole-run">do it</button>
      </form>
      <p v-if="said" role="status" data-test="whole-said">{{ said }}</p>
      <p v-else class="quiet small">{{ what === "scale" ? "A factor of −1 mirrors about that place." : what === "quantise" ? "0 leaves frames, or values, as they are." : what === "join" ? "The way between the two is smooth: it takes up the speed of one and gives it to the other." : what === "cut" ? "The other part goes; the pose at that frame is kept. Name a version first to have both." : what === "reverse" ? "The last frame comes first, between the same frames." : "All keyframes of all axes." }}</p>
      <h2 class="gap">Versions</h2>
      <form class="line" @submit.prevent="keepName">
        <label>keep the move as it stands as <input v-model="name" class="field name" maxlength="60" data-test="version-name" /></label>
        <button class="btn slim lead" data-test="version-keep">keep</button></form>
      <p v-if="note" role="status" data-test="version-note">{{ note }}</p>
      <table v-if="versions.length"><tbody>
        <template v-for="v in versions" :key="v.number">
          <tr :data-test="`version-${v.number}`"><td>{{ v.number }}</td><td><b>{{ v.name }}</b></td><td class="quiet">{{ v.by.name }}</td>
            <td><button class="btn slim" :data-test="`version-${v.number}-compare`" @click="compare(v)">compare</button></td>
            <td><button class="btn slim" :data-test="`version-${v.number}-back`" @click="back(v)">go back to it</button></td></tr>
          <tr v-if="difference && shown === v.number"><td /><td colspan="4" data-test="difference">
            <p>From {{ difference.from }} to {{ difference.to }}: {{ difference.words }}</p>
            <ul v-if="difference.lines.length"><li v-for="l in difference.lines.slice(0, 40)" :key="l.axis + l.from"><button class="link" @click="shot.go(Math.round(l.at)); emit('close')">{{ four(Math.round(l.at)) }}</button> {{ l.words }}</li></ul></td></tr>
        </template></tbody></table>
      <p v-else class="quiet">No version has a name yet. Sealed paths keep their own.</p>
      <div class="row"><span class="fill" /><button type="button" class="btn" data-test="whole-close" @click="emit('close')">Close</button></div>
    </section>
  </v-dialog>
</template>

<style scoped>
.line { display: flex; flex-wrap: wrap; gap: 8px 14px; margin: 10px 0 4px; align-items: center; }
.n { width: 64px; }
.name { width: 220px; }
.gap { margin-top: 18px; }
td { padding: 3px 12px 3px 0; vertical-align: top; }
ul { margin: 2px 0 6px; padding-left: 0; list-style: none; max-height: 180px; overflow: auto; }
.row { display: flex; margin-top: 10px; }
.fill { flex: 1; }
html.paper .quiet { color: #4d5a67; }
</style>
