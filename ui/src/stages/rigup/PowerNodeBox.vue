<script setup lang="ts">
import { computed, ref, type Ref } from "vue";
import type { PowerNode, PowerView } from "../../api/client";
import { useDraft } from "../../stores/draft";
import { usePower } from "../../stores/power";

// One node of the wiring: what it gives or takes, and its cable.
const props = defineProps<{
  node: PowerNode;
  sheet: PowerView["sheet"];
  nodes: PowerNode[];
  axes: { id: string; name: string }[];
}>();
const power = usePower();
type Num =
  | "volts"
  | "breaker_a"
  | "most_w"
  | "battery_wh"
  | "headroom_v"
  | "cable_m"
  | "section_mm2"
  | "cable_a"
  | "standby_w"
  | "rated_w"
  | "peak_w"
  | "start_w";
const gives: [Num, string, string][] = [
  ["volts", "gives", "V"],
  ["breaker_a", "breaker", "A"],
  ["most_w", "made for", "W"],
];
const draws: [Num, string, string][] = [
  ["standby_w", "at rest", "W"],
  ["rated_w", "rated", "W"],
  ["peak_w", "peak", "W"],
  ["start_w", "switching on", "W"],
];
const nums = [
  "volts",
  "breaker_a",
  "most_w",
  "battery_wh",
  "headroom_v",
  "cable_m",
  "section_mm2",
  "cable_a",
  "standby_w",
  "rated_w",
  "peak_w",
  "start_w",
] as const;
const draft = useDraft(() => {
  const n = props.node;
  const t = (v?: number): string => (v ? String(v) : "");
  const form: Record<string, string | boolean> = {
    name: n.name,
    from: n.from ?? "",
    axis: n.axis ?? "",
    plug: n.plug ?? "",
    socket: n.socket ?? "",
    centre: n.centre ?? "",
    takes_centre: n.takes_centre ?? "",
    v0: t(n.takes_v?.[0]),
    v1: t(n.takes_v?.[1]),
    reserve: n.reserve ? String(n.reserve * 100) : "",
    lines: n.lines === 3 ? "3" : "",
    line: n.line ? String(n.line) : "",
    efficiency: n.efficiency ? String(n.efficiency * 100) : "",
    dc: n.dc ?? false,
    takes_dc: n.takes_dc ?? false,
  };
  for (const k of nums) form[k] = t(n[k]);
  return { version: power.view?.revision ?? 0, form };
});
const f = draft.f as Ref<Record<string, string>>;
const on = draft.f as Ref<Record<string, unknown>> as Ref<{ dc: boolean; takes_dc: boolean }>;
const s = computed(() => props.sheet.nodes?.find((x) => x.id === props.node.id));
const feeders = computed(() =>
  props.nodes.filter((n) => n.role !== "device" && n.id !== props.node.id),
);
// Whether what it hangs on has three lines to choose from.
const three = computed(() => {
  const root = (id?: string): PowerNode | undefined => props.nodes.find((n) => n.id === id);
  let n = root(f.value["from"]);
  for (
    let k = 0;
    n && n.role === "converter" && !n.line && !n.efficiency && !n.headroom_v && k < 200;
    k++
  )
    n = root(n.from);
  return n?.role === "supply" && n.lines === 3;
});
const wrong = ref("");
function nodeOf(f: Record<string, unknown>): PowerNode {
  const text = (k: string): string => String(f[k] ?? "").trim();
  const num = (k: string): number | undefined => {
    const t = text(k).replace(",", ".");
    if (!t) return undefined;
    const v = Number(t);
    if (!Number.isFinite(v)) throw new Error(t);
    return v;
  };
  const n: PowerNode = {
    id: props.node.id,
    role: props.node.role,
    name: text("name"),
    from: text("from") || undefined,
    axis: text("axis") || undefined,
    plug: text("plug") || undefined,
    socket: text("socket") || undefined,
    centre: (text("centre") || undefined) as PowerNode["centre"],
    takes_centre: (text("takes_centre") || undefined) as PowerNode["takes_centre"],
    dc: f.dc === true || undefined,
    takes_dc: f.takes_dc === true || undefined,
  };
  for (const k of nums) n[k] = num(k);
  const lo = num("v0"),
    hi = num("v1"),
    reserve = num("reserve"),
    eff = num("efficiency");
  if (lo !== undefined || hi !== undefined) n.takes_v = [lo ?? 0, hi ?? 0];
  if (text("lines")) n.lines = Number(text("lines"));
  if (text("line")) n.line = Number(text("line"));
  if (reserve !== undefined) n.reserve = reserve / 100;
  if (eff !== undefined) n.efficiency = eff / 100;
  return n;
}
const load = (l: { v: number; a: number; settles: boolean }): string =>
  l.settles ? `${l.v.toFixed(1)} V, ${l.a.toFixed(1)} A` : "the voltage collapses";
