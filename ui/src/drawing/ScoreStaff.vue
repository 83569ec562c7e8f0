<script setup lang="ts">
import { computed } from "vue";
import type { Axis, AxisReport, RingMark, Track } from "../api/client";
import { four } from "../stores/shot";
import { isFocus as focuses, own, spaced } from "../stores/axes";
import { distance, ticks } from "./ring";
import StaffPosts, { type Lift } from "./StaffPosts.vue";
import StaffRibbon, { type Row } from "./StaffRibbon.vue";

// One axis over the frames: its ribbon and posts, or, opened, its value curve. What it
// is given stays the same object while nothing of this axis changes.
const props = defineProps<{
  axis: Axis;
  index: number;
  y: number;
  h: number;
  width: number;
  left: number;
  right: number;
  start: number;
  end: number;
  row: Row;
  was: Row | null;
  others: Row[] | null;
  track: Track | undefined;
  fresh: Track | null;
  report: AxisReport | undefined;
  focus: RingMark[];
  selected: boolean;
  opened: boolean;
  peak: string;
  over: boolean;
  range: readonly [number, number];
  tried: { frame: number; values: Record<string, number> }[];
  lifted: ReadonlyMap<number, Lift> | null;
  picked: ReadonlySet<number> | null;
  near: number | null;
  crowded: boolean;
}>();
const emit = defineEmits<{
  select: [];
  open: [];
  grab: [e: PointerEvent, frame: number, value: number];
  band: [e: PointerEvent];
  key: [e: KeyboardEvent];
  rest: [];
}>();

const span = computed(() => Math.max(10, props.width - props.left - props.right));
const x = (f: number): number =>
  props.left + ((f - props.start) / (props.end - props.start)) * span.value;
const mid = computed(() => props.y + props.h / 2);
const half = computed(() => Math.max(4, props.h / 2 - 3));

const vy = (v: number): number =>
  props.y +
  props.h -
  6 -
  ((v - props.range[0]) / (props.range[1] - props.range[0])) * (props.h - 12);

// Focus is shown as the distance on its scale, from the image plane.
const isFocus = computed(() => focuses(props.axis));
const shown = computed(() => {
  // another where it would write otherwise
  const scale = isFocus.value ? props.focus : null,
    degrees = props.axis.unit === "deg";
  return (v: number): string =>
    scale
      ? `${distance(scale, v).toFixed(2)} m`
      : v.toFixed(degrees ? 2 : Math.abs(v) >= 100 ? 0 : 1);
});
const said = (v: number): string => `${shown.value(v)}${isFocus.value ? "" : spaced(props.axis)}`;
const scale = computed(() =>
  isFocus.value && props.opened
    ? ticks(props.focus, props.range[0], props.range[1], (props.h - 12) / 22)
    : [],
);

// Where they would lie with what is tried.
const fresh = computed(() =>
  (props.fresh?.keys ?? [])
    .filter((k) => k.frame >= props.start && k.frame <= props.end)
    .slice(0, 200)
    .map((k) => ({ px: x(k.frame), v: k.value, f: k.frame })),
);

// Steps of the value or the speed: no ribbon can show them, so they stand as bars.
const jumps = computed(() =>
  (props.report?.jumps ?? [])
    .filter((j) => j.order < 2 && j.at >= props.start && j.at <= props.end)
    .map((j) => {
      const px = x(j.at);
      const by = j.order === 0 ? `jumps ${+j.by.toFixed(2)}${spaced(props.axis)}` : "corner";
      return {
        key: `${j.order} ${j.at}`,
        px,
        order: j.order,
        by,
        atEnd: px > props.width - props.right - 60,
      };
    }),
);

// Framings that were tried and are not stored.
const tryouts = computed(() =>
  props.tried.flatMap((t) => {
    const v = t.values[props.axis.id];
    if (v === undefined || t.frame < props.start || t.frame > props.end) return [];
    const px = x(t.frame);
    return [{ f: t.frame, v, px, atEnd: px > props.width - props.right - 130 }];
  }),
);

// Where an axis jumps: a flag of the staff's height, a corner's is smaller.
function flag(px: number, order: number): string {
  const [w, from, tall] = order ? [6, props.h * 0.3, props.h * 0.4] : [10, 2, props.h - 4];
  return `M${px - w / 2} ${props.y + from}h${w}v${tall}h${-w}Z`;
}
const name = computed(() => {
  const most = props.h > 30 ? 15 : 12;
  return props.axis.name.length > most ? `${props.axis.name.slice(0, most - 1)}…` : props.axis.name;
});
</script>

