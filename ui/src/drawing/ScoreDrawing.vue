<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import type { Axis, Edit, Plot, ShotView } from "../api/client";
import { curves } from "../api/rules";
import { keep } from "../stores/keep";
import { usePreview } from "../stores/preview";
import { useScore, type Post } from "../stores/score";
import { four, useShot } from "../stores/shot";
import { isFocus, spaced } from "./axes";
import { percent } from "./headroom";
import { editOf, lifted, type Hand } from "./posts";
import { distance } from "./ring";
import ScoreChanges from "./ScoreChanges.vue";
import ScoreHead from "./ScoreHead.vue";
import ScoreLegs from "./ScoreLegs.vue";
import ScoreRuler from "./ScoreRuler.vue";
import ScoreOver from "./ScoreOver.vue";
import ScoreStaff from "./ScoreStaff.vue";
import StaffKnobs from "./StaffKnobs.vue";
import type { Row } from "./StaffRibbon.vue";
import { useElementSize } from "./size";
import { useScoreWindow } from "./scoreWindow";

// What changes with every frame is drawn by ScoreHead alone, over all this.
const props = defineProps<{
  shot: ShotView;
  axis: number;
  tried: { frame: number; values: Record<string, number> }[];
}>();
const emit = defineEmits<{ go: [frame: number]; select: [axis: number] }>();
const store = useShot();
const score = useScore();
const preview = usePreview();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);
const left = 122,
  right = 28,
  head = 45,
  strip = 46;
const span = computed(() => Math.max(10, width.value - left - right));
const opened = computed(() =>
  score.opened !== null && score.opened < props.shot.rig.axes.length ? score.opened : null,
);
// The plan as it is shown: as something that is tried would make it, or as it is.
const seen = computed(() => preview.shown ?? props.shot);
const looked = computed(() => (preview.now?.held ? preview.now.view : null));

const { whole, part, start, end, x, frameAt, zoom, wheel, pan, plain } = useScoreWindow(
  () => props.shot,
  looked,
  box,
  left,
  span,
);
// By axis; one that does not change stays the same object.
const kept: { now: Row[]; was: Row[] } = { now: [], was: [] };
function rowsOf(p: Plot, k: Row[], skip?: ReadonlySet<number>): Row[] {
  return p.shares.map((shares, i) => {
    const q = skip && !skip.has(i) ? plain.value : p,
      o = k[i];
    const s = q === p ? shares : (q.shares[i] ?? []),
      values = q.values[i] ?? [];
    return (k[i] =
      o && o.shares === s && o.values === values && o.from === q.start && o.step === q.step
        ? o
        : { shares: s, values, from: q.start, step: q.step });
  });
}
const nowRows = computed(() =>
  preview.now
    ? rowsOf(preview.now.view.plot, kept.now, preview.now.axes)
    : rowsOf(plain.value, kept.now),
);
const wasRows = computed(() => (looked.value ? rowsOf(plain.value, kept.was) : null));

interface Staff {
  a: Axis;
  i: number;
  y: number;
  h: number;
}
const rows = computed<Staff[]>((was) => keep(was ?? [], laidOut()));
function laidOut(): Staff[] {
  const n = props.shot.rig.axes.length;
  const room = Math.max(60, height.value - head - 2 - (score.changes ? strip : 0));
  const big =
    opened.value === null
      ? 0
      : Math.max(Math.min(room - 14 * (n - 1), Math.max(room * 0.55, 110)), 60);
  const small = (room - big) / Math.max(1, opened.value === null ? n : n - 1);
  let y = head;
  return props.shot.rig.axes.map((a, i) => {
    // on whole pixels: each is a layer of its own
    const at = Math.round(y);
    y += opened.value === i ? big : small;
    return { a, i, y: at, h: Math.round(y) - at };
  });
}
const allKeys = computed(() =>
  [...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((k) => k.frame)))].sort(
    (a, b) => a - b,
  ),
);
const shownKeys = computed(() => allKeys.value.filter((f) => f >= start.value && f <= end.value));
const crowded = computed(() => props.shot.rig.axes.length * shownKeys.value.length > 120);
const report = computed(() => new Map(seen.value.analysis.report.axes.map((r) => [r.axis, r])));
const violated = computed(() => new Set(seen.value.analysis.report.violations.map((v) => v.axis)));
function peak(a: Axis): string {
  const r = report.value.get(a.id);
  if (r?.jumps.some((j) => j.order === 0)) return "jumps";
  if (r?.jumps.some((j) => j.order === 1)) return "corners";
  return r ? `peak ${percent(r.share)}` : "rests";
}
const isOver = (a: Axis): boolean =>
  violated.value.has(a.id) || ["jumps", "corners"].includes(peak(a));
