<script setup lang="ts">
import { ref } from "vue";
import type { Scheme } from "../../api/client";
import { differs } from "../../stores/documents";
import { useFrames } from "../../stores/frames";
import { four } from "../../stores/shot";

// Layers, frames and holds. What has pictures is asked about by the application.
const emit = defineEmits<{ close: [] }>();
const frames = useFrames();
type Row = {
  id: string;
  number: number;
  name: string;
  note: string;
  lamps: string;
  puppet: boolean;
  apart: boolean;
  from: string;
  to: string;
  s: string;
  struck: boolean;
};
const s = frames.view?.scheme as Scheme;
const first = ref(four(s.first));
const last = ref(four(s.last - 1));
const holds = ref(s.holds.map((h) => `${four(h.from)} every ${h.every}`).join(", "));
const ask = ref(String(Math.round(s.ask_m * 1000)));
const share = ref(String(Math.round(s.speed_share * 100)));
const rows = ref<Row[]>(
  s.layers.map((l) => ({
    id: l.id,
    number: l.number,
    name: l.name,
    note: l.note,
    lamps: Object.entries(l.lamps)
      .map(([k, v]) => `${k} ${Math.round(v * 100)}`)
      .join(", "),
    puppet: l.puppet,
    apart: l.apart,
    from: four(l.from),
    to: four(l.to - 1),
    s: String(l.exposure_ms / 1000),
    struck: l.struck,
  })),
);
const said = ref("");
const sure = ref(false);

function add(): void {
  rows.value.push({
    id: crypto.randomUUID(),
    number: rows.value.length + 1,
    name: "",
    note: "",
    lamps: "key 100",
    puppet: true,
    apart: false,
    from: first.value,
    to: last.value,
    s: "0.5",
    struck: false,
  });
}
function read(): Scheme | string {
  const n = (t: string, what: string): number => {
    if (!/^-?\d+(\.\d+)?$/.test(t.trim()))
      throw new Error(`${what}: "${t}" cannot be read; give a number.`);
    return Number(t);
  };
  try {
    return {
      first: n(first.value, "First frame"),
      last: n(last.value, "Last frame") + 1,
      ask_m: n(ask.value, "Ask beyond") / 1000,
      speed_share: n(share.value, "Speed") / 100,
      holds: holds.value.split(",").map((t) => {
        const m = /^\s*(-?\d+)\s+every\s+(\d+)\s*$/.exec(t);
        if (!m)
          throw new Error(
            `Holds: "${t.trim()}" cannot be read; give them as 0000 every 2, 0048 every 1.`,
          );
        return { from: Number(m[1]), every: Number(m[2]) };
      }),
      layers: rows.value.map((r) => ({
        id: r.id,
        number: r.number,
        name: r.name,
        note: r.note,
        puppet: r.puppet,
        apart: r.apart,
        struck: r.struck,
        from: n(r.from, `${r.name}, from`),
        to: n(r.to, `${r.name}, to`) + 1,
        exposure_ms: Math.round(n(r.s, `${r.name}, exposure`) * 1000),
        lamps: Object.fromEntries(
          r.lamps
            .split(",")
            .map((t) => t.trim())
            .filter(Boolean)
            .map((t) => {
              const m = /^(\S.*?)\s+(\d+(?:\.\d+)?)$/.exec(t);
              if (!m)
                throw new Error(
                  `${r.name}, lamps: "${t}" cannot be read; give names and per cent, as key ` +
                    "100, lamp 60.",
                );
              return [m[1] ?? "", Number(m[2]) / 100];
            }),
        ),
      })),
    };
  } catch (e) {
    return e instanceof Error ? e.message : String(e);
  }
}
// What is typed is held against what was opened.
let seen = frames.view?.revision ?? 0;
const before = read();
async function save(): Promise<void> {
  const next = read();
  if (typeof next === "string") {
    said.value = next;
    return;
  }
  const changes = differs(before, next).map((c) => ({ ...c, seen }));
  const r =
    changes.length > 0
      ? await frames.change(changes, sure.value)
      : { said: "", ask: false, stale: false };
  said.value = r.said;
  sure.value = r.ask;
  if (r.stale) seen = frames.view?.revision ?? seen; // that was said: pressed again, it is meant
  if (!r.said) emit("close");
}
</script>

<template>
  <v-dialog :model-value="true" max-width="980" @update:model-value="emit('close')">
    <form
      class="sheet"
      aria-labelledby="scheme-title"
      data-test="scheme-sheet"
      @submit.prevent="save"
    >
      <h2 id="scheme-title">Layers and frames</h2>
      <div class="line">
        <label
          >frames <input v-model="first" class="field n" data-test="scheme-first" /> to
          <input v-model="last" class="field n" aria-label="last frame" data-test="scheme-last"
        /></label>
        <label
          >a picture from
          <input
            v-model="holds"
            class="field holds"
            data-test="scheme-holds"
            title="as 0000 every 2, 0048 every 1"
        /></label>
        <label>ask beyond <input v-model="ask" class="field n" /> mm</label>
        <label>at <input v-model="share" class="field n" /> % of the working speed</label>
      </div>
      <table>
        <thead>
          <tr>
            <th>layer</th>
            <th>note</th>
            <th>lamps, %</th>
            <th>from</th>
            <th>to</th>
            <th>exposure, s</th>
            <th>puppet in</th>
            <th>a run apart</th>
            <th>struck</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, i) in rows" :key="i">
            <td>
              <input
                v-model="r.name"
                class="field"
                aria-label="name"
                :data-test="`layer-${i + 1}-name`"
              />
            </td>
            <td><input v-model="r.note" class="field" aria-label="note" /></td>
            <td><input v-model="r.lamps" class="field" aria-label="lamps" /></td>
            <td><input v-model="r.from" class="field n" aria-label="from" /></td>
            <td><input v-model="r.to" class="field n" aria-label="to" /></td>
            <td><input v-model="r.s" class="field n" aria-label="exposure in seconds" /></td>
            <td><input v-model="r.puppet" type="checkbox" aria-label="puppet in" /></td>
            <td><input v-model="r.apart" type="checkbox" aria-label="a run apart" /></td>
            <td>
              <input
                v-model="r.struck"
                type="checkbox"
                aria-label="struck"
                :data-test="`layer-${i + 1}-struck`"
              />
            </td>
            <td>
              <button
                type="button"
                class="link"
                :data-test="`layer-${i + 1}-out`"
                @click="rows.splice(i, 1)"
              >
                take out
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="said" class="over" role="alert" data-test="scheme-said">{{ said }}</p>
      <div class="row">
        <button type="button" class="btn" data-test="add-layer" @click="add">one more layer</button
        ><span class="fill" />
        <button type="button" class="btn" @click="emit('close')">Leave it</button>
        <button class="btn lead" data-test="scheme-save">
          {{ sure ? "Change it all the same" : "Change it" }}
        </button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s8) var(--s16);
  margin: var(--s10) 0;
}
.n {
  width: 56px;
}
.holds {
  width: 190px;
}
td {
  padding: var(--s2) var(--s8) var(--s2) 0;
  vertical-align: middle;
}
td .field:not(.n) {
  width: 130px;
}
.row {
  display: flex;
  gap: var(--s12);
  margin-top: var(--s12);
}
.fill {
  flex: 1;
}
</style>
