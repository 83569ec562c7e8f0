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
import LensFraming from "./LensFraming.vue";
import { readNumber } from "../../shell/numbers";

// The rings of a camera package's lens: their scales by marks, taken at the rig; what is
// sharp along them; breathing; and how the picture is framed.
const shot = useShot();
const bench = useBench();
const outbox = useOutbox();
const live = useLive();
const prefs = usePrefs();
const view = shallowRef<LensView | null>(null);
const note = ref({ text: "", tone: "quiet" });
const ring = ref<"focus" | "iris" | "zoom">("focus");
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
const words = { focus: "Focus", iris: "Iris", zoom: "Zoom" } as const;
const big = computed(() => {
  const n = nearest.value;
  if (!scale.value) return `Nobody took marks of the ${ring.value} ring.`;
  if (!n)
    return axis.value
      ? `${words[ring.value]} is not homed: where its ring stands is not known.`
      : `${machine.value ? "" : "No machine of this shot turns the "}${ring.value} ring${machine.value ? "" : "; its marks are typed in"}.`;
  if (ring.value === "iris") return `The iris stands at T ${n.value.toFixed(1)}.`;
  if (ring.value === "zoom") return `The zoom stands at ${n.value.toFixed(0)} mm.`;
  return `Focused at ${said(n.value, unit.value)}: sharp from ${said(n.near_m, unit.value)} to ${said(n.far_m, unit.value)}.`;
});
const value = ref(""),
  deg = ref("");