const tracks = computed(() => new Map(props.shot.path.tracks.map((t) => [t.axis, t])));
// Where keyframes would lie, on the axes where that is not as it is.
const fresh = computed(
  () =>
    new Map(
      (looked.value?.path.tracks ?? [])
        .filter((t) => t !== tracks.value.get(t.axis))
        .map((t) => [t.axis, t]),
    ),
);
const keysOf = (axis: number): number[] =>
  (tracks.value.get(props.shot.rig.axes[axis]?.id ?? "")?.keys ?? []).map((k) => k.frame);
const write = (a: Axis, v: number): string =>
  isFocus(a)
    ? `${distance(props.shot.focus_scale, v).toFixed(2)} m`
    : `${v.toFixed(a.unit === "deg" ? 2 : 1)}${spaced(a)}`;

// The values an opened staff shows: those of the plan, and of what is looked at.
const none = [0, 1] as const;
const range = computed<readonly [number, number]>(() => {
  const i = opened.value,
    a = i === null ? undefined : props.shot.rig.axes[i];
  if (i === null || !a) return none;
  let lo = Infinity,
    hi = -Infinity;
  for (const row of [
    props.shot.plot.values[i],
    looked.value?.plot.values[i],
    tracks.value.get(a.id)?.keys.map((k) => k.value),
  ])
    for (const v of row ?? []) [lo, hi] = [Math.min(lo, v), Math.max(hi, v)];
  const pad = Math.max((hi - lo) * 0.18, a.unit === "deg" ? 0.5 : 5);
  return [lo - pad, hi + pad];
});
function valueAt(py: number): number {
  const r = rows.value[opened.value ?? 0];
  return r
    ? range.value[0] + ((r.y + r.h - 6 - py) / (r.h - 12)) * (range.value[1] - range.value[0])
    : 0;
}
const others = computed(() => nowRows.value.filter((_, i) => i !== opened.value));

// What is no picture: the frames in which the rig gathers and loses speed.
const outside = computed(() => {
  const { first, last, path } = seen.value;
  return [
    { name: "run-up", from: first - path.run_up, to: first, edge: first },
    { name: "run-out", from: last, to: last + path.run_out, edge: last },
  ].filter((o) => o.to > o.from);
});

