<script setup lang="ts">
import { computed } from "vue";
import type { Sheet } from "../api/client";
import { line, projection, type Frame } from "./sheet";

// A machine from its joints' frames alone, whatever its chain: rails where a joint
// slides that nothing moving carries, links from joint to joint, a ring where one
// turns. Rails stand still; what moves on them is drawn for a pose of the joints.
const props = defineProps<{
  sheet: Sheet;
  frame: Frame;
  side: boolean;
  joints?: number[][];
  rails?: boolean;
  ghost?: boolean;
}>();
const to = computed(() => projection(props.frame, props.side));
const gauge = 0.11; // metres between a rail's two lines
const wide = computed(() => Math.max(7, gauge * props.frame.k));

const tracks = computed(() =>
  (props.rails ? props.sheet.rails : []).map((r) => {
    const [a = [], b = []] = r.hard_m;
    const [ax, ay] = to.value(a),
      [bx, by] = to.value(b);
    const long = Math.hypot(bx - ax, by - ay) > 4;
    const upright = Math.abs(by - ay) > Math.abs(bx - ax);
    const legs =
      props.side && long && (a[2] ?? 0) > 0.12
        ? (upright ? [0] : [0.05, 0.95]).map((s) => foot(a, b, s))
        : [];
    return { axis: r.axis, d: line([a, b], to.value), long, x: ax, y: ay, legs };
  }),
);
// A trestle under a rail that lies above the floor.
function foot(a: readonly number[], b: readonly number[], s: number): string {
  const [x, y] = to.value(a.map((v, i) => v + s * ((b[i] ?? 0) - v)));
  const out = 0.07 * props.frame.k;
  return `M${x} ${y}L${x - out} ${props.frame.floorY}M${x} ${y}L${x + out} ${props.frame.floorY}`;
}
const links = computed(() =>
  (props.joints ? props.sheet.links : []).flatMap((l, k) => {
    const at = props.joints?.[k],
      from = l.parent >= 0 ? props.joints?.[l.parent] : undefined;
    if (!at || !from || ((props.sheet.links[l.parent]?.parent ?? -1) < 0 && l.kind === "prismatic"))
      return [];
    return [{ k, d: line([from, at], to.value) }];
  }),
);
const turns = computed(() =>
  (props.joints ? props.sheet.links : []).flatMap((l, k) => {
    const at = props.joints?.[k];
    if (!at || l.kind !== "revolute") return [];
    const [x, y] = to.value(at);
    return [{ k, x, y }];
  }),
);
</script>

<template>
  <g :class="{ ghost }">
    <g v-for="t in tracks" :key="t.axis" :data-rail="side ? undefined : t.axis">
      <path v-for="(d, i) in t.legs" :key="i" :d="d" stroke="var(--ink)" fill="none" />
      <template v-if="t.long">
        <path :d="t.d" stroke="var(--ink)" :stroke-width="side ? 5 : wide" fill="none" />
        <path :d="t.d" stroke="var(--sheet)" :stroke-width="side ? 3 : wide - 2" fill="none" />
        <path
          v-if="!side"
          :d="t.d"
          stroke="var(--rule)"
          :stroke-width="wide - 2"
          stroke-dasharray="1.2 13"
          fill="none"
        />
      </template>
      <rect
        v-else
        :x="t.x - 7"
        :y="t.y - 7"
        width="14"
        height="14"
        fill="var(--sheet)"
        stroke="var(--ink)"
      />
    </g>
    <path v-for="l in links" :key="'l' + l.k" :d="l.d" class="link" :data-link="l.k" />
    <circle v-for="t in turns" :key="'t' + t.k" :cx="t.x" :cy="t.y" r="3.4" class="turn" />
  </g>
</template>

<style scoped>
.link {
  stroke: var(--ink);
  stroke-width: 2.4;
  fill: none;
  stroke-linecap: round;
}
.turn {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.4;
}
.ghost .link {
  stroke-dasharray: 4 3;
  stroke-width: 1.6;
}
.ghost .turn {
  stroke-dasharray: 2 2;
}
</style>
