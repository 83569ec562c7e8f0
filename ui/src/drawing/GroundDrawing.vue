<script setup lang="ts">
import { computed, ref } from "vue";
import type { GroundView } from "../api/client";
import { useElementSize } from "./size";

// The track as a long section: the sections that lie, the floor under either rail, and
// what is packed under them. Heights are drawn many times what they are, which is said.
const props = defineProps<{
  ground: GroundView["ground"];
  sheet: GroundView["sheet"];
  path?: [number, number] | undefined;
}>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const left = 64,
  right = 24;
const joints = computed(() => {
  const out = [0];
  for (const u of props.sheet.used ?? [])
    for (let i = 0; i < u.count; i++) out.push((out[out.length - 1] ?? 0) + u.mm);
  return out;
});
const supports = computed(() => props.ground.supports ?? []);
const long = computed(() =>
  Math.max(
    props.sheet.total_mm,
    props.sheet.need_mm,
    supports.value[supports.value.length - 1]?.at_mm ?? 0,
    1000,
  ),
);
const x = (mm: number): number =>
  left + (mm / long.value) * Math.max(width.value - left - right, 50);
const railY = 58;
const p = computed(() => props.sheet.packing);
const deep = computed(() =>
  Math.max(...[...(p.value?.left ?? []), ...(p.value?.right ?? [])].map((q) => q.need_mm), 10),
);
const top = computed(() => 128);
const floor = computed(() => Math.max(height.value - 46, top.value + 40));
// Pixels to a millimetre of height.
const scale = computed(() => (floor.value - top.value) / (deep.value * 1.15));
const times = computed(() => {
  const along = Math.max(width.value - left - right, 50) / long.value;
  const t = scale.value / along;
  return t > 50 ? Math.round(t / 10) * 10 : Math.round(t);
});
const y = (need: number): number => top.value + need * scale.value;
const line = (side: "left" | "right"): string =>
  (p.value?.[side] ?? [])
    .map(
      (q, i) =>
        `${i ? "L" : "M"}${x(supports.value[i]?.at_mm ?? 0).toFixed(1)} ${y(q.need_mm).toFixed(1)}`,
    )
    .join("");
// Packers from the floor up, as they lie.
const piles = computed(() =>
  (["left", "right"] as const).flatMap((side, s) =>
    (p.value?.[side] ?? []).flatMap((q, i) => {
      let under = q.need_mm;
      return (q.packers_mm ?? []).map((t, k) => {
        const at = {
          key: `${side}${i}.${k}`,
          x: x(supports.value[i]?.at_mm ?? 0) + (s ? 2 : -12),
          y: y(under - t),
          h: Math.max(t * scale.value, 1),
          t,
          side,
        };
        under -= t;
        return at;
      });
    }),
  ),
);
const bays = computed(() =>
  (p.value?.bays ?? []).map((b) => ({
    ...b,
    x0: x(b.from_mm),
    x1: x(b.to_mm),
    share: Math.max(
      Math.abs(b.slope_mm_per_m) / props.ground.rules.slope_mm_per_m,
      Math.abs(b.twist_mm_per_m) / props.ground.rules.twist_mm_per_m,
    ),
  })),
);
const tone = (s: number): string =>
  s < 0.5 ? "var(--h0)" : s < 0.8 ? "var(--h1)" : s <= 1.0001 ? "var(--h2)" : "var(--h3)";