// What the pointer holds: keyframes, a band that picks, or the playhead.
const hand = shallowRef<Hand | null>(null);
const held = shallowRef<Hand | null>(null); // by keys
const band = ref<{
  x: number;
  y: number;
  x2: number;
  y2: number;
  add: boolean;
  axis: number;
} | null>(null);
const near = ref<{ axis: number; x: number } | null>(null);
let scrub = false;
let busy = false; // what was let go is on its way
const lift = computed(() => lifted(hand.value, props.shot.rig.axes));
const pickedOf = computed(() => {
  const out = new Map<string, Set<number>>();
  for (const p of score.picked) out.set(p.axis, (out.get(p.axis) ?? new Set()).add(p.frame));
  return out;
});
const place = (e: PointerEvent): { x: number; y: number } => {
  const r = box.value?.getBoundingClientRect();
  return { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
};
const valueOf = (p: Post): number =>
  tracks.value.get(p.axis)?.keys.find((k) => k.frame === p.frame)?.value ?? 0;
const withValue = (p: Post): Hand["held"] => ({ ...p, value: valueOf(p) });
function take(e: PointerEvent, axis: number, held: Post, posts: Post[], all: boolean): void {
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  const at = place(e);
  hand.value = {
    posts: posts.map(withValue),
    all,
    axis,
    held: withValue(held),
    to: held.frame,
    dv: 0,
    at: { ...at, v: valueAt(at.y) },
  };
  preview.open();
}
function grab(e: PointerEvent, axis: number, frame: number): void {
  const post = { axis: props.shot.rig.axes[axis]?.id ?? "", frame };
  if (busy && !e.shiftKey) return;
  emit("select", axis);
  if (e.shiftKey) return score.pick([post], true);
  take(e, axis, post, score.has(post) ? score.picked : [post], false);
}
function markDown(e: PointerEvent, frame: number): void {
  const posts = props.shot.rig.axes
    .filter((_, i) => keysOf(i).includes(frame))
    .map((a) => ({ axis: a.id, frame }));
  if (e.shiftKey) return score.pick(posts, true);
  if (busy) return;
  const first = posts[0];
  if (first)
    take(
      e,
      props.shot.rig.axes.findIndex((a) => a.id === first.axis),
      first,
      posts,
      true,
    );
}
function at(e: PointerEvent): number {
  return Math.min(Math.max(frameAt(place(e).x), Math.ceil(start.value)), Math.floor(end.value));
}
function rulerDown(e: PointerEvent): void {
  scrub = true;
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  emit("go", at(e));
}
function bandDown(e: PointerEvent, axis: number): void {
  if (e.button !== 0) return;
  const p = place(e);
  if (p.x < left - 6) return;
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  band.value = { x: p.x, y: p.y, x2: p.x, y2: p.y, add: e.shiftKey, axis };
}
function move(e: PointerEvent): void {
  if (scrub) return emit("go", at(e));
  const p = place(e),
    h = hand.value;
  if (band.value) band.value = { ...band.value, x2: p.x, y2: p.y };
  else if (h && h !== held.value && !busy) {
    const to = frameAt(p.x),
      dv =
        !h.all && opened.value === h.axis && Math.abs(p.y - h.at.y) > 1 ? valueAt(p.y) - h.at.v : 0;
    const frame = Math.abs(p.x - h.at.x) < 2 && h.to === h.held.frame ? h.held.frame : to;
    if (frame === h.to && dv === h.dv) return;
    hand.value = { ...h, to: frame, dv };
    const t = editOf(hand.value, props.shot, write);
    if (t) preview.want({ edit: t.edit });
    else preview.clear();
  } else if (crowded.value) {
    const r = rows.value.find((q) => p.y >= q.y && p.y < q.y + q.h);
    near.value = r ? { axis: r.i, x: Math.round(p.x / 8) * 8 } : null;
  }
}
async function up(): Promise<void> {
  scrub = false;
  const b = band.value,
    h = hand.value;
  band.value = null;
  if (b && Math.hypot(b.x2 - b.x, b.y2 - b.y) > 5) {
    const [lo, hi] = [Math.min(b.x, b.x2), Math.max(b.x, b.x2)],
      [hiY, loY] = [Math.min(b.y, b.y2), Math.max(b.y, b.y2)];
    score.pick(
      rows.value
        .filter((r) => r.y < loY && r.y + r.h > hiY)
        .flatMap((r) =>
          keysOf(r.i)
            .filter((f) => x(f) >= lo && x(f) <= hi)
            .map((frame) => ({ axis: r.a.id, frame })),
        ),
      b.add,
    );
  } else if (b && !b.add) score.pick([]);
  if (!h || h === held.value || busy) return;
  const t = editOf(h, props.shot, write);
  if (!t) {
    hand.value = null;
    preview.clear();
    if (!h.all && h.posts.length === 1) score.pick([]);
    return emit("go", h.held.frame);
  }
  busy = true;
  await score.carry(h.posts, h.to - h.held.frame, store.edit(t.edit, t.said));
  busy = false;
  hand.value = null;
  preview.clear();
}
function drop(): void {
  hand.value = null;
  band.value = null;
  scrub = false;
  preview.clear();
}
// Who lets the pointer go elsewhere, or takes another shot, holds nothing.
watch(() => props.shot.id, drop);
// What was let go lies there with the answer: drawn once, not in the hand again.
watch(
  () => props.shot.revision,
  () => {
    if (busy) hand.value = null;
  },
);

// A keyframe that is moved by key is held until the keys rest: presses add up
// here and are sent as one move, whatever playhead and pointer do meanwhile.
let resting = 0;
function retime(axis: number, by: number, all: boolean): void {
  const id = props.shot.rig.axes[axis]?.id ?? "";
  if (!held.value) {
    const frame = store.frame,
      here = props.shot.rig.axes
        .filter((_, i) => keysOf(i).includes(frame))
        .map((a) => ({ axis: a.id, frame }));
    const own = here.find((p) => p.axis === id),
      picks = !all && score.picked.length > 1;
    const first = picks ? score.picked[0] : all ? here[0] : own;
    if (!first) return;
    held.value = {
      posts: (picks ? score.picked : all ? here : [first]).map(withValue),
      all: all && !picks,
      axis,
      held: withValue(first),
      to: first.frame,
      dv: 0,
      at: { x: 0, y: 0, v: 0 },
    };
  } else if (
    held.value.all !== all ||
    (held.value.posts.length === 1 && held.value.held.axis !== id)
  ) {
    settle();
    return retime(axis, by, all);
  }
  held.value = { ...held.value, to: held.value.to + by };
  hand.value = held.value;
  const t = editOf(held.value, props.shot, write);
  if (t) preview.want({ edit: t.edit });
  window.clearTimeout(resting);
  resting = window.setTimeout(settle, 400);
}
function settle(): void {
  window.clearTimeout(resting);
  const h = held.value;
  held.value = null;
  if (hand.value === h) hand.value = null;
  const t = h ? editOf(h, props.shot, write) : null;
  if (!h || !t) return;
  void score
    .carry(h.posts, h.to - h.held.frame, store.edit(t.edit, t.said))
    .then(() => preview.clear());
  if (h.posts.length === 1 || h.all) emit("go", h.to);
}
onBeforeUnmount(() => {
  settle();
  preview.clear();
});
function step(axis: number, dir: number, pick: boolean): void {
  const ks = keysOf(axis),
    id = props.shot.rig.axes[axis]?.id ?? "";
  if (pick && ks.includes(store.frame) && !score.has({ axis: id, frame: store.frame }))
    score.pick([{ axis: id, frame: store.frame }], true);
  const k = dir < 0 ? ks.reverse().find((f) => f < store.frame) : ks.find((f) => f > store.frame);
  if (k === undefined) return;
  emit("go", k);
  if (pick && !score.has({ axis: id, frame: k })) score.pick([{ axis: id, frame: k }], true);
}
const open = (i: number): void => {
  score.opened = opened.value === i ? null : i;
};
function key(e: KeyboardEvent, i: number): void {
  if (e.key === "Enter") open(i);
  else if (e.code === "BracketLeft" || e.key === "[") step(i, -1, e.shiftKey);
  else if (e.code === "BracketRight" || e.key === "]") step(i, 1, e.shiftKey);
  else if (e.altKey && (e.key === "ArrowLeft" || e.key === "ArrowRight"))
    retime(i, e.key === "ArrowLeft" ? -1 : 1, e.shiftKey);
  else return;
  e.preventDefault();
  e.stopPropagation();
}

// Shaping in place: what it would be is tried while a knob is dragged.
const shaping = computed(() => (opened.value === null ? null : rows.value[opened.value]));
const shaped = computed(() =>
  shaping.value
    ? (preview.now && !preview.now.held ? preview.now.view : props.shot).path.tracks.find(
        (t) => t.axis === shaping.value?.a.id,
      )
    : undefined,
);
async function doOrTry(e: Edit, said: string, done: boolean): Promise<void> {
  if (!done) return preview.want({ edit: e });
  await store.edit(e, said);
  preview.clear();
}
function bent(frame: number, shape: NonNullable<Edit["shape"]>, done: boolean): void {
  const a = shaping.value?.a;
  if (a)
    void doOrTry(
      { op: "shape", axis: a.id, frame, shape },
      `${a.name} shaped at ${four(frame)}.`,
      done,
    );
}
function ramped(leg: number, into: number, out: number, done: boolean): void {
  const a = shaping.value?.a,
    t = a && tracks.value.get(a.id);
  if (!a || !t) return;
  const law = (t.ramps?.[String(leg)] ?? t.ramp)?.law ?? "trapezoid";
  void doOrTry(
    {
      op: "segment",
      axis: a.id,
      index: leg,
      kind: "ramp",
      ramp: { law, in: String(into), out: String(out) },
    },
    `${a.name}: ramp in ${into}, out ${out} frames.`,
    done,
  );
}
const legKinds = computed(() => {
  const t = shaping.value && tracks.value.get(shaping.value.a.id);
  return t && !t.blend && !t.record
    ? { own: t.keys.map((_, i) => t.segments?.[String(i)] ?? ""), all: curves }
    : null;
});
function setKind(leg: number, kind: string): void {
  const a = shaping.value?.a;
  if (a)
    void store.edit(
      { op: "segment", axis: a.id, index: leg, kind: (kind || undefined) as Edit["kind"] },
      kind ? `This leg runs ${kind}.` : "This leg runs as the axis.",
    );
}
// Travel times: of the opened axis's legs, or of all axes' keyframes.
const legFrames = computed(() => (opened.value === null ? allKeys.value : keysOf(opened.value)));
async function travel(leg: number, text: string, field: HTMLInputElement): Promise<void> {
  const a = legFrames.value[leg] ?? 0,
    b = legFrames.value[leg + 1] ?? 0,
    m = /^\s*([\d.,]+)\s*(s?)\s*$/.exec(text);
  const typed = Number((m?.[1] ?? "").replace(",", ".")),
    n = m?.[2] ? Math.round(typed * props.shot.fps) : typed;
  if (!m || !(n >= 1))
    store.trouble = `Travel time: “${text}” is not one; give frames, at least 1, or seconds as 2.5 s.`;
  else {
    const axis = opened.value === null ? undefined : props.shot.rig.axes[opened.value];
    if (Math.round(n - (b - a)) !== 0)
      await store.edit(
        {
          op: "room",
          frame: a,
          frames: Math.round(n - (b - a)),
          ...(axis ? { axis: axis.id } : {}),
        },
        `${axis ? axis.name : "All axes"}: ${four(a)} on takes ${Math.round(n)} frames.`,
      );
  }
  field.value = String(+((legFrames.value[leg + 1] ?? 0) - (legFrames.value[leg] ?? 0)).toFixed(3));
}
</script>

<template>
  <div
    ref="box"
    class="score"
    data-test="score"
    :data-revision="shot.revision"
    :data-from="start"
    :data-to="end"
    :data-tried="preview.now ? (preview.now.held ? 'looked' : 'dragged') : undefined"
    @wheel.prevent="wheel"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="drop"
    @pointerleave="near = null"
  >
    <svg class="under" :width="width" :height="height">
      <defs>
        <pattern
          id="scorehatch"
          width="4"
          height="4"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <path d="M0 0V4" stroke="var(--sheet)" stroke-width="1.4" />
        </pattern>
        <clipPath id="scoreclip">
          <rect :x="left - 6" y="0" :width="span + 12" :height="Math.max(0, height)" />
        </clipPath>
      </defs>
      <g v-if="outside.length" clip-path="url(#scoreclip)" data-test="runs">
        <template v-for="o in outside" :key="o.name">
          <rect
            :x="x(o.from)"
            :y="head"
            :width="Math.max(0, x(o.to) - x(o.from))"
            :height="Math.max(0, height - head)"
            fill="var(--wash)"
          />
          <path
            :d="`M${x(o.edge)} ${head - 12}V${height}`"
            stroke="var(--ink)"
            stroke-dasharray="5 3"
          />
        </template>
      </g>
      <text x="14" y="19" class="capt">SCORE</text>
      <text x="14" y="34" class="lab">share of limit</text>
      <ScoreRuler
        :start="start"
        :end="end"
        :left="left"
        :span="span"
        :head="head"
        :frames="shownKeys"
        :from="hand?.all ? hand.held.frame : null"
        :to="hand?.all ? hand.to : 0"
        @ruler="rulerDown"
        @mark="markDown"
      />
      <ScoreChanges
        v-if="score.changes && !shot.empty"
        :window="{ from: start, to: end }"
        :left="left"
        :span="span"
        :width="width"
        :y="height - strip"
        :h="strip"
      />
    </svg>
    <ScoreStaff
      v-for="r in rows"
      :key="r.a.id"
      v-memo="[
        r,
        width,
        start,
        end,
        nowRows[r.i],
        preview.now?.axes.has(r.i) && wasRows,
        opened === r.i && others,
        tracks.get(r.a.id),
        fresh.get(r.a.id),
        report.get(r.a.id),
        shot.focus_scale,
        r.i === axis,
        opened === r.i ? range : none,
        tried,
        lift.get(r.a.id),
        pickedOf.get(r.a.id),
        near?.axis === r.i ? near.x : null,
        crowded,
        isOver(r.a),
      ]"
      :axis="r.a"
      :index="r.i"
      :y="r.y"
      :h="r.h"
      :width="width"
      :left="left"
      :right="right"
      :start="start"
      :end="end"
      :row="nowRows[r.i] as Row"
      :was="wasRows && preview.now?.axes.has(r.i) ? (wasRows[r.i] as Row) : null"
      :others="opened === r.i ? others : null"
      :track="tracks.get(r.a.id)"
      :fresh="fresh.get(r.a.id) ?? null"
      :report="report.get(r.a.id)"
      :focus="shot.focus_scale"
      :selected="r.i === axis"
      :opened="opened === r.i"
      :peak="peak(r.a)"
      :over="isOver(r.a)"
      :range="opened === r.i ? range : none"
      :tried="tried"
      :lifted="lift.get(r.a.id) ?? null"
      :picked="pickedOf.get(r.a.id) ?? null"
      :near="near?.axis === r.i ? near.x : null"
      :crowded="crowded"
      @select="emit('select', r.i)"
      @open="open(r.i)"
      @grab="(e, f) => grab(e, r.i, f)"
      @band="(e) => bandDown(e, r.i)"
      @key="(e) => key(e, r.i)"
      @rest="settle"
    />
    <svg class="over" :width="width" height="11">
      <ScoreOver
        :plot="seen.plot"
        :whole="whole"
        :part="part"
        :left="left"
        :span="span"
        @pan="pan"
      />
    </svg>
    <svg class="above" :width="width" :height="height">
      <StaffKnobs
        v-if="shaping && shaped && !hand && !preview.now?.held"
        :track="shaped"
        :row="nowRows[shaping.i] as Row"
        :y="shaping.y"
        :h="shaping.h"
        :left="left"
        :span="span"
        :start="start"
        :end="end"
        :range="range"
        @shape="bent"
        @ramp="ramped"
      />
      <g clip-path="url(#scoreclip)">
        <template v-for="o in outside" :key="o.name">
          <text
            v-if="x(o.to) - x(o.from) > 40"
            :x="(x(o.from) + x(o.to)) / 2"
            :y="height - 4 - (score.changes ? strip : 0)"
            text-anchor="middle"
            class="lab halo"
          >
            {{ o.name }}
          </text>
        </template>
      </g>
      <text
        v-if="hand && hand.to !== hand.held.frame"
        :x="x(hand.to) + 10"
        :y="head - 2"
        class="lab now halo"
      >
        to {{ four(hand.to) }}
      </text>
      <rect
        v-if="band && Math.hypot(band.x2 - band.x, band.y2 - band.y) > 5"
        :x="Math.min(band.x, band.x2)"
        :y="Math.min(band.y, band.y2)"
        :width="Math.abs(band.x2 - band.x)"
        :height="Math.abs(band.y2 - band.y)"
        class="pick"
        data-test="band"
      />
    </svg>
    <ScoreHead
      :rows="rows"
      :width="width"
      :height="height"
      :left="left"
      :span="span"
      :head="head"
      :start="start"
      :end="end"
      :keys="allKeys"
      :tracks="shot.path.tracks"
    />
    <ScoreLegs
      v-if="score.timing === 'legs' && !shot.empty"
      :frames="legFrames"
      :start="start"
      :end="end"
      :left="left"
      :span="span"
      :top="22"
      @time="travel"
    />
    <ScoreLegs
      v-if="shaping && legKinds && !hand"
      :frames="keysOf(shaping.i)"
      :start="start"
      :end="end"
      :left="left"
      :span="span"
      :top="shaping.y + shaping.h - 21"
      :kinds="legKinds"
      @kind="setKind"
    />
    <div class="zoom">
      <button
        class="zb"
        aria-label="Show more frames"
        title="show more frames"
        :disabled="!part"
        @click="zoom(0.625)"
      >
        −</button
      ><button
        class="zb"
        aria-label="Show fewer frames"
        title="show fewer frames; the wheel does it, too"
        @click="zoom(1.6)"
      >
        +
      </button>
    </div>
  </div>
</template>

<style scoped>
.score {
  position: absolute;
  inset: 0;
  overflow: hidden;
  touch-action: none;
  user-select: none;
}
svg {
  position: absolute;
  left: 0;
  top: 0;
  display: block;
  touch-action: none;
  will-change: transform;
}
.above {
  pointer-events: none;
}
.above .knobs {
  pointer-events: auto;
}
.capt {
  font: 600 14px var(--head);
  letter-spacing: 0.06em;
}
.lab {
  font-size: 11px;
  fill: var(--quiet);
}
html.paper .lab {
  fill: var(--muted);
}
.lab.now {
  fill: var(--now);
}
.halo {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
.pick {
  fill: var(--tint);
  stroke: var(--now);
  stroke-dasharray: 4 2;
  pointer-events: none;
}
.zoom {
  position: absolute;
  left: 60px;
  top: 3px;
  display: flex;
  gap: 2px;
}
.zb {
  width: 20px;
  height: 20px;
  border: 1px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  font: 400 13px/1 var(--text);
  cursor: pointer;
  padding: 0;
}
.zb:disabled {
  color: var(--quiet);
  cursor: default;
}
</style>
