<script setup lang="ts">
import { computed, ref } from "vue";
import type { Edit, Key, Track } from "../api/client";
import type { Row } from "./StaffRibbon.vue";

// What shapes an opened curve in place: handles, the tension of a tangent, a slope, and where
// ramps end. Each is dragged; what it would be is tried while it is, and done when let go.
type Bend = NonNullable<Edit["shape"]>;
const props = defineProps<{
  track: Track;
  row: Row;
  y: number;
  h: number;
  left: number;
  span: number;
  start: number;
  end: number;
  range: readonly [number, number];
}>();
const emit = defineEmits<{
  shape: [frame: number, bend: Bend, done: boolean];
  ramp: [leg: number, into: number, out: number, done: boolean];
}>();
const x = (f: number): number =>
  props.left + ((f - props.start) / (props.end - props.start)) * props.span;
const vy = (v: number): number =>
  props.y +
  props.h -
  6 -
  ((v - props.range[0]) / (props.range[1] - props.range[0])) * (props.h - 12);
const inside = (f: number): boolean => f >= props.start && f <= props.end;
const kind = (leg: number): string => props.track.segments?.[String(leg)] ?? props.track.kind;
// A slope as it is drawn: between two samples about a frame.
function slope(f: number): number {
  const { values, from, step } = props.row,
    i = Math.min(Math.max((f - from) / step, 0), values.length - 1);
  const a = Math.max(0, Math.floor(i - 1)),
    b = Math.min(values.length - 1, Math.ceil(i + 1));
  return b > a ? ((values[b] ?? 0) - (values[a] ?? 0)) / ((b - a) * step) : 0;
}

interface Knob {
  id: string;
  at: number;
  df: number;
  dv: number;
  frame: number;
  value: number;
  side: 1 | -1;
  what: "handle" | "slope" | "tension";
  leg: number;
}
const knobs = computed<Knob[]>(() => {
  const k = props.track.keys,
    out: Knob[] = [];
  if (k.length > 60) return out;
  k.forEach((q, i) => {
    for (const side of [1, -1] as const) {
      const leg = side > 0 ? i : i - 1,
        other = k[i + side];
      if (leg < 0 || !other || !inside(q.frame)) continue;
      const third = Math.abs(other.frame - q.frame) / 3,
        base = { id: `${q.frame} ${side}`, at: i, frame: q.frame, value: q.value, side, leg };
      const own = side > 0 ? q.out : q.in,
        typed = own && ((own[0] ?? 0) !== 0 || (own[1] ?? 0) !== 0);
      const inner = i > 0 && i < k.length - 1;
      if (kind(leg) === "handles") {
        const s = inner ? slope(q.frame) : 0;
        out.push({
          ...base,
          what: "handle",
          df: typed ? (own[0] ?? 0) : side * third,
          dv: typed ? (own[1] ?? 0) : side * third * s,
        });
      } else if (kind(leg) === "quintic" && inner)
        out.push({ ...base, what: "slope", df: side * third, dv: side * third * (q.slope ?? 0) });
      else if (kind(leg) === "tcb" && inner) {
        const d = side * third * (1 - (q.tension ?? 0)) * 0.5;
        out.push({ ...base, what: "tension", df: d, dv: d * slope(q.frame) });
      }
    }
  });
  return out;
});
const bars = computed(() => {
  const k = props.track.keys;
  return k.slice(0, -1).flatMap((a, leg) => {
    const b = k[leg + 1];
    if (kind(leg) !== "ramp" || !b || k.length > 60) return [];
    const r = props.track.ramps?.[String(leg)] ?? props.track.ramp,
      third = (b.frame - a.frame) / 3;
    const into = r?.in ?? third,
      out = r?.out ?? third;
    return [
      { leg, from: a.frame, to: b.frame, into, out, end: false, at: a.frame + into },
      { leg, from: a.frame, to: b.frame, into, out, end: true, at: b.frame - out },
    ].filter((q) => inside(q.at));
  });
});