// The run lies in the middle.
const from = computed(() => (props.sheet.total_mm - props.sheet.run_mm) / 2);
const metre = computed(() => {
  const out: number[] = [];
  const step = long.value > 12000 ? 2000 : long.value > 3000 ? 1000 : 500;
  for (let m = 0; m <= long.value + 1; m += step) out.push(m);
  return out;
});
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0"
      :width="width"
      :height="height"
      role="img"
      data-test="ground-drawing"
      :aria-label="`${sheet.says} ${sheet.level}`"
    >
      <text x="0" :y="railY + 5" class="thread">rails</text>
      <template v-if="joints.length > 1">
        <g v-for="(j, i) in joints.slice(0, -1)" :key="i">
          <rect
            :x="x(j) + 1"
            :y="railY - 8"
            :width="Math.max(x(joints[i + 1] ?? j) - x(j) - 2, 1)"
            height="16"
            fill="var(--tint)"
            stroke="var(--ink)"
            stroke-width="1.4"
          />
          <text
            :x="(x(j) + x(joints[i + 1] ?? j)) / 2"
            :y="railY - 14"
            text-anchor="middle"
            class="lab"
          >
            {{ (((joints[i + 1] ?? j) - j) / 1000).toFixed(2) }} m
          </text>
        </g>
        <g stroke="var(--now)" fill="none">
          <path :d="`M${x(from)} ${railY + 16}v12m0-6H${x(from + sheet.run_mm)}m0-6v12`" />
        </g>
        <text :x="x(from + sheet.run_mm / 2)" :y="railY + 40" text-anchor="middle" class="run halo">
          the carriage goes {{ (sheet.run_mm / 1000).toFixed(2) }} m
        </text>
      </template>
      <line
        v-else-if="sheet.need_mm > 0"
        :x1="x(0)"
        :x2="x(sheet.need_mm)"
        :y1="railY"
        :y2="railY"
        stroke="var(--ink)"
        stroke-dasharray="6 4"
        stroke-width="2"
      />
      <template v-if="p">
        <text x="0" :y="top + 4" class="thread">floor</text>
        <path
          :d="
            `${line('left')}L${x(supports[supports.length - 1]?.at_mm ?? 0)} ${floor + 14}L` +
            `${x(supports[0]?.at_mm ?? 0)} ${floor + 14}Z`
          "
          fill="var(--tint)"
        />
        <path :d="line('left')" fill="none" stroke="var(--ink)" stroke-width="1.6" />
        <path
          :d="line('right')"
          fill="none"
          stroke="var(--ink)"
          stroke-width="1.6"
          stroke-dasharray="5 4"
        />
        <g v-for="q in piles" :key="q.key">
          <rect
            :x="q.x"
            :y="q.y"
            width="10"
            :height="q.h"
            fill="var(--sheet)"
            stroke="var(--ink)"
            stroke-width="0.8"
          />
          <text
            v-if="q.h > 11"
            :x="q.x + 5"
            :y="q.y + q.h / 2 + 3.5"
            text-anchor="middle"
            class="t"
          >
            {{ q.t }}
          </text>
        </g>
        <g v-for="b in bays" :key="b.from_mm">
          <line :x1="b.x0" :x2="b.x1" :y1="top" :y2="top" stroke="var(--ink)" stroke-width="7" />
          <line
            :x1="b.x0"
            :x2="b.x1"
            :y1="top"
            :y2="top"
            :stroke="tone(b.share)"
            stroke-width="5"
          />
          <text
            v-if="b.x1 - b.x0 > 64"
            :x="(b.x0 + b.x1) / 2"
            :y="top - 8"
            text-anchor="middle"
            class="lab halo"
            :class="{ bad: !b.ok }"
          >
            {{ b.slope_mm_per_m.toFixed(1) }} · {{ b.twist_mm_per_m.toFixed(1) }}
          </text>
        </g>
        <text :x="width - right" :y="height - 6" text-anchor="end" class="lab">
          heights drawn {{ times }} times; slope · twist, mm/m; left rail solid, right dashed
        </text>
      </template>
      <text v-else :x="left" :y="top + 34" class="lab big">
        Lay a straight edge or a laser along, measure down to the floor under both rails at every
        support, and write it below.
      </text>
      <g v-for="m in metre" :key="m">
        <line :x1="x(m)" :x2="x(m)" :y1="height - 34" :y2="height - 29" stroke="var(--quiet)" />
        <text :x="x(m)" :y="height - 18" text-anchor="middle" class="lab">{{ m / 1000 }} m</text>
      </g>
      <line :x1="x(0)" :x2="x(long)" :y1="height - 34" :y2="height - 34" stroke="var(--quiet)" />
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
.thread {
  font: 600 var(--t16) var(--head);
}
.run {
  font-size: var(--t11);
  fill: var(--now);
}
.t {
  font-size: var(--t11);
}
.bad {
  fill: var(--over) !important;
  font-weight: 700;
}
.big {
  font-size: var(--t11);
}
</style>
