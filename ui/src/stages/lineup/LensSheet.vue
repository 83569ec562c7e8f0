<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type LensView } from "../../api/client";
import { said, type LengthUnit } from "../../drawing/lengths";
import RingDrawing from "../../drawing/RingDrawing.vue";
import { useBench } from "../../stores/bench";
import type { FieldChange } from "../../stores/documents";
import { useLive } from "../../stores/live";
import { useOutbox } from "../../stores/outbox";
import { usePrefs } from "../../stores/prefs";
import { useShot } from "../../stores/shot";
import type { Kept } from "../../stores/site";
import LensBreathing from "./LensBreathing.vue";
import LensFraming from "./LensFraming.vue";
import LensMarks from "./LensMarks.vue";
import { rings, standsAt, type Ring } from "./rings";

// The rings of a camera package's lens: their scales by marks, taken at the rig; what is
// sharp along them; breathing; and how the picture is framed.
const shot = useShot();
const bench = useBench();
const outbox = useOutbox();
const live = useLive();
const prefs = usePrefs();
const view = shallowRef<LensView | null>(null);
const note = ref({ text: "", tone: "quiet" });
const ring = ref<Ring>("focus");
const unit = computed<LengthUnit>(() => (prefs.feet ? "ft" : "m"));
onMounted(() => {
  live.each++;
  void bench.list();
});
async function open(): Promise<void> {
  const id = bench.pack;
  if (!id) return;
  const r = await api
    .GET("/api/packages/{id}/lens", { params: { path: { id } } })
    .catch(() => ({ data: undefined, error: undefined }));
  if (id !== bench.pack) return;
  if (r.data) view.value = r.data;
  else note.value = { text: sentence(r.error), tone: "over" };
}
watch(
  () => [bench.pack, shot.view?.version],
  () => void open(),
  { immediate: true },
);
const lens = computed(() => view.value?.package.lens);
const scale = computed(() => view.value?.sheet[ring.value]);
// Where the ring of the shot's machine stands.
const machine = computed(() =>
  shot.view?.machines.find((m) => m.rig.axes.some((a) => a.kind === ring.value)),
);
const axis = computed(() => machine.value?.rig.axes.find((a) => a.kind === ring.value));
const state = computed(
  () => live.now?.machines?.find((m) => m.machine === machine.value?.rig.id)?.state,
);
const stands = computed(() =>
  axis.value && state.value?.axes[axis.value.id]?.homed
    ? state.value.axes[axis.value.id]?.pos
    : undefined,
);
const nearest = computed(() => {
  const s = scale.value?.samples,
    at = stands.value;
  return s && at !== undefined
    ? s.reduce((a, b) => (Math.abs(b.ring_deg - at) < Math.abs(a.ring_deg - at) ? b : a))
    : undefined;
});
const big = computed(() => {
  if (!scale.value) return `Nobody took marks of the ${ring.value} ring.`;
  if (nearest.value) return standsAt(ring.value, nearest.value, unit.value);
  if (axis.value) return `${rings[ring.value]} is not homed: where its ring stands is not known.`;
  return `No machine of this shot turns the ${ring.value} ring; its marks are typed in.`;
});
function took(r: { data?: LensView; error?: unknown }, text: string): void {
  note.value = r.data ? { text, tone: "good" } : { text: sentence(r.error), tone: "over" };
  if (r.data) {
    view.value = r.data;
    void bench.list();
  }
}
async function handset(free: boolean): Promise<void> {
  const id = machine.value?.rig.id;
  if (!id) return;
  const r = await api
    .POST("/api/machines/{id}/handset", { params: { path: { id } }, body: { free } })
    .catch(() => ({ data: undefined, error: undefined }));
  note.value = r.data
    ? { text: free ? "The handset is let in." : "The handset is locked out.", tone: "good" }
    : { text: sentence(r.error), tone: "over" };
}
async function write(changes: FieldChange[]): Promise<Kept> {
  const p = view.value?.package;
  if (!p) return "wrong";
  if (changes.length === 0) {
    note.value = { text: "Kept.", tone: "good" };
    return "kept";
  }
  const a = await outbox.amend("package", [p.id], changes, { done: "The package is written." });
  await open();
  note.value = a.data
    ? { text: "Kept.", tone: "good" }
    : { text: a.told ? "Not kept: see below." : a.text, tone: "over" };
  if (a.data) await bench.list();
  return a.data ? "kept" : a.stale ? "stale" : "wrong";
}
const three = (f: number[] | undefined): string =>
  f ? `${f[0]!.toFixed(1)}° × ${f[1]!.toFixed(1)}°` : "";
