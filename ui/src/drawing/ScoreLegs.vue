<script setup lang="ts">
import { computed } from "vue";
import FieldInput from "../fields/FieldInput.vue";

// Boxes between keyframes: how long each leg takes, or how it is joined. What has no room
// is left out; fewer frames in the window give it room.
const props = defineProps<{
  frames: number[];
  start: number;
  end: number;
  left: number;
  span: number;
  top: number;
  kinds?: { own: string[]; all: readonly string[] };
}>();
const emit = defineEmits<{
  time: [leg: number, text: string, box: HTMLInputElement];
  kind: [leg: number, kind: string];
}>();
const x = (f: number): number =>
  props.left + ((f - props.start) / (props.end - props.start)) * props.span;
const legs = computed(() =>
  props.frames.slice(0, -1).flatMap((a, i) => {
    const b = props.frames[i + 1] ?? a,
      from = Math.max(x(a), props.left),
      to = Math.min(x(b), props.left + props.span);
    return to - from >= (props.kinds ? 84 : 56)
      ? [{ i, at: (from + to) / 2, n: +(b - a).toFixed(3) }]
      : [];
  }),
);
</script>

<template>
  <div class="legs" :style="{ top: top + 'px' }">
    <template v-for="l in legs" :key="l.i">
      <select
        v-if="kinds"
        class="leg"
        :style="{ left: l.at - 36 + 'px', width: '72px' }"
        :value="kinds.own[l.i] ?? ''"
        :aria-label="`How leg ${l.i + 1} is joined`"
        :data-test="`leg-kind-${l.i}`"
        @change="emit('kind', l.i, ($event.target as HTMLSelectElement).value)"
        @pointerdown.stop
      >
        <option value="">as axis</option>
        <option v-for="k in kinds.all" :key="k">{{ k }}</option>
      </select>
      <FieldInput
        v-else
        class="leg"
        :style="{ left: l.at - 24 + 'px', width: '46px' }"
        :value="l.n"
        inputmode="decimal"
        :aria-label="`Travel time of leg ${l.i + 1} in frames`"
        title="travel time: frames, or as 2.5 s"
        :data-test="`leg-${l.i}`"
        @change="
          emit(
            'time',
            l.i,
            ($event.target as HTMLInputElement).value,
            $event.target as HTMLInputElement,
          )
        "
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
    </template>
  </div>
</template>

<style scoped>
.legs {
  position: absolute;
  left: 0;
  width: 0;
  height: 0;
}
.leg {
  position: absolute;
  height: 18px;
  box-sizing: border-box;
  font: 400 var(--t11)/1 var(--text);
  text-align: center;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--now);
  padding: 0 var(--s1);
}
</style>
