<script setup lang="ts">
import { computed, ref } from "vue";
import type { Sheet } from "../api/client";
import SheetDimensions from "./SheetDimensions.vue";
import SheetMachine from "./SheetMachine.vue";
import SheetPaper from "./SheetPaper.vue";
import { fit, projection } from "./sheet";
import { useElementSize } from "./size";

// One machine alone, in plan and elevation, as its joints stand.
const props = defineProps<{ sheet: Sheet; joints: number[][]; name: string; known: boolean }>();
const box = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(box);
const at = computed(() => fit(props.sheet.bounds, width.value, height.value, false));
const eye = computed(() => {
  const v = props.joints[props.sheet.camera];
  return v ? { plan: projection(at.value, false)(v), side: projection(at.value, true)(v) } : null;
});
</script>

<template>
  <div ref="box" class="box one" :data-test="'machine-' + name">
    <svg :width="width" :height="height" role="img" :aria-label="`Plan and elevation of ${name}`">
      <SheetPaper :frame="at" :width="width" :height="height" :name="name">
        <template #plan>
          <SheetMachine
            :sheet="sheet"
            :frame="at"
            :side="false"
            rails
            :joints="joints"
            :ghost="!known"
          />
          <SheetDimensions :sheet="sheet" :frame="at" />
          <circle v-if="eye" :cx="eye.plan[0]" :cy="eye.plan[1]" r="6" class="eye" />
        </template>
        <template #side>
          <SheetMachine :sheet="sheet" :frame="at" side rails :joints="joints" :ghost="!known" />
          <circle v-if="eye" :cx="eye.side[0]" :cy="eye.side[1]" r="6" class="eye" />
        </template>
      </SheetPaper>
    </svg>
    <p v-if="joints.length === 0" class="none quiet small">not seen: it is drawn when it is</p>
  </div>
</template>

<style scoped>
.one {
  overflow: hidden;
}
svg {
  display: block;
}
.eye {
  fill: var(--sheet);
  stroke: var(--now);
  stroke-width: 3;
}
.none {
  position: absolute;
  left: 12px;
  top: 30px;
  margin: 0;
}
</style>
