<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from "vue";
import { useShot } from "../stores/shot";
import { useLivePicture } from "./livePicture";

// The camera's picture as it is now, with a cross and frame lines; the spot under the
// pointer is looked at closely. Framing, focus and sighting are done on it.
const props = defineProps<{
  width: number;
  pause: number;
  cross?: boolean;
  lines?: boolean;
  turned?: boolean;
}>();
const { src, why, at } = useLivePicture(
  props.width,
  () => props.pause,
  () => true,
);
// A camera that is mounted upright, clockwise, sees its picture lying on its left side.
const shot = useShot();
const up = computed(
  () => props.turned || (shot.view ? shot.view.lens.height_mm > shot.view.lens.width_mm : false),
);
const spot = ref<{ x: number; y: number; u: number; v: number; w: number } | null>(null);
const now = ref(Date.now());
const timer = window.setInterval(() => (now.value = Date.now()), 500);
onBeforeUnmount(() => window.clearInterval(timer));
const old = computed(() => (at.value ? Math.round((now.value - at.value) / 1000) : 0));
const near = 4,
  size = Math.min(220, props.width / 4); // how much closer, and how large the spot is
function over(e: PointerEvent): void {
  const r = (e.currentTarget as HTMLElement).getBoundingClientRect();
  spot.value = {
    x: e.clientX - r.left,
    y: e.clientY - r.top,
    u: (e.clientX - r.left) / r.width,
    v: (e.clientY - r.top) / r.height,
    w: up.value ? r.height : r.width,
  };
}
const loupe = computed(() => {
  const s = spot.value;
  if (!s) return {};
  const w = s.w * near,
    h = (w * 9) / 16;
  // Where it is in the picture as the sensor has it.
  const [x, y] = up.value ? [s.v, 1 - s.u] : [s.u, s.v];
  return {
    left: `${s.x - size / 2}px`,
    top: `${s.y - size / 2}px`,
    width: `${size}px`,
    height: `${size}px`,
    backgroundImage: `url(${src.value})`,
    backgroundSize: `${w}px ${h}px`,
    backgroundPosition: `${size / 2 - x * w}px ${size / 2 - y * h}px`,
    transform: up.value ? "rotate(90deg)" : undefined,
  };
});
</script>

<template>
  <div class="live">
    <div
      v-if="src"
      class="frame"
      :class="{ up }"
      data-test="camera-picture"
      @pointermove="over"
      @pointerleave="spot = null"
    >
      <img :src="src" alt="What the camera sees now" draggable="false" />
      <svg viewBox="0 0 160 90" preserveAspectRatio="none" aria-hidden="true">
        <path v-if="cross" d="M80 38V52M72 45H88" class="line" vector-effect="non-scaling-stroke" />
        <g v-if="lines">
          <rect
            x="8"
            y="4.5"
            width="144"
            height="81"
            class="line"
            stroke-dasharray="5 4"
            vector-effect="non-scaling-stroke"
          />
          <path
            d="M53.3 0V90M106.7 0V90M0 30H160M0 60H160"
            class="line thin"
            vector-effect="non-scaling-stroke"
          />
        </g>
      </svg>
      <div v-if="spot" class="loupe" :style="loupe" />
    </div>
    <p v-if="!src" class="none" role="status" data-test="no-picture">
      {{ why || "Waiting for the camera …" }}
    </p>
    <p v-else-if="old > 3" class="old" role="status">{{ why || `this is ${old} s old` }}</p>
  </div>
</template>

<style scoped>
.live {
  background: var(--dark);
  min-height: 0;
  min-width: 0;
  display: flex;
  align-items: center;
  justify-content: center;
  position: relative;
  overflow: hidden;
  height: 100%;
  container-type: size;
}
.frame {
  position: relative;
  aspect-ratio: 16 / 9;
  width: min(100cqw, calc(100cqh * 16 / 9));
  overflow: hidden;
  cursor: crosshair;
}
.frame.up {
  aspect-ratio: 9 / 16;
  width: min(100cqw, calc(100cqh * 9 / 16));
}
.frame.up > img {
  inset: auto;
  left: 50%;
  top: 50%;
  width: calc(100% * 16 / 9);
  height: calc(100% * 9 / 16);
  transform: translate(-50%, -50%) rotate(90deg);
}
img,
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.line {
  fill: none;
  stroke: var(--light);
  stroke-width: 1.2;
}
.thin {
  stroke-width: 0.6;
  opacity: 0.6;
}
.loupe {
  position: absolute;
  border: 2px solid var(--light);
  border-radius: 50%;
  background-color: var(--dark);
  background-repeat: no-repeat;
  image-rendering: pixelated;
  pointer-events: none;
}
.none {
  color: var(--light);
  padding: var(--s20);
}
.old {
  position: absolute;
  left: 8px;
  top: 4px;
  margin: 0;
  background: var(--dark);
  color: var(--light);
  padding: 0 var(--s6);
}
</style>
