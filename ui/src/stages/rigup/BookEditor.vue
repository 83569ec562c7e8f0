<script setup lang="ts">
import { allHomed, standing } from "../../stores/axes";
import { computed, onMounted, ref } from "vue";
import type { LiveMachine, RigDoc, RigSheet } from "../../api/client";
import { useBook } from "../../stores/book";
import { differs } from "../../stores/documents";
import BookBench from "./BookBench.vue";
import { needNumber } from "../../fields/numbers";

// What the book knows of a machine besides its axes: payload, room, parts, cables, pins and
// named poses. Written as one new version.
const props = defineProps<{ sheet: RigSheet; live?: LiveMachine; seen: boolean }>();
const emit = defineEmits<{ close: [] }>();
const store = useBook();
// As it was when it was opened; what is typed is held against that.
const opened = {
  version: props.sheet.rig.version,
  rig: JSON.parse(JSON.stringify(props.sheet.rig)) as RigDoc,
};
const doc = ref(JSON.parse(JSON.stringify(opened.rig)) as RigDoc);
doc.value.book ??= {};
const book = computed(() => doc.value.book!);
let before: RigDoc = opened.rig;
onMounted(() => {
  before = build();
});
const mountings = ["level", "sloped", "upright", "upside down"] as const;
const payload = ref<Record<string, string>>(
  Object.fromEntries(mountings.map((m) => [m, book.value.payload_kg?.[m]?.toString() ?? ""])),
);
const quiet = ref(
  book.value.quiet_share === undefined ? "" : String(Math.round(book.value.quiet_share * 100)),
);
const below = ref(book.value.below_tilt_m?.toString() ?? ""),
  ring = ref(book.value.roll_ring_m?.toString() ?? "");
const parts = ref(
  (book.value.parts ?? []).map((p) => ({
    name: p.name,
    kg: String(p.kg),
    count: String(p.count),
    people: String(p.people),
    vehicle: p.vehicle ?? "",
    is: p.is ?? "",
  })),
);
const cables = ref(
  (book.value.cables ?? []).map((c) => ({
    name: c.name,
    axis: c.axis,
    loop: String(c.loop_m),
    radius: c.radius_m?.toString() ?? "",
  })),
);
const pins = ref((book.value.lock_pins ?? []).map((p) => ({ ...p })));
const poses = ref(
  JSON.parse(JSON.stringify(book.value.poses ?? {})) as Record<string, Record<string, number>>,
);
const poseName = ref("transport");
const bench = ref<InstanceType<typeof BookBench> | null>(null);
const why = ref(""),
  wrong = ref("");
const here = computed(() =>
  props.seen && allHomed(props.live?.state) ? standing(props.live?.state) : undefined,
);
function stand(): void {
  if (here.value)
    poses.value[poseName.value] = Object.fromEntries(
      Object.entries(here.value).map(([a, v]) => [a, +v.toFixed(2)]),
    );
}
// How it sways: typed, or read off a ring-down.
const swayHz = ref(doc.value.sway ? String(+doc.value.sway.hz.toPrecision(4)) : ""),
  swayDamping = ref(doc.value.sway ? String(+(doc.value.sway.damping * 100).toPrecision(3)) : ""),
  readings = ref("");
