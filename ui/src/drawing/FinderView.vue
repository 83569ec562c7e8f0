<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import type { ShotView, View } from "../api/client";
import { useElementSize } from "./size";
import { finder } from "./finderHost";
import type { Mark } from "./finderWorker";

const props = defineProps<{
  shot: ShotView;
  camera: View | null;
  label?: string;
  bare?: boolean;
}>();
const box = ref<HTMLElement | null>(null);
const holder = ref<HTMLElement | null>(null);
const trouble = ref("");
const mark = ref<Mark | null>(null);
const { width, height } = useElementSize(box);

// The picture's own shape inside the box.
const picture = computed(() => {
  const ratio = props.shot.lens.width_mm / props.shot.lens.height_mm;
  const w = Math.min(width.value, height.value * ratio);
  return { w, h: w / ratio, x: (width.value - w) / 2, y: (height.value - w / ratio) / 2 };
});
const placed = computed(() => {
  const p = picture.value;
  return { width: `${p.w}px`, height: `${p.h}px`, left: `${p.x}px`, top: `${p.y}px` };
});
const sharp = computed(() => props.camera?.sharp_m ?? [0, 0]);
const m = (v: number): string => (v >= 9999 ? "∞" : v.toFixed(2));
// The focus bar runs over 1/distance, from 0.4 m on the left to infinity.
const along = (d: number): number => 1 - Math.min(1, 0.4 / Math.max(d, 0.4));
const band = computed(() => {
  const [near, far] = [along(sharp.value[0] ?? 0), along(sharp.value[1] ?? 0)];
  return { left: `${near * 100}%`, width: `${Math.max(0.5, (far - near) * 100)}%` };
});

const drawn = ref(0);
let turn = 0;
function soon(): void {
  if (props.camera && picture.value.w >= 10)
    finder.want({
      view: props.camera,
      width: Math.round(picture.value.w),
      height: Math.round(picture.value.h),
    });
}
function hear(m: Mark | null): void {
  if (finder.failed)
    trouble.value = "This browser shows no 3D picture. The sheet and the score still work.";
  mark.value = m;
  if (!finder.failed) drawn.value++;
}

onMounted(() => {
  if (!holder.value) return;
  turn = finder.enter(holder.value, hear);
  finder.show(props.shot.set);
  if (finder.failed) hear(null);
  soon();
});
onBeforeUnmount(() => finder.leave(turn));
watch(() => [props.camera, picture.value.w, picture.value.h], soon);
watch(
  () => props.shot.set,
  (set) => {
    finder.show(set);
    soon();
  },
);
</script>

<template>
  <div ref="box" class="box finder" data-test="finder" :data-drawn="drawn">
    <div
      ref="holder"
      class="holder"
      :style="{ visibility: drawn > 0 ? 'visible' : 'hidden', ...placed }"
      role="img"
      :aria-label="`Through the lens: ${shot.lens.name}`"
    />
    <div class="picture" :style="placed" aria-hidden="true">
      <i v-if="!bare" class="safe" /><i v-else class="edge" />
      <svg
        v-if="mark && !bare"
        class="corner"
        :width="mark.size * 2 + 4"
        :height="mark.size * 2 + 4"
        :style="{
          transform: `translate(${mark.x - mark.size - 2}px, ${mark.y - mark.size - 2}px)`,
        }"
        data-test="mark"
        :data-x="mark.x"
        :data-from="mark.from"
        :data-width="picture.w"
      >
        <path
          :d="
            `M2 11V2h9M${mark.size * 2 - 7} 2h9v9M${mark.size * 2 + 2} ${mark.size * 2 - 7}` +
            `v9h-9M11 ${mark.size * 2 + 2}H2v-9`
          "
          fill="none"
          stroke="var(--glass)"
          stroke-width="2"
        />
      </svg>
      <div v-if="!bare" class="ring">
        <i class="sharp" :style="band" />
        <i class="at" :style="{ left: along(camera?.focus_m ?? 1) * 100 + '%' }" />
      </div>
    </div>
    <div v-if="!bare" class="over top">
      <span
        >{{ shot.lens.focal_mm }} mm f/{{ shot.lens.f_number }} · across
        {{ (camera?.field_deg[0] ?? 0).toFixed(1) }}°</span
      ><span v-if="label">{{ label }}</span>
    </div>
    <div v-if="!bare" class="over low">
      <span>sharp {{ m(sharp[0] ?? 0) }} – {{ m(sharp[1] ?? 0) }} m</span>
      <span>focus {{ (camera?.focus_m ?? 0).toFixed(2) }} m</span>
    </div>
    <p v-if="trouble" class="none">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.finder {
  background: var(--picture);
  overflow: hidden;
}
.holder {
  position: absolute;
}
.holder :deep(canvas) {
  display: block;
  width: 100%;
  height: 100%;
}
.picture {
  position: absolute;
  pointer-events: none;
  contain: strict;
}
.safe {
  position: absolute;
  inset: 5%;
  border: 1px dashed var(--glass);
  opacity: 0.7;
}
.edge {
  position: absolute;
  inset: 0;
  border: 1px solid var(--glass);
}
.corner {
  position: absolute;
  left: 0;
  top: 0;
  will-change: transform;
}
.ring {
  position: absolute;
  left: 7%;
  width: 86%;
  bottom: 10%;
  border-top: 1px solid var(--glass);
}
.sharp {
  position: absolute;
  top: -5px;
  height: 8px;
  background: var(--glass);
  opacity: 0.4;
}
.at {
  position: absolute;
  top: -8px;
  width: 3px;
  margin-left: calc(-1 * var(--s1));
  height: 14px;
  background: var(--picture-now);
}
.over {
  position: absolute;
  left: 24px;
  right: 24px;
  display: flex;
  justify-content: space-between;
  color: var(--glass);
  font-size: var(--t11);
  pointer-events: none;
}
.over span {
  background: var(--picture-veil);
  padding: 0 var(--s4);
}
.over.top {
  top: 18px;
}
.over.low {
  bottom: 32px;
}
.none {
  color: var(--picture-bright);
  padding: var(--s24) var(--s24);
}
html.blackout .holder {
  opacity: 0.72;
}
</style>