<template>
  <svg
    class="layer"
    :width="width"
    :height="h"
    :viewBox="`0 ${y} ${width} ${h}`"
    :style="{ top: y + 'px' }"
  >
    <g
      class="staff"
      :class="{ selected }"
      tabindex="0"
      role="group"
      aria-roledescription="staff"
      :data-opened="opened"
      :data-axis="axis.id"
      :aria-label="
        `${axis.name}, ${peak} of limit, ${track?.keys.length ?? 0} keyframes` +
        `${opened ? ', opened' : ''}`
      "
      :data-test="'staff-' + own(axis.id)"
      @focus="emit('select')"
      @keydown="(e) => emit('key', e)"
      @keyup="(e) => e.key === 'Alt' && emit('rest')"
      @dblclick="emit('open')"
      @click="emit('select')"
      @pointerdown="(e) => emit('band', e)"
    >
      <rect
        :x="1"
        :y="y"
        :width="Math.max(0, width - 2)"
        :height="h"
        :fill="selected ? 'var(--wash)' : 'none'"
        pointer-events="all"
      />
      <path :d="`M1 ${y + h}H${width - 1}`" stroke="var(--hair)" />
      <text
        x="14"
        :y="mid - (h > 30 ? 2 : -4)"
        class="name"
        :class="{ strong: selected, tight: h <= 30 }"
      >
        <title>{{ axis.name }}</title>
        {{ name }}
      </text>
      <text
        :x="h > 30 ? 14 : left - 8"
        :text-anchor="h > 30 ? 'start' : 'end'"
        :y="mid + (h > 30 ? 13 : 4)"
        class="lab"
        :class="{ over }"
      >
        {{ h > 30 ? peak : peak.replace("peak ", "") }}
      </text>
      <template v-if="!opened">
        <path
          v-if="h > 24"
          :d="
            `M${left} ${mid - half * 0.74}H${left + span}M${left} ${mid + half * 0.74}H` +
            `${left + span}`
          "
          stroke="var(--rule)"
          stroke-dasharray="1 3"
        />
        <StaffRibbon
          :row="row"
          :was="was"
          :others="null"
          :opened="false"
          :y="y"
          :h="h"
          :left="left"
          :span="span"
          :start="start"
          :end="end"
          :range="range"
        />
        <path :d="`M${left} ${mid}H${left + span}`" stroke="var(--ink)" stroke-width=".9" />
      </template>
      <template v-else>
        <g v-if="scale.length" class="scale">
          <g v-for="t in scale" :key="t.d">
            <path :d="`M${left} ${vy(t.ring)}H${left + span}`" stroke="var(--hair)" />
            <text :x="left + 4" :y="vy(t.ring) - 2" class="lab">{{ t.d }} m</text>
          </g>
        </g>
        <StaffRibbon
          :row="row"
          :was="was"
          :others="others"
          opened
          :y="y"
          :h="h"
          :left="left"
          :span="span"
          :start="start"
          :end="end"
          :range="range"
        />
        <template v-if="!scale.length">
          <text :x="left - 8" :y="y + 13" text-anchor="end" class="lab">{{ said(range[1]) }}</text>
          <text :x="left - 8" :y="y + h - 5" text-anchor="end" class="lab">
            {{ said(range[0]) }}
          </text>
        </template>
      </template>
      <g
        v-for="j in jumps"
        :key="'j' + j.key"
        class="jump"
        :data-jump="j.order"
        pointer-events="none"
      >
        <path :d="flag(j.px, j.order)" fill="var(--h3)" stroke="var(--ink)" stroke-width=".9" />
        <path :d="flag(j.px, j.order)" fill="url(#scorehatch)" />
        <text
          v-if="h > 24 && j.order === 0"
          :x="j.px + (j.atEnd ? -9 : 9)"
          :y="y + h - 5"
          :text-anchor="j.atEnd ? 'end' : 'start'"
          class="val halo over"
        >
          {{ j.by }}
        </text>
      </g>
      <g
        v-for="q in tryouts"
        :key="'t' + q.f"
        class="tried"
        :data-tried="q.f"
        pointer-events="none"
      >
        <title>{{ axis.name }} tried at {{ four(q.f) }}, not stored</title>
        <path
          :d="`M${q.px} ${y + 3}V${y + h - 3}`"
          stroke="var(--now)"
          stroke-width="1.6"
          stroke-dasharray="3 3"
        />
        <text
          v-if="h > 24"
          :x="q.px + (q.atEnd ? -5 : 5)"
          :y="y + h - 5"
          :text-anchor="q.atEnd ? 'end' : 'start'"
          class="val halo now"
        >
          {{ said(q.v) }} tried, not stored
        </text>
      </g>
      <StaffPosts
        :keys="track?.keys"
        :faint="fresh.length > 0"
        :y="y"
        :h="h"
        :left="left"
        :span="span"
        :start="start"
        :end="end"
        :last="width - right - 44"
        :selected="selected"
        :opened="opened"
        :range="range"
        :lifted="lifted"
        :picked="picked"
        :near="near"
        :crowded="crowded"
        :shown="shown"
        @grab="(e, f, v) => emit('grab', e, f, v)"
      />
      <g v-for="p in fresh" :key="'n' + p.f" class="new" pointer-events="none">
        <path :d="`M${p.px} ${y + 3}V${y + h - 3}`" stroke="var(--now)" stroke-width="1.8" />
        <rect
          v-if="opened"
          :x="p.px - 4"
          :y="vy(p.v) - 4"
          width="8"
          height="8"
          fill="var(--sheet)"
          stroke="var(--now)"
          stroke-width="1.6"
        />
      </g>
    </g>
  </svg>
</template>

<style scoped>
.layer {
  position: absolute;
  left: 0;
  display: block;
  touch-action: none;
  will-change: transform;
}
.staff {
  cursor: default;
  outline: none;
}
.staff:focus-visible > rect:first-child {
  stroke: var(--now);
  stroke-width: 2;
}
.name {
  font-size: var(--t13);
}
.name.tight {
  font-size: var(--t11);
}
.strong {
  font-weight: 700;
}
.lab {
  font-size: var(--t11);
  fill: var(--quiet);
}
html.paper .lab {
  fill: var(--muted);
}
html .lab.over {
  fill: var(--over);
}
html.paper .lab.over {
  fill: var(--over);
}
.val {
  font-size: var(--t11);
}
.now {
  fill: var(--now);
}
.val.over {
  fill: var(--over);
}
.halo {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
.selected .halo {
  stroke: var(--wash);
}
</style>