async function keep(): Promise<void> {
  wrong.value = "";
  try {
    await draft.keep(
      (f) => ({ nodes: [nodeOf(f)] }),
      (changes) => power.amend(changes),
    );
  } catch (e) {
    wrong.value = `“${(e as Error).message}” is not a number.`;
  }
}
</script>

<template>
  <section class="box node" aria-labelledby="node-title">
    <div class="top">
      <h2 id="node-title" class="cap">{{ node.name }}</h2>
      <button class="link small" data-test="node-close" @click="power.picked = ''">
        to the whole
      </button>
    </div>
    <p v-if="s" class="big" data-test="node-says">
      {{
        s.now.settles
          ? `${s.now.v.toFixed(1)} V, ${s.now.a.toFixed(1)} A, ${s.now.w.toFixed(0)} W`
          : "The voltage collapses."
      }}
    </p>
    <p v-if="s" class="quiet small">
      at rest {{ load(s.rest) }}; at rated speed {{ load(s.peak)
      }}<template v-if="s.all_a">; switched on all at once {{ s.all_a.toFixed(1) }} A</template>
    </p>
    <p v-if="s && (s.carries_a || s.now.line_a)" class="quiet small" data-test="node-cable-says">
      <template v-if="s.carries_a"
        >{{ s.nowhere ? "its voltage collapses" : `at the most ${s.most_a.toFixed(1)} A` }}; its
        cable carries {{ s.carries_a }} A rolled out<template v-if="s.fault_a"
          >; a short at its end draws up to {{ s.fault_a.toFixed(0) }} A</template
        ></template
      ><template v-if="s.now.line_a"
        >{{ s.carries_a ? " · " : "" }}lines
        {{ s.now.line_a.map((a) => a.toFixed(1)).join(", ") }} A</template
      >
    </p>
    <p v-for="j in s?.joins ?? []" :key="j" class="over" data-test="node-join">{{ j }}.</p>
    <form @submit.prevent="keep">
      <label
        >called <input v-model="f['name']" class="field w" data-test="node-name" maxlength="60"
      /></label>
      <template v-if="node.role !== 'supply'">
        <label
          >hangs on
          <select v-model="f['from']" class="field w" data-test="node-from">
            <option v-for="n in feeders" :key="n.id" :value="n.id">{{ n.name }}</option>
          </select></label
        >
        <div class="row">
          <label
            >by
            <input
              v-model="f['cable_m']"
              class="field n"
              inputmode="decimal"
              data-test="node-cable"
            />
            m of</label
          ><label
            ><input
              v-model="f['section_mm2']"
              class="field n"
              inputmode="decimal"
              data-test="node-section"
            />
            mm²,</label
          ><label
            >good for
            <input
              v-model="f['cable_a']"
              class="field n"
              inputmode="decimal"
              data-test="node-cable-a"
            />
            A</label
          >
        </div>
        <label v-if="three"
          >on
          <select v-model="f['line']" class="field" data-test="node-line">
            <option value="">all three lines</option>
            <option value="1">line 1</option>
            <option value="2">line 2</option>
            <option value="3">line 3</option>
          </select></label
        >
        <div class="row">
          <label>plug <input v-model="f['plug']" class="field m" data-test="node-plug" /></label
          ><label
            ><input v-model="on.takes_dc" type="checkbox" data-test="node-takes-dc" /> takes
            DC</label
          ><label v-if="on.takes_dc"
            >middle
            <select v-model="f['takes_centre']" class="field" data-test="node-takes-centre">
              <option value="" />
              <option>+</option>
              <option>-</option>
            </select></label
          >
        </div>
        <div class="row">
          <label
            >takes
            <input v-model="f['v0']" class="field n" inputmode="decimal" data-test="node-v0" />
            to</label
          ><label><input v-model="f['v1']" class="field n" inputmode="decimal" /> V</label>
        </div>
      </template>
      <template v-if="node.role !== 'device'">
        <div class="row">
          <label v-for="[k, t, u] in gives" :key="k"
            >{{ t }}
            <input v-model="f[k]" class="field n" inputmode="decimal" :data-test="'node-' + k" />
            {{ u }}</label
          >
        </div>
        <div class="row">
          <label>socket <input v-model="f['socket']" class="field m" /></label
          ><label><input v-model="on.dc" type="checkbox" data-test="node-dc" /> gives DC</label
          ><label v-if="on.dc"
            >middle
            <select v-model="f['centre']" class="field" data-test="node-centre">
              <option value="" />
              <option>+</option>
              <option>-</option>
            </select></label
          >
        </div>
        <label v-if="node.role === 'supply'"
          >phases
          <select v-model="f['lines']" class="field lines" data-test="node-lines">
            <option value="">one line</option>
            <option value="3">three lines: volts to neutral</option>
          </select></label
        >
        <div v-if="node.role === 'supply'" class="row">
          <label
            >battery of
            <input
              v-model="f['battery_wh']"
              class="field n"
              inputmode="decimal"
              data-test="node-battery"
            />
            Wh,</label
          ><label
            ><input v-model="f['reserve']" class="field n" inputmode="decimal" /> % stay in
            it</label
          >
        </div>
        <div v-else class="row">
          <label
            >needs
            <input
              v-model="f['headroom_v']"
              class="field n"
              inputmode="decimal"
              data-test="node-headroom"
            />
            V over that</label
          ><label
            ><input v-model="f['efficiency']" class="field n" inputmode="decimal" /> % come
            out</label
          >
        </div>
        <p v-if="node.role === 'converter'" class="quiet small">
          A box that passes on the volts that it gets: the same volts, and neither of these.
        </p>
      </template>
      <template v-else>
        <div class="row">
          <label v-for="[k, t, u] in draws" :key="k"
            >{{ t }}
            <input v-model="f[k]" class="field n" inputmode="decimal" :data-test="'node-' + k" />
            {{ u }}</label
          >
        </div>
        <label
          >drives
          <select v-model="f['axis']" class="field w" data-test="node-axis">
            <option value="">no axis: it may draw its peak at any time</option>
            <option v-for="a in axes" :key="a.id" :value="a.id">{{ a.name }}</option>
          </select></label
        >
      </template>
      <p v-if="wrong" class="over" role="alert">{{ wrong }}</p>
      <p v-else class="small" :class="power.said.tone" role="status" data-test="node-said">
        {{ power.said.text }}
      </p>
      <div class="row">
        <button class="btn slim lead" type="submit" data-test="node-keep">keep</button
        ><button
          class="btn slim"
          type="button"
          data-test="node-remove"
          @click="power.remove(node.id)"
        >
          take it out
        </button>
      </div>
    </form>
  </section>
</template>

<style scoped>
.node {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s6);
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: var(--s8);
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: 0;
}
p {
  margin: 0;
}
form {
  display: flex;
  flex-direction: column;
  gap: var(--s6);
  font-size: var(--t13);
  border-top: 1px solid var(--rule);
  padding-top: var(--s8);
}
label {
  display: flex;
  gap: var(--s4);
  align-items: center;
  white-space: nowrap;
}
.row {
  display: flex;
  gap: var(--s4) var(--s12);
  flex-wrap: wrap;
}
.w {
  flex: 1;
  min-width: 0;
}
.n {
  width: 56px;
  text-align: right;
}
.m {
  width: 92px;
}
html.paper .quiet {
  color: var(--muted);
}
.lines {
  min-width: 0;
  flex: 1;
  width: 0;
}
</style>