async function mark(off?: number): Promise<void> {
  const p = view.value?.package;
  if (!p) return;
  const at = off ?? (deg.value.trim() ? readNumber(deg.value) : stands.value);
  if (at === undefined || !Number.isFinite(at)) {
    note.value = {
      text: axis.value
        ? "Home the ring first, or type where it stands in degrees."
        : "Type where the ring stands, in degrees.",
      tone: "over",
    };
    return;
  }
  const r = await api
    .POST("/api/packages/{id}/mark", {
      params: { path: { id: p.id } },
      body: {
        base: p.version,
        ring: ring.value,
        ring_deg: +at.toFixed(3),
        value: off === undefined ? value.value : undefined,
        off: off !== undefined,
      },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  took(r, off === undefined ? `Mark at ${at.toFixed(1)}°.` : "Taken away.");
  if (r.data && off === undefined) {
    value.value = "";
    deg.value = "";
  }
}
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
// Breathing: one thing framed twice.
const breath = ref({ near: "", nearWide: "", far: "", farWide: "" });
const breathing = ref(false);
async function measure(forgotten: boolean): Promise<void> {
  const p = view.value?.package;
  if (!p) return;
  const [near_m, near_wide, far_m, far_wide] = [
    breath.value.near,
    breath.value.nearWide,
    breath.value.far,
    breath.value.farWide,
  ].map(readNumber) as [number, number, number, number];
  if (!forgotten && [near_m, near_wide, far_m, far_wide].some((v) => !Number.isFinite(v))) {
    note.value = {
      text: "Give both distances in metres and how wide the thing is in each picture.",
      tone: "over",
    };
    return;
  }
  took(
    await api
      .POST("/api/packages/{id}/breathing", {
        params: { path: { id: p.id } },
        body: forgotten
          ? { base: p.version, near_m: 0, near_wide: 0, far_m: 0, far_wide: 0, forgotten }
          : { base: p.version, near_m, near_wide, far_m, far_wide },
      })
      .catch(() => ({ data: undefined, error: undefined })),
    forgotten ? "As a thin lens again." : "Breathing is measured.",
  );
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
const text = (v: number): string =>
  ring.value === "focus"
    ? said(v, unit.value)
    : ring.value === "iris"
      ? `T ${+v.toPrecision(3)}`
      : `${+v.toPrecision(3)} mm`;
const strays = computed(() => scale.value?.strays ?? []);
const marks = computed(
  () =>
    (ring.value === "focus"
      ? lens.value?.marks.map((m) => ({ ring: m.ring_deg, value: m.distance_m }))
      : ring.value === "iris"
        ? lens.value?.iris?.map((m) => ({ ring: m.ring_deg, value: m.t_stop }))
        : lens.value?.zoom?.map((m) => ({ ring: m.ring_deg, value: m.focal_mm }))) ?? [],
);
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
          v-for="(w, k) in words"
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
      <form class="row" @submit.prevent="mark()">
        <label
          >here stands
          <input
            v-model="value"
            class="field v"
            :placeholder="
              ring === 'focus'
                ? prefs.feet
                  ? `6' 3`
                  : '1.83'
                : ring === 'iris'
                  ? 'T 2.8'
                  : '35 mm'
            "
            data-test="mark-value"
        /></label>
        <label
          >at
          <input
            v-model="deg"
            class="field n"
            :placeholder="stands === undefined ? '?' : stands.toFixed(1)"
            inputmode="decimal"
            data-test="mark-deg"
            aria-label="Ring position in degrees"
          />°</label
        >
        <button class="btn slim lead" data-test="mark-take">Mark</button>
      </form>
      <p class="quiet small">
        {{
          ring === "focus"
            ? "Focus by eye on a chart, measure from the image plane to it with a tape, type that and press Mark."
            : "Set the ring to the engraving, type what it says and press Mark."
        }}
        <span :class="note.tone" role="status" data-test="lens-said">{{ note.text }}</span>
      </p>
      <p v-for="k in strays" :key="k.ring_deg" class="now" data-test="stray">
        The mark {{ text(k.value) }} at {{ k.ring_deg.toFixed(1) }}°
        {{
          k.one_of
            ? "may be the one that does not go with the others, or another that is named here"
            : "goes with none of the others"
        }}: they make {{ text(k.expect) }} of it, {{ Math.abs(k.off_deg).toFixed(1) }}° away. Take
        it again.
      </p>
      <table>
        <thead>
          <tr>
            <th>ring</th>
            <th>
              {{
                ring === "focus"
                  ? "from the image plane"
                  : ring === "iris"
                    ? "stop"
                    : "focal length"
              }}
            </th>
            <th v-if="ring === 'focus'">sharp</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(m, i) in marks" :key="i">
            <td>{{ m.ring.toFixed(1) }}°</td>
            <td>{{ text(m.value) }}</td>
            <td v-if="ring === 'focus'" class="quiet">
              {{ said(scale?.marks[i]?.near_m, unit) }} – {{ said(scale?.marks[i]?.far_m, unit) }}
            </td>
            <td class="r">
              <button class="link" :data-test="'unmark-' + i" @click="mark(m.ring)">off</button>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="small">
        {{ lens.focal_mm }} mm at f/{{ lens.f_number }}: field {{ three(view.sheet.field_deg) }},
        focused near {{ three(view.sheet.near_field_deg) }}. Hyperfocal
        {{ said(view.sheet.hyperfocal_m, unit) }}, circle {{ lens.circle_mm }} mm.
        {{ view.sheet.px_per_deg.toFixed(0) }} pixels to a degree.
      </p>
      <p v-for="t in view.sheet.says" :key="t" class="small" data-test="lens-note">{{ t }}</p>
      <p class="row small">
        <button class="link" data-test="breathing" @click="breathing = !breathing">
          measure breathing …</button
        ><button v-if="lens.breathing !== undefined" class="link" @click="measure(true)">
          forget it
        </button>
      </p>
      <form v-if="breathing" class="row small" @submit.prevent="measure(false)">
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
  gap: 10px;
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
  gap: 18px;
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
  font: 600 15px/1.3 var(--head);
  color: var(--quiet);
  cursor: pointer;
}
.tab.here {
  color: var(--ink);
  border-color: var(--now);
}
.none {
  margin: 60px 20px;
}
.side {
  padding: 10px 16px;
  overflow: auto;
}
.big {
  font: 600 24px/1.12 var(--head);
  margin: 2px 0 6px;
}
p {
  margin: 4px 0;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
  margin: 3px 0;
}
.v {
  width: 90px;
}
.n {
  width: 56px;
  text-align: right;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td,
th {
  padding: 1px 6px 1px 0;
}
.r {
  text-align: right;
}
html.paper .quiet,
html.paper th,
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
