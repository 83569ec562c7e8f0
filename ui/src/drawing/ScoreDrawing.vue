<script setup lang="ts">
import { computed, ref } from "vue";
import type { Axis, Plot, ShotView } from "../api/client";
import { keep } from "../stores/keep";
import { usePreview } from "../stores/preview";
import { useScore } from "../stores/score";
import { four, useShot } from "../stores/shot";
import { isFocus, spaced } from "../stores/axes";
import { useHand, type Staff } from "./hand";
import { percent } from "./headroom";
import { distance } from "./ring";
import ScoreChanges from "./ScoreChanges.vue";
import ScoreHead from "./ScoreHead.vue";
import ScoreLegs from "./ScoreLegs.vue";
import ScoreRuler from "./ScoreRuler.vue";
import ScoreOver from "./ScoreOver.vue";
import ScoreStaff from "./ScoreStaff.vue";
import { useScoreWindow } from "./scoreWindow";
import { useShaping } from "./shaping";
import { useElementSize } from "./size";
import StaffKnobs from "./StaffKnobs.vue";
import type { Row } from "./StaffRibbon.vue";

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

const {
  hand,
  band,
  near,
  lift,
  pickedOf,
  grab,
  markDown,
  rulerDown,
  bandDown,
  move,
  up,
  drop,
  retime,
  settle,
} = useHand(
  () => props.shot,
  {
    box,
    left,
    rows,
    opened,
    start,
    end,
    crowded,
    tracks,
    keysOf,
    x,
    frameAt,
    valueAt,
    write,
  },
  { go: (f) => emit("go", f), select: (i) => emit("select", i) },
);
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

const shaping = computed(() => (opened.value === null ? null : rows.value[opened.value]));
const { shaped, bent, ramped, legKinds, setKind, legFrames, travel } = useShaping(
  () => props.shot,
  opened,
  tracks,
  allKeys,
  keysOf,
);
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
  font: 600 var(--t13) var(--head);
  letter-spacing: 0.06em;
}
.lab {
  font-size: var(--t11);
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
  gap: var(--s2);
}
.zb {
  width: 20px;
  height: 20px;
  border: 1px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  font: 400 var(--t13)/1 var(--text);
  cursor: pointer;
  padding: 0;
}
.zb:disabled {
  color: var(--quiet);
  cursor: default;
}
</style>
