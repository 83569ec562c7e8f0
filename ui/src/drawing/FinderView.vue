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
// and drawing is slow, at a lower resolution; in full once it rests.
const goodMS = 24;
let worker: Worker | null = null;
let ready = false, busy = false, wanted = false;
let rest = 0, cost = 0, lastChange = 0;
const drawn = ref(0);
function soon(): void {
  lastChange = performance.now();
  wanted = true;
  draw();
}
function draw(): void {
  if (!worker || !ready || busy || !wanted || !props.camera || picture.value.w < 10) return;
  window.clearTimeout(rest);
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
    cost = asked === 1 ? m.ms : Math.max(cost * 0.9, m.ms);
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
    <svg :width="width" :height="height" aria-hidden="true">
      <g :transform="`translate(${picture.x} ${picture.y})`">
        <rect :x="picture.w * 0.05" :y="picture.h * 0.05" :width="picture.w * 0.9" :height="picture.h * 0.9" fill="none" stroke="var(--glass)" stroke-width="1.2" stroke-dasharray="2 4" />
        <path v-if="mark" data-test="mark" :data-x="mark.x" :data-from="mark.from" :data-width="picture.w" :d="`M${mark.x - mark.size} ${mark.y - mark.size + 9}v-9h9M${mark.x + mark.size - 9} ${mark.y - mark.size}h9v9M${mark.x + mark.size} ${mark.y + mark.size - 9}v9h-9M${mark.x - mark.size + 9} ${mark.y + mark.size}h-9v-9`" fill="none" stroke="var(--glass)" stroke-width="2" />
        <g :transform="`translate(${picture.w * 0.07} ${picture.h * 0.9})`">
          <path :d="`M0 0H${picture.w * 0.86}`" stroke="var(--glass)" stroke-width="1" opacity=".8" />
          <rect :x="along(sharp[0] ?? 0) * picture.w * 0.86" y="-4" :width="Math.max(2, (along(sharp[1] ?? 0) - along(sharp[0] ?? 0)) * picture.w * 0.86)" height="8" fill="var(--glass)" opacity=".4" />
          <rect :x="along(camera?.focus_m ?? 1) * picture.w * 0.86 - 1.5" y="-7" width="3" height="14" fill="#ffd27a" />
        </g>
      </g>
    </svg>
    <div class="over top"><span>{{ shot.lens.focal_mm }} mm f/{{ shot.lens.f_number }} · across {{ (camera?.field_deg[0] ?? 0).toFixed(1) }}°</span><span v-if="label">{{ label }}</span></div>
    <div class="over low"><span>sharp {{ m(sharp[0] ?? 0) }} – {{ m(sharp[1] ?? 0) }} m</span><span>focus {{ (camera?.focus_m ?? 0).toFixed(2) }} m</span></div>
    <p v-if="trouble" class="none">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.finder { background: #0b0d10; overflow: hidden; }
canvas { position: absolute; display: block; }
svg { position: absolute; inset: 0; }
.over { position: absolute; left: 24px; right: 24px; display: flex; justify-content: space-between; color: var(--glass); font-size: 12px; text-shadow: 0 0 3px #000, 0 0 6px #000, 0 0 2px #000; pointer-events: none; }
.over.top { top: 18px; }
.over.low { bottom: 32px; }
.none { color: #fff; padding: 60px 30px; }
html.blackout canvas { opacity: .72; }
</style>
