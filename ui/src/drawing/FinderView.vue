<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import type { ShotView, View } from "../api/client";
import { useElementSize } from "./size";
import type { Answer, Ask, Mark } from "./finderWorker";

const props = defineProps<{ shot: ShotView; camera: View | null; label?: string }>();
const box = ref<HTMLElement | null>(null);
const canvas = ref<HTMLCanvasElement | null>(null);
const trouble = ref("");
const mark = ref<Mark | null>(null);
const { width, height } = useElementSize(box);

// The picture's own shape inside the box.
const picture = computed(() => {
  const ratio = props.shot.lens.width_mm / props.shot.lens.height_mm;
  const w = Math.min(width.value, height.value * ratio);
  return { w, h: w / ratio, x: (width.value - w) / 2, y: (height.value - w / ratio) / 2 };
});
const sharp = computed(() => props.camera?.sharp_m ?? [0, 0]);
const m = (v: number): string => (v >= 9999 ? "∞" : v.toFixed(2));
// The focus bar runs over 1/distance, from 0.4 m on the left to infinity.
const along = (d: number): number => 1 - Math.min(1, 0.4 / Math.max(d, 0.4));

// One picture is drawn at a time, the newest wanted next. While the camera moves
// and drawing is slow, at a lower resolution and a few times a second, so that the
// processors are left to the drawings; in full once it rests.
const goodMS = 16;
let worker: Worker | null = null;
let ready = false, busy = false, wanted = false, pausing = false;
let rest = 0, cost = 0, lastChange = 0;
const drawn = ref(0);
function soon(): void {
  lastChange = performance.now();
  wanted = true;
  if (!pausing) draw();
}
function draw(): void {
  if (!worker || !ready || busy || !wanted || !props.camera || picture.value.w < 10) return;
  window.clearTimeout(rest);
  pausing = false;
  const moving = performance.now() - lastChange < 200 && drawn.value > 0;
  const scale = moving && cost > goodMS ? Math.max(0.3, Math.round(Math.sqrt(goodMS / cost) * 10) / 10) : 1;
  wanted = false;
  busy = true;
  asked = scale;
  worker.postMessage({ view: props.camera, width: Math.round(picture.value.w), height: Math.round(picture.value.h), scale } satisfies Ask);
}
let asked = 1;
function hear(m: Answer): void {
  if ("failed" in m) {
    trouble.value = "This browser shows no 3D picture. The sheet and the score still work.";
    return;
  }
  if ("ready" in m) ready = true;
  else {
    busy = false;
    mark.value = m.mark;
    drawn.value++;
    if (drawn.value > 1) cost = (cost + m.ms / (asked * asked)) / 2; // the first makes shaders, too
    if (wanted && cost > goodMS) {
      pausing = true;
      rest = window.setTimeout(() => { pausing = false; draw(); }, Math.min(Math.max(60, 2 * m.ms), 400));
      return;
    }
    if (asked < 1 && !wanted) rest = window.setTimeout(() => { wanted = true; draw(); }, 220);
  }
  draw();
}

onMounted(() => {
  try {
    if (!canvas.value) return;
    const c = canvas.value.transferControlToOffscreen();
    worker = new Worker(new URL("./finderWorker.ts", import.meta.url), { type: "module" });
    worker.onmessage = (e: MessageEvent<Answer>) => hear(e.data);
    worker.postMessage({ canvas: c, set: props.shot.set, ratio: Math.min(window.devicePixelRatio, 2) } satisfies Ask, [c]);
    soon();
  } catch {
    hear({ failed: true });
  }
});
onBeforeUnmount(() => { window.clearTimeout(rest); worker?.terminate(); });
watch(() => [props.camera, picture.value.w, picture.value.h], soon);
watch(() => props.shot.set, (set, was) => {
  if (JSON.stringify(set) === JSON.stringify(was)) return;
  worker?.postMessage({ set } satisfies Ask);
  soon();
});
</script>

<template>
  <div ref="box" class="box finder" data-test="finder" :data-drawn="drawn">
    <canvas ref="canvas" :style="{ width: picture.w + 'px', height: picture.h + 'px', left: picture.x + 'px', top: picture.y + 'px' }" role="img" :aria-label="`Through the lens: ${shot.lens.name}`" />
    <div class="picture" :style="{ width: picture.w + 'px', height: picture.h + 'px', left: picture.x + 'px', top: picture.y + 'px' }" aria-hidden="true">
      <i class="safe" />
      <svg v-if="mark" class="corner" :width="mark.size * 2 + 4" :height="mark.size * 2 + 4" :style="{ transform: `translate(${mark.x - mark.size - 2}px, ${mark.y - mark.size - 2}px)` }" data-test="mark" :data-x="mark.x" :data-from="mark.from" :data-width="picture.w">
        <path :d="`M2 11V2h9M${mark.size * 2 - 7} 2h9v9M${mark.size * 2 + 2} ${mark.size * 2 - 7}v9h-9M11 ${mark.size * 2 + 2}H2v-9`" fill="none" stroke="var(--glass)" stroke-width="2" />
      </svg>
      <div class="ring"><i class="sharp" :style="{ left: along(sharp[0] ?? 0) * 100 + '%', width: Math.max(0.5, (along(sharp[1] ?? 0) - along(sharp[0] ?? 0)) * 100) + '%' }" /><i class="at" :style="{ left: along(camera?.focus_m ?? 1) * 100 + '%' }" /></div>
    </div>
    <div class="over top"><span>{{ shot.lens.focal_mm }} mm f/{{ shot.lens.f_number }} · across {{ (camera?.field_deg[0] ?? 0).toFixed(1) }}°</span><span v-if="label">{{ label }}</span></div>
    <div class="over low"><span>sharp {{ m(sharp[0] ?? 0) }} – {{ m(sharp[1] ?? 0) }} m</span><span>focus {{ (camera?.focus_m ?? 0).toFixed(2) }} m</span></div>
    <p v-if="trouble" class="none">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.finder { background: #0b0d10; overflow: hidden; }
canvas { position: absolute; display: block; }
.picture { position: absolute; pointer-events: none; contain: strict; }
.safe { position: absolute; inset: 5%; border: 1px dashed var(--glass); opacity: .7; }
.corner { position: absolute; left: 0; top: 0; will-change: transform; }
.ring { position: absolute; left: 7%; width: 86%; bottom: 10%; border-top: 1px solid var(--glass); }
.sharp { position: absolute; top: -5px; height: 8px; background: var(--glass); opacity: .4; }
.at { position: absolute; top: -8px; width: 3px; margin-left: -1.5px; height: 14px; background: #ffd27a; }
.over { position: absolute; left: 24px; right: 24px; display: flex; justify-content: space-between; color: var(--glass); font-size: 12px; pointer-events: none; }
.over span { background: rgba(8, 10, 13, .55); padding: 0 5px; }
.over.top { top: 18px; }
.over.low { bottom: 32px; }
.none { color: #fff; padding: 60px 30px; }
html.blackout canvas { opacity: .72; }
</style>
