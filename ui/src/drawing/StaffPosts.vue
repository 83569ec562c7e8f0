<script setup lang="ts">
import { computed } from "vue";
import type { Track } from "../api/client";
import { four } from "../stores/shot";

// An axis's keyframes in the window. Values stand where they have room, and, where there are
// many, on the selected staff and near the pointer only; so many that they could not be told
// apart are drawn as one, and taken hold of after zooming in.
export interface Lift {
  frame: number;
  value: number;
  picked: boolean;
}
const props = defineProps<{
  keys: Track["keys"] | undefined;
  faint: boolean;
  y: number;
  h: number;
  left: number;
  span: number;
  start: number;
  end: number;
  last: number;
  selected: boolean;
  opened: boolean;
  range: readonly [number, number];
  lifted: ReadonlyMap<number, Lift> | null;
  picked: ReadonlySet<number> | null;
  near: number | null;
  crowded: boolean;
  shown: (v: number) => string;
}>();
const emit = defineEmits<{ grab: [e: PointerEvent, frame: number, value: number] }>();
const x = (f: number): number =>
  props.left + ((f - props.start) / (props.end - props.start)) * props.span;
const vy = (v: number): number =>
  props.y +
  props.h -
  6 -
  ((v - props.range[0]) / (props.range[1] - props.range[0])) * (props.h - 12);
const inside = computed(() =>
  (props.keys ?? []).filter((k) => k.frame >= props.start && k.frame <= props.end),
);
const dense = computed(() =>
  inside.value.length > 150
    ? [...new Set(inside.value.map((k) => Math.round(x(k.frame))))]
        .map((px) => `M${px} ${props.y + 3}V${props.y + props.h - 3}`)
        .join("")
    : "",
);
const posts = computed(() => {
  if (dense.value) return [];
  let free = -Infinity;
  return inside.value.map((k) => {
    const d = props.lifted?.get(k.frame) ?? null;
    const px = x(d?.frame ?? k.frame);
    const atEnd = px > props.last;
    const wanted =
      d !== null ||
      !props.crowded ||
      props.selected ||
      (props.near !== null && Math.abs(props.near - px) < 70);
    const label = wanted && ((atEnd ? px - 44 : px) >= free || d !== null);
    if (label) free = px + (atEnd ? 4 : 42);
    return {
      f: k.frame,
      v: d?.value ?? k.value,
      raw: k.value,
      px,
      label,
      atEnd,
      moved: d && d.frame !== k.frame ? d.frame : null,
      on: props.picked?.has(k.frame) ?? false,
    };
  });
});
</script>

<template>
  <g :class="{ faint, selected }">
    <path v-if="dense" :d="dense" class="crowd" stroke="var(--ink)" stroke-width="1" />
    <g
      v-for="p in posts"
      :key="p.f"
      v-memo="[p.px, p.v, p.raw, p.label, p.atEnd, p.moved, p.on, y, h, opened, range, shown]"
      class="post"
      :data-key="p.f"
      :data-picked="p.on || undefined"
      @pointerdown.stop="(e) => emit('grab', e, p.f, p.raw)"
    >
      <path :d="`M${p.px} ${y + 3}V${y + h - 3}`" stroke="var(--ink)" stroke-width="1.8" />
      <path
        v-if="p.on"
        :d="`M${p.px - 5} ${y + 3}h10v${h - 6}h-10Z`"
        fill="none"
        stroke="var(--now)"
        stroke-width="1.6"
      />
      <rect :x="p.px - 5" :y="y" width="10" :height="h" fill="none" pointer-events="all" />
      <rect
        v-if="opened"
        :x="p.px - 5"
        :y="vy(p.v) - 5"
        width="10"
        height="10"
        fill="var(--sheet)"
        :stroke="p.on ? 'var(--now)' : 'var(--ink)'"
        stroke-width="1.6"
      />
      <text
        v-if="p.label && h > 16"
        :x="p.px + (p.atEnd ? -5 : 5)"
        :y="opened ? vy(p.v) - 9 : y + (h > 24 ? 12 : h > 19 ? h / 2 - 2 : h / 2 + 4)"
        :text-anchor="p.atEnd ? 'end' : 'start'"
        class="val halo"
        >{{ shown(p.v) }}<tspan v-if="p.moved !== null"> at {{ four(p.moved) }}</tspan></text
      >
    </g>
  </g>
</template>

<style scoped>
.val {
  font-size: var(--t11);
}
.halo {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
.selected .halo {
  stroke: var(--wash);
}
.post {
  cursor: grab;
}
.faint .post {
  opacity: 0.45;
}
</style>
