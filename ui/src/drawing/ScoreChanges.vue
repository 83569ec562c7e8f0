<script setup lang="ts">
import { computed, watch } from "vue";
import { mostFrames, signed, useChanges } from "../stores/changes";
import { useShot } from "../stores/shot";
import type { Window } from "../stores/window";

// How much the picture changes from each frame to the next: bars for its centre, a line for
// the corner that moves most, cut off where a few frames are far above the rest; and the
// figures at the playhead.
const props = defineProps<{
  window: Window;
  left: number;
  span: number;
  width: number;
  y: number;
  h: number;
}>();
const shot = useShot();
const changes = useChanges();
const got = computed(() => changes.got);
watch(
  () =>
    `${shot.id} ${shot.view?.revision} ${Math.floor(props.window.from)} ` +
    `${Math.ceil(props.window.to)}`,
  () => changes.look(Math.floor(props.window.from), Math.ceil(props.window.to)),
  { immediate: true },
);
const x = (f: number): number =>
  props.left + ((f - props.window.from) / (props.window.to - props.window.from)) * props.span;
const top = computed(() => {
  const all = (got.value?.px ?? []).map((p) => Math.max(...p)).sort((a, b) => a - b);
  return Math.max(
    0.01,
    Math.min(all[all.length - 1] ?? 0, 1.5 * (all[Math.floor(all.length * 0.97)] ?? 0)),
  );
});
const drawn = computed(() => {
  const g = got.value;
  if (!g) return { bars: "", line: "" };
  const base = props.y + props.h - 3,
    tall = props.h - 20,
    w = Math.max(0.6, (x(1) - x(0)) * 0.72);
  let bars = "",
    line = "";
  g.px.forEach((p, i) => {
    const px = x(g.from + i),
      c = Math.max(0, p[0] ?? 0),
      k = Math.max(0, ...p.slice(1));
    bars +=
      `M${(px - w / 2).toFixed(1)} ${base}v` +
      `${(-Math.min(c / top.value, 1) * tall).toFixed(1)}h${w.toFixed(1)}V${base}Z`;
    line +=
      `${line ? "L" : "M"}${px.toFixed(1)} ` +
      `${(base - Math.min(k / top.value, 1) * tall).toFixed(1)}`;
  });
  return { bars, line };
});
const here = computed(() => {
  const h = changes.here,
    a = shot.selected;
  if (!h || !a) return "";
  const corners = h.px.slice(1),
    centre = h.px[0] ?? -1;
  const picture =
    centre < 0
      ? "the picture leaves what it shows here"
      : `centre ${centre.toFixed(1)} px, corners ${Math.min(...corners).toFixed(1)}–` +
        `${Math.max(...corners).toFixed(1)} px`;
  return `${picture} · ${a.name} ${signed(a, h.axes[shot.axis] ?? 0)}`;
});
const beyond = computed(() => props.window.to - props.window.from >= mostFrames);
</script>

<template>
  <g data-test="changes">
    <rect :x="1" :y="y" :width="Math.max(0, width - 2)" :height="h" fill="var(--sheet)" />
    <path :d="`M1 ${y}H${width - 1}`" stroke="var(--rule)" />
    <text x="14" :y="y + 14" class="lab">change a frame</text
    ><text x="14" :y="y + 29" class="lab">{{ beyond ? "" : `to ${top.toFixed(1)} px` }}</text>
    <g clip-path="url(#scoreclip)"
      ><path :d="drawn.bars" fill="var(--h0)" stroke="var(--ink)" stroke-width=".4" /><path
        :d="drawn.line"
        fill="none"
        stroke="var(--ink)"
        stroke-width="1"
    /></g>
    <text v-if="beyond" :x="left + 6" :y="y + 20" class="lab"
      >Show fewer than {{ mostFrames }} frames to see it.</text
    >
    <text
      v-else-if="here"
      :x="left + span"
      :y="y + 12"
      text-anchor="end"
      class="lab halo strong"
      data-test="change-here"
      >{{ here }}</text
    >
  </g>
</template>

<style scoped>
.lab {
  font-size: var(--t11);
  fill: var(--quiet);
}
html.paper .lab {
  fill: var(--muted);
}
html .lab.strong {
  fill: var(--ink);
}
.halo {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
</style>