</script>

<template>
  <div class="lens">
    <section class="box drawn" aria-label="The ring unrolled">
      <div class="top">
        <label class="small"
          >on the camera
          <select
            v-model="bench.picked"
            class="field"
            data-test="lens-package"
            aria-label="Camera package"
          >
            <option value="">{{ view?.package.name ?? "as the shot has it" }}</option>
            <option v-for="p in bench.packages" :key="p.id" :value="p.id">{{ p.name }}</option>
          </select></label
        >
        <button
          v-for="(w, k) in rings"
          :key="k"
          class="tab"
          :class="{ here: ring === k }"
          :aria-pressed="ring === k"
          :data-test="'ring-' + k"
          @click="ring = k"
        >
          {{ w }}
        </button>
        <button class="link small" data-test="feet" @click="prefs.feet = !prefs.feet">
          in {{ prefs.feet ? "metres" : "feet and inches" }}
        </button>
      </div>
      <RingDrawing v-if="scale" :what="ring" :scale="scale" :unit="unit" :now="stands" />
      <p v-else class="none quiet">
        No scale yet: two marks make one. Set the ring, type what stands at it, and press Mark.
      </p>
    </section>
    <section v-if="lens && view" class="box side">
      <p class="big" role="status" data-test="lens-says">{{ big }}</p>
      <LensMarks
        v-model:note="note"
        :view="view"
        :ring="ring"
        :unit="unit"
        :stands="stands"
        :turned="!!axis"
        @took="took"
      />
      <p class="small">
        {{ lens.focal_mm }} mm at f/{{ lens.f_number }}: field {{ three(view.sheet.field_deg) }},
        focused near {{ three(view.sheet.near_field_deg) }}. Hyperfocal
        {{ said(view.sheet.hyperfocal_m, unit) }}, circle {{ lens.circle_mm }} mm.
        {{ view.sheet.px_per_deg.toFixed(0) }} pixels to a degree.
      </p>
      <p v-for="t in view.sheet.says" :key="t" class="small" data-test="lens-note">{{ t }}</p>
      <LensBreathing
        :of="view.package"
        @took="took"
        @wrong="(text) => (note = { text, tone: 'over' })"
      />
      <p v-if="state?.handset" class="row small" data-test="handset">
        Focus handset:
        <b>{{ state.handset === "locked" ? "locked out while passes repeat" : "free" }}</b>
        <button class="link" data-test="handset-turn" @click="handset(state.handset === 'locked')">
          {{ state.handset === "locked" ? "let it in" : "lock it out" }}
        </button>
      </p>
      <LensFraming
        :of="view.package.id"
        :lens="lens"
        :version="view.package.version"
        :write="write"
      />
    </section>
    <p v-else class="quiet" role="status">{{ note.text || "Opening the lens …" }}</p>
  </div>
</template>

<style scoped>
.lens {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(400px, 1fr);
  gap: var(--s10);
  min-height: 0;
}
.drawn {
  overflow: hidden;
  min-height: 300px;
}
.top {
  position: absolute;
  left: 14px;
  right: 14px;
  top: 6px;
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  z-index: 1;
}
.top .link {
  margin-left: auto;
}
.tab {
  background: none;
  border: 0;
  border-bottom: 2px solid transparent;
  padding: 0;
  font: 600 var(--t16)/1.3 var(--head);
  color: var(--quiet);
  cursor: pointer;
}
.tab.here {
  color: var(--ink);
  border-color: var(--now);
}
.none {
  margin: var(--s24) var(--s20);
}
.side {
  padding: var(--s10) var(--s16);
  overflow: auto;
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: var(--s2) 0 var(--s6);
}
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
html.paper .quiet,
html.paper .tab:not(.here) {
  color: var(--muted);
}
@media (max-width: 900px) {
  .lens {
    grid-template-columns: 1fr;
  }
  .drawn {
    height: 340px;
  }
}
</style>
