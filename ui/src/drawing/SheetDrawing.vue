<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { ShotView, View } from "../api/client";
import { keep } from "../stores/keep";
import { four } from "../stores/shot";
import SheetDimensions from "./SheetDimensions.vue";
import SheetGround from "./SheetGround.vue";
import SheetMachine from "./SheetMachine.vue";
import SheetMarks from "./SheetMarks.vue";
import SheetPaper from "./SheetPaper.vue";
import SheetPath from "./SheetPath.vue";
import SheetWedges from "./SheetWedges.vue";
import { fit, projection, wedge, type Frame } from "./sheet";
import { useElementSize } from "./size";

// Plan and elevation of a shot. What does not change with the frame lies in one
// picture, drawn anew only when the plan, the size or the zoom changes; what moves
// lies in another on top of it.
const props = defineProps<{
  shot: ShotView;
  camera: View | null;
  rig: View | null;
  frame: number;
  planOnly?: boolean;
  follow?: boolean;
  was?: ShotView | null;
  scrub?: boolean;
}>();
const emit = defineEmits<{ go: [frame: number] }>();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);

// One scale for plan and elevation; x is shared, so they stand over each other.
const zoom = ref(1);
const shift = ref<[number, number]>([0, 0]);
const base = computed<Frame>((was) =>
  keep(
    was as Frame,
    fit(props.shot.sheet.bounds, width.value, height.value, props.planOnly ?? false),
  ),
);
const at = computed<Frame>(() => {
  const b = base.value,
    z = zoom.value;
  const cx = width.value / 2 + (b.cx - width.value / 2) * z + shift.value[0];
  return { k: b.k * z, cx, planY: b.planY + shift.value[1], floorY: b.floorY, splitY: b.splitY };
});
const plan = computed(() => projection(at.value, false));
const side = computed(() => projection(at.value, true));

// Keyframes with the view at each; those that would lie on each other are one.
const keys = computed<{ f: number; v: View }[]>((was) => keep(was ?? [], keyViews()));
function keyViews(): { f: number; v: View }[] {
  const p = props.shot.plot;
  const frames = [
    ...new Set(props.shot.path.tracks.flatMap((t) => t.keys.map((q) => q.frame))),
  ].sort((a, b) => a - b);
  const cells = new Set<string>();
  return frames.flatMap((f) => {
    const v = p.views[
      Math.min(Math.max(Math.round((f - p.start) / p.step), 0), p.views.length - 1)
    ] as View;
    const cell = plan
      .value(v.at_m)
      .map((n) => Math.round(n / 7))
      .join(" ");
    if (cells.has(cell)) return [];
    cells.add(cell);
    return [{ f, v }];
  });
}

// As on a focus scale: from the image plane, along the lens.
const away = computed(() => {
  const c = props.camera;
  if (!c) return "";
  const d = props.shot.set.subject_m.reduce(
    (sum, v, i) => sum + (v - (c.at_m[i] ?? 0)) * (c.forward[i] ?? 0),
    0,
  );
  return d > 0 ? ` ${d.toFixed(2)} m` : "";
});
const onKey = computed(() =>
  props.shot.path.tracks.some((t) => t.keys.some((q) => q.frame === props.frame)),
);
const subject = computed(() => plan.value(props.shot.set.subject_m));
const here = computed(() =>
  props.camera
    ? { plan: plan.value(props.camera.at_m), side: side.value(props.camera.at_m) }
    : null,
);
const stands = computed(() => (props.rig ? plan.value(props.rig.at_m) : null));
// The camera's height, at the right of all that is drawn.
const tall = computed(() => {
  const c = props.camera;
  if (!c) return null;
  const x = Math.min((plan.value(props.shot.sheet.bounds.max_m)[0] ?? 0) + 14, width.value - 64),
    y = side.value(c.at_m)[1];
  return { x, y, half: (y + at.value.floorY) / 2 + 4, text: `${(c.at_m[2] ?? 0).toFixed(2)} m` };
});

function wheel(e: WheelEvent): void {
  const r = box.value?.getBoundingClientRect();
  if (!r) return;
  scale(e.deltaY < 0 ? 1.15 : 1 / 1.15, e.clientX - r.left, e.clientY - r.top);
}
function scale(by: number, px: number, py: number): void {
  const to = Math.min(Math.max(zoom.value * by, 0.4), 8);
  const b = at.value,
    mx = (px - b.cx) / b.k,
    my = (b.planY - py) / b.k;
  zoom.value = to;
  const n = at.value;
  shift.value = [
    shift.value[0] + px - (n.cx + mx * n.k),
    shift.value[1] + py - (n.planY - my * n.k),
  ];
}
const middle = (by: number): void => scale(by, width.value / 2, at.value.planY - at.value.k * 0.4);
function whole(): void {
  zoom.value = 1;
  shift.value = [0, 0];
}
let drag: [number, number, number, number] | null = null;
function down(e: PointerEvent): void {
  drag = [e.clientX, e.clientY, shift.value[0], shift.value[1]];
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
}
function move(e: PointerEvent): void {
  if (drag) shift.value = [drag[2] + e.clientX - drag[0], drag[3] + e.clientY - drag[1]];
}
watch(() => props.shot.id, whole);
</script>