async function ringDown(): Promise<void> {
  const rows = readings.value
    .trim()
    .split("\n")
    .map((l) =>
      l
        .trim()
        .split(/[\s,;]+/)
        .map(Number),
    );
  wrong.value = rows.some((x) => x.length !== 2 || !x.every(Number.isFinite))
    ? "Readings: give seconds and a value on each line."
    : "";
  if (wrong.value) return;
  const r = await fetch("/api/calc/ring-down", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ t_s: rows.map((x) => x[0]), values: rows.map((x) => x[1]) }),
  });
  const got = (await r.json()) as {
    hz?: number;
    damping?: number;
    error?: { wrong: string; want: string };
  };
  if (got.hz === undefined || got.damping === undefined)
    wrong.value = `Readings: ${got.error?.wrong}; ${got.error?.want}.`;
  else
    [swayHz.value, swayDamping.value] = [got.hz.toPrecision(4), (got.damping * 100).toPrecision(3)];
}
function build(): RigDoc {
  const d = JSON.parse(JSON.stringify(doc.value)) as RigDoc,
    b = d.book!;
  b.payload_kg = Object.fromEntries(
    mountings
      .filter((m) => payload.value[m]?.trim())
      .map((m) => [m, needNumber(payload.value[m]!, `Payload ${m}`)]),
  );
  b.quiet_share = quiet.value.trim() ? needNumber(quiet.value, "Quiet up to") / 100 : undefined;
  b.below_tilt_m = below.value.trim()
    ? needNumber(below.value, "Room under the tilt axis")
    : undefined;
  b.roll_ring_m = ring.value.trim() ? needNumber(ring.value, "Roll ring") : undefined;
  b.parts = parts.value
    .filter((p) => p.name.trim())
    .map((p) => ({
      name: p.name.trim(),
      kg: needNumber(p.kg, p.name),
      count: needNumber(p.count, p.name),
      people: needNumber(p.people, p.name),
      ...(p.vehicle.trim() ? { vehicle: p.vehicle.trim() } : {}),
      ...(p.is ? { is: p.is as "head" | "counterweight" } : {}),
    }));
  b.cables = cables.value
    .filter((c) => c.name.trim())
    .map((c) => ({
      name: c.name.trim(),
      axis: c.axis,
      loop_m: needNumber(c.loop, c.name),
      ...(c.radius.trim() ? { radius_m: needNumber(c.radius, c.name) } : {}),
    }));
  d.sway =
    swayHz.value.trim() || swayDamping.value.trim()
      ? {
          hz: needNumber(swayHz.value, "Sways at"),
          damping: needNumber(swayDamping.value, "Dying away by") / 100,
        }
      : undefined;
  b.lock_pins = pins.value.filter((p) => p.name.trim());
  b.poses = JSON.parse(JSON.stringify(poses.value)) as typeof poses.value;
  Object.assign(b, bench.value?.take());
  return d;
}
async function keep(): Promise<void> {
  // Kept already: what fades is pressed once more, and has lost a part of its fields.
  if (!bench.value) return;
  wrong.value = "";
  try {
    const changes = differs(before, build()).map((c) => ({ ...c, seen: opened.version }));
    const made = await store.amend(changes, why.value || "the book's own part changed");
    if (made === "kept") emit("close");
    else wrong.value = store.said.text;
    // That was said: pressed again, it is meant.
    if (made === "stale") opened.version = store.sheet?.rig.version ?? opened.version;
  } catch (e) {
    wrong.value = (e as Error).message;
  }
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="820"
    @update:model-value="
      (x: boolean) => {
        if (!x) emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" aria-labelledby="book-title">
      <h2 id="book-title">What is known of {{ sheet.rig.name }}</h2>
      <form @submit.prevent="keep">
        <div class="scroll">
          <h3 class="cap">Carries, by its maker's rating</h3>
          <div class="line">
            <label v-for="m in mountings" :key="m"
              >{{ m }}
              <input
                v-model="payload[m]"
                class="field n"
                inputmode="decimal"
                :data-test="'payload-' + m.replace(' ', '-')"
              />
              kg</label
            >
          </div>
          <div class="line">
            <label
              >quiet up to <input v-model="quiet" class="field n" inputmode="decimal" /> % of its
              speeds</label
            ><label
              >room under the tilt axis
              <input v-model="below" class="field n" inputmode="decimal" /> m</label
            ><label>roll ring <input v-model="ring" class="field n" inputmode="decimal" /> m</label>
          </div>
          <div class="line">
            <label
              >sways at
              <input v-model="swayHz" class="field n" inputmode="decimal" data-test="sway-hz" />
              Hz</label
            ><label
              >dying away by
              <input
                v-model="swayDamping"
                class="field n"
                inputmode="decimal"
                data-test="sway-damping"
              />
              % of critical</label
            >
            <label class="why"
              >or from readings after a stop
              <textarea
                v-model="readings"
                class="field"
                rows="2"
                data-test="ring-readings"
                placeholder="seconds and a value on each line"
              /></label
            ><button
              type="button"
              class="btn slim"
              data-test="ring-read"
              :disabled="!readings.trim()"
              @click="ringDown"
            >
              read it off
            </button>
          </div>
          <BookBench ref="bench" :doc="doc" />
          <h3 class="cap">Parts</h3>
          <div v-for="(p, i) in parts" :key="i" class="part what">
            <input
              v-model="p.name"
              class="field"
              placeholder="part"
              :aria-label="`Part ${i + 1}`"
              :data-test="'part-name-' + i"
            /><label
              ><input
                v-model="p.kg"
                class="field n"
                inputmode="decimal"
                :data-test="'part-kg-' + i"
              />
              kg</label
            ><label>× <input v-model="p.count" class="field n" inputmode="numeric" /></label
            ><label><input v-model="p.people" class="field n" inputmode="numeric" /> people</label
            ><input
              v-model="p.vehicle"
              class="field"
              placeholder="goes in"
              aria-label="Vehicle"
            /><select
              v-model="p.is"
              class="field"
              :aria-label="`Part ${i + 1} is`"
              :data-test="'part-is-' + i"
            >
              <option value="">a part</option>
              <option value="head">the head</option>
              <option value="counterweight">a counterweight</option>
            </select>
          </div>
          <button
            type="button"
            class="link"
            data-test="add-part"
            @click="parts.push({ name: '', kg: '', count: '1', people: '1', vehicle: '', is: '' })"
          >
            another part
          </button>
          <h3 class="cap">Cables that an axis takes with it</h3>
          <div v-for="(c, i) in cables" :key="i" class="part">
            <input
              v-model="c.name"
              class="field"
              placeholder="cable"
              :aria-label="`Cable ${i + 1}`"
            /><select v-model="c.axis" class="field" aria-label="Axis">
              <option v-for="a in doc.axes" :key="a.id" :value="a.id">{{ a.name }}</option></select
            ><label>loop <input v-model="c.loop" class="field n" inputmode="decimal" /> m</label
            ><label
              >from the axis
              <input v-model="c.radius" class="field n" inputmode="decimal" /> m</label
            >
          </div>
          <button
            type="button"
            class="link"
            @click="cables.push({ name: '', axis: doc.axes[0]!.id, loop: '', radius: '' })"
          >
            another cable
          </button>
          <h3 class="cap">Lock pins</h3>
          <div v-for="(p, i) in pins" :key="i" class="part">
            <input
              v-model="p.name"
              class="field"
              placeholder="pin"
              :aria-label="`Pin ${i + 1}`"
            /><select v-model="p.axis" class="field" aria-label="Axis">
              <option v-for="a in doc.axes" :key="a.id" :value="a.id">{{ a.name }}</option>
            </select>
          </div>
          <button
            type="button"
            class="link"
            @click="pins.push({ name: '', axis: doc.axes[0]!.id })"
          >
            another pin
          </button>
          <h3 class="cap">Poses</h3>
          <p v-for="(q, n) in poses" :key="n" class="small">
            <b>{{ n }}</b>
            {{
              Object.entries(q)
                .map(([a, x]) => `${doc.axes.find((y) => y.id === a)?.name ?? a} ${x}`)
                .join(", ")
            }}
            <button type="button" class="link" @click="delete poses[n]">take out</button>
          </p>
          <div class="line">
            <label
              >as it stands, call it
              <select v-model="poseName" class="field">
                <option>home</option>
                <option>mounting</option>
                <option>transport</option>
              </select></label
            ><button
              type="button"
              class="btn slim"
              :disabled="!here"
              data-test="pose-here"
              @click="stand"
            >
              take it</button
            ><span v-if="!here" class="quiet small">it has to be seen and homed for that</span>
          </div>
        </div>
        <p v-if="wrong" class="over" role="alert" data-test="book-wrong">{{ wrong }}</p>
        <div class="line end">
          <label class="why">why <input v-model="why" class="field" maxlength="200" /></label
          ><button type="button" class="btn" @click="emit('close')">Leave it</button
          ><button type="submit" class="btn lead" data-test="book-keep">
            Write version {{ sheet.rig.version + 1 }}
          </button>
        </div>
      </form>
    </section>
  </v-dialog>
</template>

<style scoped>
h2 {
  font-size: var(--t24);
}
h3 {
  font-size: var(--t13);
  margin: var(--s8) 0 var(--s2);
}
.scroll {
  max-height: 58vh;
}
.line {
  display: flex;
  gap: var(--s14);
  flex-wrap: wrap;
  align-items: center;
  margin: var(--s2) 0;
  font-size: var(--t13);
}
.end {
  justify-content: flex-end;
  margin-top: var(--s10);
}
.part {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) 110px 100px 110px minmax(0, 1fr);
  gap: var(--s8);
  margin: var(--s2) 0;
  font-size: var(--t13);
  align-items: center;
}
.part.what {
  grid-template-columns: minmax(0, 1.4fr) 90px 80px 100px minmax(0, 1fr) 130px;
}
.n {
  width: 56px;
  text-align: right;
}
.field {
  min-height: 24px;
  padding: var(--s1) var(--s4);
}
.why {
  flex: 1;
  display: flex;
  gap: var(--s6);
  align-items: center;
}
.why .field {
  flex: 1;
}
p {
  margin: var(--s2) 0;
}
</style>
