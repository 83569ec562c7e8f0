<script setup lang="ts">
import { computed, ref } from "vue";
import type { RigDoc, WireFinding } from "../api/client";
import { useElementSize } from "./size";

// The controller and what hangs on each of its wires, one line for each wire: what
// answers stands in ink, what does not is dashed, what nobody knows is set apart.
const props = defineProps<{ rig: RigDoc; findings: WireFinding[]; known: boolean }>();
const box = ref<HTMLElement | null>(null);
const { width, height: tall } = useElementSize(box);
interface Node {
  key: string;
  title: string;
  under: string;
  word: string;
  x: number;
}
interface Line {
  name: string;
  under: string;
  bad: string;
  nodes: Node[];
  y: number;
}
const split = (wire: string): [string, string] => {
  const [w = "", c = ""] = wire.split(" · ");
  return [w, c || "1"];
};
const lines = computed<Line[]>(() => {
  const names: string[] = [];
  const add = (n: string): void => {
    if (!names.includes(n)) names.push(n);
  };
  for (const w of props.rig.book?.wires ?? []) add(w.name);
  for (const a of props.rig.axes) add(split(a.wire)[0]);
  const out: Line[] = [];
  const apart = Math.max(104, Math.min(190, (tall.value - 60) / names.length));
  let y = Math.max(64, apart / 2);
  for (const n of names) {
    const w = props.rig.book?.wires?.find((x) => x.name === n);
    const bad =
      props.findings.find((f) => f.wire === n && !f.axis && !f.channel && f.word !== "ok")?.word ??
      "";
    const nodes: Omit<Node, "x">[] = props.rig.axes
      .filter((a) => split(a.wire)[0] === n)
      .map((a) => {
        const f = props.findings.find((x) => x.axis === a.id);
        return { key: a.id, title: a.name, under: split(a.wire)[1], word: f?.word ?? "" };
      });
    for (const f of props.findings)
      if (f.wire === n && f.channel && !f.axis)
        nodes.push({ key: f.word, title: "?", under: f.channel, word: f.word });
    if (w?.kind === "lighting" && nodes.length === 0)
      nodes.push({ key: "lamps", title: "lamps", under: "1", word: "ok" });
    const room = Math.max(200, width.value - 210),
      per = Math.min(nodes.length, Math.max(1, Math.floor(room / 96)));
    out.push({
      name: n,
      under: [
        w?.kind,
        w?.address,
        w ? `${w.cable_m ?? "?"} m of cable for ${w.run_m ?? "?"} m` : "",
      ]
        .filter(Boolean)
        .join(", "),
      bad,
      y,
      nodes: nodes.map((d, i) => ({ ...d, x: 190 + (i % per) * (room / per) + 40 })),
    });
    y += apart;
  }
  return out;
});
const height = computed(() => Math.max(tall.value - 4, 40 + lines.value.length * 104));
const fault = (w: string): boolean => w !== "" && w !== "ok";
</script>

<template>
  <div ref="box" class="wiring">
    <svg
      :width="width"
      :height="height"
      role="img"
      :aria-label="`What is on the wires of ${rig.name}`"
      data-test="wiring"
    >
      <rect x="16" y="20" width="66" :height="height - 40" fill="var(--tint)" stroke="var(--ink)" />
      <text
        :x="49"
        :y="height / 2"
        text-anchor="middle"
        class="ctl"
        :transform="`rotate(-90 49 ${height / 2})`"
      >
        controller
      </text>
      <g v-for="l in lines" :key="l.name">
        <line
          x1="82"
          :x2="l.nodes.at(-1)?.x ?? 190"
          :y1="l.y"
          :y2="l.y"
          :stroke="l.bad ? 'var(--now)' : 'var(--ink)'"
          stroke-width="2"
          :stroke-dasharray="l.bad ? '7 5' : ''"
        />
        <text x="92" :y="l.y - 10" class="name">{{ l.name }}</text>
        <text x="92" :y="l.y + 40" class="lab">{{ l.under }}</text>
        <text v-if="l.bad" x="92" :y="l.y + 18" class="bad halo">{{ l.bad }}</text>
        <g v-for="n in l.nodes" :key="n.key" :data-test="'node-' + n.key" :data-word="n.word">
          <rect
            :x="n.x - 36"
            :y="l.y - 19"
            width="72"
            height="38"
            :fill="known ? 'var(--sheet)' : 'var(--tint)'"
            :stroke="fault(n.word) ? 'var(--now)' : 'var(--ink)'"
            :stroke-width="fault(n.word) ? 3 : 1.5"
            :stroke-dasharray="n.word === 'missing' || !known ? '5 4' : ''"
          />
          <text :x="n.x" :y="l.y - 2" text-anchor="middle" class="name">{{ n.title }}</text>
          <text :x="n.x" :y="l.y + 12" text-anchor="middle" class="lab">{{ n.under }}</text>
          <text v-if="fault(n.word)" :x="n.x" :y="l.y - 26" text-anchor="middle" class="bad halo">
            {{ n.word }}
          </text>
        </g>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.wiring {
  width: 100%;
  height: 100%;
}
svg {
  display: block;
}
.name {
  font: 600 var(--t16) var(--head);
}
.ctl {
  font: 600 var(--t16) var(--head);
  letter-spacing: 0.08em;
}
.bad {
  fill: var(--now);
  font-size: var(--t11);
  font-weight: 700;
}
</style>