<template>
  <div ref="box" class="box drawing" data-test="sheet">
    <svg
      class="ground"
      :width="width"
      :height="height"
      role="img"
      :aria-label="`Plan${planOnly ? '' : ' and elevation'} of ${shot.code}`"
      @wheel.prevent="wheel"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="drag = null"
      @pointercancel="drag = null"
    >
      <SheetPaper :frame="at" :width="width" :height="height" :plan-only="planOnly" name="shot">
        <template #plan>
          <SheetGround :set="shot.set" :frame="at" :width="width" :side="false" />
          <SheetMachine :sheet="shot.sheet" :frame="at" :side="false" rails />
          <SheetDimensions :sheet="shot.sheet" :frame="at" />
        </template>
        <template #side>
          <SheetGround :set="shot.set" :frame="at" :width="width" side />
          <SheetMachine :sheet="shot.sheet" :frame="at" side rails />
        </template>
      </SheetPaper>
    </svg>
    <svg class="path" :width="width" :height="height">
      <g clip-path="url(#plan-shot)">
        <SheetWedges :frame="at" :keys="keys" />
        <SheetPath
          :shot="shot"
          :frame="at"
          :side="false"
          :was="was?.plot ?? null"
          :scrubs="scrub"
          @go="(f) => emit('go', f)"
        />
        <SheetMarks :frame="at" :keys="keys" @go="(f) => emit('go', f)" />
      </g>
      <g v-if="!planOnly" clip-path="url(#side-shot)">
        <SheetPath :shot="shot" :frame="at" side :scrubs="scrub" @go="(f) => emit('go', f)" />
      </g>
    </svg>
    <svg class="moving" :width="width" :height="height" aria-hidden="true">
      <defs>
        <clipPath id="movingclip"><rect x="0" y="0" :width="width" :height="at.splitY" /></clipPath>
      </defs>
      <g clip-path="url(#movingclip)">
        <path
          v-if="camera"
          :d="wedge(camera, at)"
          fill="var(--tint)"
          stroke="var(--ink)"
          stroke-width="1.8"
        />
        <SheetMachine
          v-if="camera"
          :sheet="shot.sheet"
          :frame="at"
          :side="false"
          :joints="camera.joints"
        />
        <path
          v-if="here && onKey && !follow"
          :d="`M${here.plan[0]} ${here.plan[1] + 10}l6 10h-12z`"
          fill="var(--now)"
        />
        <text :x="subject[0] + 14" :y="subject[1] - 10" class="lab strong halo">
          {{ shot.set.subject_name }}{{ away }}
        </text>
        <g v-if="rig && stands">
          <SheetMachine
            v-if="!follow"
            :sheet="shot.sheet"
            :frame="at"
            :side="false"
            :joints="rig.joints"
            ghost
          />
          <rect :x="stands[0] - 9" :y="stands[1] - 9" width="18" height="18" class="rig" />
          <text :x="stands[0]" :y="stands[1] - 26" text-anchor="middle" class="lab halo">rig</text>
        </g>
        <circle v-if="here && !follow" :cx="here.plan[0]" :cy="here.plan[1]" r="8" class="now" />
      </g>
      <template v-if="camera && here && tall && !planOnly">
        <SheetMachine :sheet="shot.sheet" :frame="at" side :joints="camera.joints" />
        <circle :cx="here.side[0]" :cy="here.side[1]" r="7" class="now" />
        <path
          :d="`M${tall.x} ${at.floorY}V${tall.y}m-4 0h8M${tall.x - 4} ${at.floorY}h8`"
          stroke="var(--quiet)"
          fill="none"
        />
        <text :x="tall.x + 8" :y="tall.half" class="lab">{{ tall.text }}</text>
      </template>
    </svg>
    <div class="zoom">
      <button class="btn slim" aria-label="Larger" @click="middle(1.3)">+</button>
      <button class="btn slim" aria-label="Smaller" @click="middle(1 / 1.3)">−</button>
      <button class="btn slim" @click="whole">fit</button>
    </div>
    <p class="sr" aria-live="off">Frame {{ four(frame) }}</p>
    <p v-if="shot.empty" class="empty">
      The sheet is empty. Find a framing with ← → and press <kbd>K</kbd> to store the first
      keyframe, or take keyframes from a file.
    </p>
  </div>
</template>

<style scoped>
.drawing {
  overflow: hidden;
  touch-action: none;
}
svg {
  display: block;
}
.ground {
  cursor: grab;
  will-change: transform;
}
.path {
  position: absolute;
  inset: 0;
  pointer-events: none;
  will-change: transform;
}
.moving {
  position: absolute;
  inset: 0;
  pointer-events: none;
  will-change: transform;
}
.strong {
  fill: var(--now) !important;
  font-weight: 700;
}
.now {
  fill: var(--sheet);
  stroke: var(--now);
  stroke-width: 3;
}
.rig {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
  stroke-dasharray: 4 2;
}
.zoom {
  position: absolute;
  top: 4px;
  right: 8px;
  display: flex;
  gap: var(--s4);
}
.sr {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  margin: 0;
}
.empty {
  position: absolute;
  left: 12px;
  width: 250px;
  top: 96px;
  margin: 0;
  background: var(--sheet);
  border: 1px solid var(--now);
  padding: var(--s14);
  font-size: var(--t13);
}
</style>
