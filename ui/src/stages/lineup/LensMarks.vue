<script setup lang="ts">
import { computed, ref } from "vue";
import { api, type LensView } from "../../api/client";
import { said, type LengthUnit } from "../../drawing/lengths";
import { usePrefs } from "../../stores/prefs";
import { readNumber } from "../../fields/numbers";
import { valueOf, type Ring } from "./rings";

// The marks of one ring: taken where it stands, or typed; listed, taken away; one that does not go
// with the others is named.
const props = defineProps<{
  view: LensView;
  ring: Ring;
  unit: LengthUnit;
  /** Where the ring stands, in degrees; undefined: that is not known. */
  stands?: number;
  /** A machine of the shot turns it. */
  turned: boolean;
}>();
const emit = defineEmits<{
  took: [answer: { data?: LensView; error?: unknown }, text: string];
}>();
const prefs = usePrefs();
const note = defineModel<{ text: string; tone: string }>("note", { required: true });
const lens = computed(() => props.view.package.lens);
const scale = computed(() => props.view.sheet[props.ring]);
const value = ref(""),
  deg = ref("");
const where = (): number | undefined => (deg.value.trim() ? readNumber(deg.value) : props.stands);
async function take(): Promise<void> {
  const at = where();
  if (at === undefined || !Number.isFinite(at)) {
    note.value = {
      text: props.turned
        ? "Home the ring first, or type where it stands in degrees."
        : "Type where the ring stands, in degrees.",
      tone: "over",
    };
    return;
  }
  if (await put(at, value.value, `Mark at ${at.toFixed(1)}°.`)) {
    value.value = "";
    deg.value = "";
  }
}
const off = (at: number): Promise<boolean> => put(at, undefined, "Taken away.");
// put makes a mark, or takes one off that has no value.
async function put(at: number, what: string | undefined, text: string): Promise<boolean> {
  const { id, version } = props.view.package;
  const answer = await api
    .POST("/api/packages/{id}/mark", {
      params: { path: { id } },
      body: {
        base: version,
        ring: props.ring,
        ring_deg: +at.toFixed(3),
        value: what,
        off: what === undefined,
      },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  emit("took", answer, text);
  return !!answer.data;
}
const text = (v: number): string => valueOf(props.ring, v, props.unit);
const likeThis = computed(
  () => ({ focus: prefs.feet ? `6' 3` : "1.83", iris: "T 2.8", zoom: "35 mm" })[props.ring],
);
const called = { focus: "from the image plane", iris: "stop", zoom: "focal length" } as const;
const how = computed(() =>
  props.ring === "focus"
    ? "Focus by eye on a chart, measure from the image plane to it with a tape, type that " +
      "and press Mark."
    : "Set the ring to the engraving, type what it says and press Mark.",
);
const strays = computed(() => scale.value?.strays ?? []);
const marks = computed(
  () =>
    ({
      focus: lens.value.marks.map((m) => ({ ring: m.ring_deg, value: m.distance_m })),
      iris: lens.value.iris?.map((m) => ({ ring: m.ring_deg, value: m.t_stop })),
      zoom: lens.value.zoom?.map((m) => ({ ring: m.ring_deg, value: m.focal_mm })),
    })[props.ring] ?? [],
);
</script>

<template>
  <form class="row" @submit.prevent="take">
    <label
      >here stands
      <input v-model="value" class="field v" :placeholder="likeThis" data-test="mark-value"
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
    {{ how }}
    <span :class="note.tone" role="status" data-test="lens-said">{{ note.text }}</span>
  </p>
  <p v-for="k in strays" :key="k.ring_deg" class="now" data-test="stray">
    The mark {{ text(k.value) }} at {{ k.ring_deg.toFixed(1) }}°
    {{
      k.one_of
        ? "may be the one that does not go with the others, or another that is named here"
        : "goes with none of the others"
    }}: they make {{ text(k.expect) }} of it, {{ Math.abs(k.off_deg).toFixed(1) }}° away. Take it
    again.
  </p>
  <table>
    <thead>
      <tr>
        <th>ring</th>
        <th>{{ called[ring] }}</th>
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
          <button class="link" :data-test="'unmark-' + i" @click="off(m.ring)">off</button>
        </td>
      </tr>
    </tbody>
  </table>
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
  padding: var(--s1) var(--s6) var(--s1) 0;
}
.r {
  text-align: right;
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
</style>
