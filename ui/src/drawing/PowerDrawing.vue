<script setup lang="ts">
import { computed, ref } from "vue";
import type { PowerNode, PowerView } from "../api/client";
import { useElementSize } from "./size";

// One line from the supply to every device: as thick as its current, in the colour of its
// headroom, with the volts that are left along it.
const props = defineProps<{ nodes: PowerNode[]; sheet: PowerView["sheet"]; picked: string }>();
const emit = defineEmits<{ pick: [id: string] }>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const by = computed(() => new Map((props.sheet.nodes ?? []).map((n) => [n.id, n])));
const kids = (id: string): PowerNode[] => props.nodes.filter((n) => n.from === id);
// Leaves one under another, each feeder in the middle of what it feeds.
const rows = computed(() => {
  const out = new Map<string, number>();
  let next = 0;
  const lay = (n: PowerNode): number => {
    const ys = kids(n.id).map(lay);
    const y = ys.length ? ((ys[0] ?? 0) + (ys[ys.length - 1] ?? 0)) / 2 : next++;
    out.set(n.id, y);
    return y;
  };
  props.nodes.filter((n) => n.role === "supply").forEach(lay);
  return { at: out, count: Math.max(next, 1) };
});
const deep = computed(() => Math.max(...(props.sheet.nodes ?? []).map((n) => n.depth), 1));
const panel = 128,
  gap = 8;
const col = computed(() => (Math.max(width.value, 400) - panel - 2 * gap) / deep.value);
const row = computed(() => (height.value - 12) / rows.value.count);
const most = computed(() => Math.max(...(props.sheet.nodes ?? []).map((n) => n.now.a), 0.1));
const bits = computed(() =>
  props.nodes
    .map((n) => {
      const s = by.value.get(n.id);
      return s
        ? {
            n,
            s,
            x: gap + s.depth * col.value,
            y: 6 + ((rows.value.at.get(n.id) ?? 0) + 0.5) * row.value,
          }
        : undefined;
    })
    .filter((b): b is NonNullable<typeof b> => !!b),
);
const place = computed(() => new Map(bits.value.map((b) => [b.n.id, b])));
const lines = computed(() =>
  bits.value.flatMap((b) => {
    const a = b.n.from ? place.value.get(b.n.from) : undefined;
    if (!a) return [];
    const x0 = a.x + panel,
      x1 = b.x,
      bend = x0 + Math.min(34, (x1 - x0) * 0.3);
    const drop = a.s.now.out !== undefined && b.s.now.settles ? a.s.now.out - b.s.now.v : 0;
    return [
      {
        key: b.n.id,
        d: `M${x0} ${a.y}C${bend} ${a.y} ${x0 + 4} ${b.y} ${bend + 16} ${b.y}H${x1}`,
        wide: 1.5 + 7 * Math.sqrt(b.s.now.a / most.value),
        tone: tone(b.s.share),
        bad: b.s.share > 1 || (b.s.joins ?? []).length > 0,
        tx: bend + 22,
        y: b.y,
        text: b.n.cable_m ? `${b.n.cable_m} m · ${b.n.section_mm2} mm²` : "",
        drop: drop > 0.05 ? `−${drop.toFixed(1)} V` : "",
        room: x1 - bend - 26,
      },
    ];
  }),
);
const tone = (s: number): string =>
  s < 0.5 ? "var(--h0)" : s < 0.8 ? "var(--h1)" : s <= 1 ? "var(--h2)" : "var(--h3)";
const amps = (a: number): string => (a < 9.95 ? a.toFixed(1) : a.toFixed(0));
const over = (b: (typeof bits.value)[number]): boolean =>
  !b.s.now.settles ||
  (props.sheet.faults ?? []).some((f) => f.node === b.n.id) ||
  (b.s.joins ?? []).length > 0;
const thin = computed(() => row.value < 34);
const says = (b: (typeof bits.value)[number]): string =>
  !b.s.now.settles
    ? `${b.n.name}: its voltage collapses`
    : `${b.n.name}: ${b.s.now.v.toFixed(1)} volts, ${amps(b.s.now.a)} amperes, ` +
      `${Math.round(b.s.now.w)} watts${over(b) ? ", not borne" : ""}`;
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0 && bits.length"
      :width="width"
      :height="height"
      role="group"
      aria-label="The wiring"
      data-test="power-drawing"
    >
      <g v-for="l in lines" :key="l.key">
        <path :d="l.d" fill="none" stroke="var(--ink)" :stroke-width="l.wide + 2" />
        <path
          :d="l.d"
          fill="none"
          :stroke="l.tone"
          :stroke-width="l.wide"
          :stroke-dasharray="l.bad ? '5 3' : undefined"
        />
        <text
          v-if="l.text.length * 5.9 < l.room"
          :x="l.tx"
          :y="l.y - l.wide / 2 - 4"
          class="lab halo"
        >
          {{ l.text }}
        </text>
        <text v-if="l.drop" :x="l.tx" :y="l.y + l.wide / 2 + 13" class="lab halo">
          {{ l.drop }}
        </text>
      </g>
      <g
        v-for="b in bits"
        :key="b.n.id"
        class="node"
        role="button"
        tabindex="0"
        :aria-label="says(b)"
        :aria-pressed="picked === b.n.id"
        :data-test="'node-' + b.n.id"
        @click="emit('pick', b.n.id)"
        @keydown.enter.prevent="emit('pick', b.n.id)"
        @keydown.space.prevent="emit('pick', b.n.id)"
      >
        <rect
          :x="b.x"
          :y="b.y - Math.min(row * 0.43, 21)"
          :width="panel"
          :height="Math.min(row * 0.86, 42)"
          :fill="picked === b.n.id ? 'var(--wash)' : 'var(--sheet)'"
          :stroke="picked === b.n.id ? 'var(--now)' : 'var(--ink)'"
          :stroke-width="b.n.role === 'device' ? 1 : 2.2"
        />
      </g>
      <g v-for="b in bits" :key="b.n.id + 't'" class="said" aria-hidden="true">
        <text :x="b.x + 8" :y="thin ? b.y + 4 : b.y - 3" class="name">
          {{
            b.n.name.length > (thin ? 10 : 17) ? b.n.name.slice(0, thin ? 9 : 16) + "…" : b.n.name
          }}
        </text>
        <text
          :x="thin ? b.x + panel - 6 : b.x + 8"
          :y="thin ? b.y + 4 : b.y + 13"
          :text-anchor="thin ? 'end' : 'start'"
          class="volts"
          :class="{ bad: over(b) }"
        >
          <template v-if="!b.s.now.settles">voltage collapses</template>
          <template v-else>
            {{ (b.n.role === "supply" ? (b.n.volts ?? 0) : b.s.now.v).toFixed(thin ? 0 : 1) }} V
            <tspan v-if="!thin" dx="3">{{ amps(b.s.now.a) }} A</tspan>
          </template>
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.host {
  flex: 1;
  min-height: 0;
  min-width: 0;
  overflow: hidden;
}
.node {
  cursor: pointer;
}
.said {
  pointer-events: none;
}
.name {
  font: 600 var(--t16) var(--head);
}
.volts {
  font-size: var(--t11);
}
.volts.bad {
  fill: var(--over);
  font-weight: 700;
}
</style>