type Hand = { knob: Knob } | { bar: (typeof bars.value)[number] };
const hand = ref<Hand | null>(null);
function down(e: PointerEvent, h: Hand): void {
  e.stopPropagation();
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  hand.value = h;
}
function place(e: PointerEvent): { f: number; v: number } {
  const r = (e.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
  const px = e.clientX - (r?.left ?? 0),
    py = e.clientY - (r?.top ?? 0);
  return {
    f: props.start + ((px - props.left) / props.span) * (props.end - props.start),
    v:
      props.range[0] +
      ((props.y + props.h - 6 - py) / (props.h - 12)) * (props.range[1] - props.range[0]),
  };
}
const short = (v: number, n: number): number => Number(v.toFixed(n));
function move(e: PointerEvent, done: boolean): void {
  const h = hand.value;
  if (!h) return;
  const { f, v } = place(e);
  if (done) hand.value = null;
  if ("bar" in h) {
    const { leg, from, to, into, out, end } = h.bar;
    const most = to - from - (end ? into : out);
    const n = short(Math.min(Math.max(end ? to - f : f - from, 0.5), most), 1);
    emit("ramp", leg, end ? into : n, end ? n : out, done);
    return;
  }
  const { knob } = h,
    k = props.track.keys.find((q) => q.frame === knob.frame);
  if (!k) return;
  const { frame, value, ...bend } = k as Key;
  const df = knob.side * Math.max(knob.side * (f - frame), 0.1),
    leg = props.track.keys[knob.at + knob.side];
  const third = leg ? Math.abs(leg.frame - frame) / 3 : 1;
  if (knob.what === "handle")
    bend[knob.side > 0 ? "out" : "in"] = [short(df, 2), short(v - value, 3)];
  else if (knob.what === "slope") bend.slope = short((v - value) / df, 4);
  else bend.tension = short(Math.min(Math.max(1 - (2 * Math.abs(df)) / third, -1), 1), 2);
  emit("shape", frame, bend, done);
}
</script>

<template>
  <g class="knobs">
    <g
      v-for="b in bars"
      :key="`${b.leg} ${b.end}`"
      class="bar"
      :data-test="`ramp-${b.end ? 'out' : 'in'}-${b.leg}`"
      @pointerdown="(e) => down(e, { bar: b })"
      @pointermove="(e) => move(e, false)"
      @pointerup="(e) => move(e, true)"
      @pointercancel="hand = null"
    >
      <title>the ramp {{ b.end ? "out begins" : "in ends" }} here</title>
      <path
        :d="`M${x(b.at)} ${y + 4}v${h - 8}`"
        stroke="var(--now)"
        stroke-dasharray="2 3"
        stroke-width="1.4" /><path
        :d="`M${x(b.at) - 5} ${y + h / 2}l5 -6 5 6 -5 6z`"
        fill="var(--sheet)"
        stroke="var(--now)"
        stroke-width="1.6" />
      <rect :x="x(b.at) - 6" :y="y" width="12" :height="h" fill="transparent"
    /></g>
    <g
      v-for="k in knobs"
      :key="k.id"
      class="knob"
      :data-test="`knob-${k.id.replace(' ', '-')}`"
      @pointerdown="(e) => down(e, { knob: k })"
      @pointermove="(e) => move(e, false)"
      @pointerup="(e) => move(e, true)"
      @pointercancel="hand = null"
    >
      <title>{{ k.what === "tension" ? "tension: nearer is tighter" : k.what }}</title>
      <path
        :d="`M${x(k.frame)} ${vy(k.value)}L${x(k.frame + k.df)} ${vy(k.value + k.dv)}`"
        stroke="var(--now)"
        stroke-width="1.4" />
      <circle
        :cx="x(k.frame + k.df)"
        :cy="vy(k.value + k.dv)"
        r="4.5"
        fill="var(--sheet)"
        stroke="var(--now)"
        stroke-width="1.8" />
      <circle :cx="x(k.frame + k.df)" :cy="vy(k.value + k.dv)" r="9" fill="transparent"
    /></g>
  </g>
</template>

<style scoped>
.knob {
  cursor: move;
}
.bar {
  cursor: ew-resize;
}
</style>
