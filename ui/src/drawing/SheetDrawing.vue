<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { ShotView, View } from "../api/client";
import { four } from "../stores/shot";
import SheetGround from "./SheetGround.vue";
import { fit, wedge, type Frame } from "./sheet";
import { useElementSize } from "./size";

const props = defineProps<{ shot: ShotView; camera: View | null; rig: View | null; frame: number; planOnly?: boolean; follow?: boolean }>();
const emit = defineEmits<{ go: [frame: number] }>();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);

// One scale for plan and elevation; x is shared, so they stand over each other.
const zoom = ref(1);
const shift = ref<[number, number]>([0, 0]);
const base = computed(() => fit(props.shot, width.value, height.value, props.planOnly ?? false));
const at = computed<Frame>(() => {
  const b = base.value, z = zoom.value;
  return { k: b.k * z, cx: width.value / 2 + (b.cx - width.value / 2) * z + shift.value[0], planY: b.planY + shift.value[1], floorY: b.floorY, splitY: b.splitY };
});
const X = (m: number): number => at.value.cx + m * at.value.k;
const PY = (m: number): number => at.value.planY - m * at.value.k;
const EY = (m: number): number => at.value.floorY - m * at.value.k;

const subject = computed(() => props.shot.set.subject_m);
// As on a focus scale: from the image plane, along the lens.
const away = computed(() => {
  const c = props.camera;
  if (!c) return null;
  const d = [0, 1, 2].reduce((sum, i) => sum + ((subject.value[i] ?? 0) - (c.at_m[i] ?? 0)) * (c.forward[i] ?? 0), 0);
  return d > 0 ? d : null;
});
const onKey = computed(() => props.shot.path.tracks.some((t) => t.keys.some((q) => q.frame === props.frame)));
const dimX = computed(() => Math.min(X(props.shot.rig.rail_from_m + props.shot.rig.rail_m) + 0.3 * at.value.k, width.value - 64));

function wheel(e: WheelEvent): void {
  const r = box.value?.getBoundingClientRect();
  if (!r) return;
  scale(e.deltaY < 0 ? 1.15 : 1 / 1.15, e.clientX - r.left, e.clientY - r.top);
}
function scale(by: number, px: number, py: number): void {
  const to = Math.min(Math.max(zoom.value * by, 0.4), 8);
  const b = at.value, mx = (px - b.cx) / b.k, my = (b.planY - py) / b.k;
  zoom.value = to;
  const n = at.value;
  shift.value = [shift.value[0] + px - (n.cx + mx * n.k), shift.value[1] + py - (n.planY - my * n.k)];
}
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
    <svg class="ground" :width="width" :height="height" role="img" :aria-label="`Plan${planOnly ? '' : ' and elevation'} of ${shot.code}`" @wheel.prevent="wheel" @pointerdown="down" @pointermove="move" @pointerup="drag = null" @pointercancel="drag = null">
      <SheetGround :shot="shot" :frame="at" :width="width" :height="height" :plan-only="planOnly" @go="(f) => emit('go', f)" />
    </svg>
    <svg class="moving" :width="width" :height="height" aria-hidden="true">
      <defs><clipPath id="movingclip"><rect x="0" y="0" :width="width" :height="at.splitY" /></clipPath></defs>
      <g clip-path="url(#movingclip)">
        <path v-if="camera" :d="wedge(camera, at)" fill="var(--tint)" stroke="var(--ink)" stroke-width="1.8" />
        <path v-if="camera && onKey && !follow" :d="`M${X(camera.at_m[0] ?? 0)} ${PY(camera.at_m[1] ?? 0) + 10}l6 10h-12z`" fill="var(--now)" />
        <text :x="X(subject[0] ?? 0) + 14" :y="PY(subject[1] ?? 0) - 10" class="lab strong halo">{{ shot.set.subject_name }}{{ away === null ? "" : ` ${away.toFixed(2)} m` }}</text>
        <g v-if="rig"><rect :x="X(rig.at_m[0] ?? 0) - 9" :y="PY(rig.at_m[1] ?? 0) - 9" width="18" height="18" fill="none" stroke="var(--ink)" stroke-width="1.6" stroke-dasharray="4 2" /><text :x="X(rig.at_m[0] ?? 0)" :y="PY(rig.at_m[1] ?? 0) - 26" text-anchor="middle" class="lab halo">rig</text></g>
        <circle v-if="camera && !follow" :cx="X(camera.at_m[0] ?? 0)" :cy="PY(camera.at_m[1] ?? 0)" r="8" fill="var(--sheet)" stroke="var(--now)" stroke-width="3" />
      </g>
      <template v-if="camera && !planOnly"><path :d="`M${X(camera.at_m[0] ?? 0)} ${EY(camera.at_m[2] ?? 0)}V${EY(shot.rig.height_m)}`" stroke="var(--ink)" stroke-width="2" /><circle :cx="X(camera.at_m[0] ?? 0)" :cy="EY(camera.at_m[2] ?? 0)" r="7" fill="var(--sheet)" stroke="var(--now)" stroke-width="3" />
        <path :d="`M${dimX} ${EY(0)}V${EY(camera.at_m[2] ?? 0)}m-4 0h8M${dimX - 4} ${EY(0)}h8`" stroke="var(--quiet)" fill="none" /><text :x="dimX + 8" :y="EY((camera.at_m[2] ?? 0) / 2) + 4" class="lab">{{ (camera.at_m[2] ?? 0).toFixed(2) }} m</text></template>
    </svg>
    <div class="zoom"><button class="btn slim" aria-label="Larger" @click="scale(1.3, width / 2, at.planY - at.k * 0.4)">+</button><button class="btn slim" aria-label="Smaller" @click="scale(1 / 1.3, width / 2, at.planY - at.k * 0.4)">−</button><button class="btn slim" @click="whole">fit</button></div>
    <p class="sr" aria-live="off">Frame {{ four(frame) }}</p>
    <p v-if="shot.empty" class="empty">The sheet is empty. Find a framing with ← → and press <kbd>K</kbd> to store the first keyframe, or take keyframes from a file.</p>
  </div>
</template>

<style scoped>
.drawing { overflow: hidden; touch-action: none; }
svg { display: block; }
.ground { cursor: grab; will-change: transform; }
.moving { position: absolute; inset: 0; pointer-events: none; will-change: transform; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.strong { fill: var(--now) !important; font-weight: 700; }
.halo { paint-order: stroke; stroke: var(--sheet); stroke-width: 4px; stroke-linejoin: round; }
.zoom { position: absolute; top: 4px; right: 8px; display: flex; gap: 4px; }
.sr { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); margin: 0; }
.empty { position: absolute; left: 12px; width: 250px; top: 96px; margin: 0; background: var(--sheet); border: 1px solid var(--now); padding: 14px; font-size: 14px; }
</style>
