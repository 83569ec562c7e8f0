<script setup lang="ts">
import { computed } from "vue";
import type { SetDoc } from "../api/client";
import { projection, type Frame } from "./sheet";

// The set: outlined solids, zones, the subject's ring; in plan or elevation.
const props = defineProps<{ set: SetDoc; frame: Frame; width: number; side: boolean }>();
const to = computed(() => projection(props.frame, props.side));
const boxes = computed(() =>
  props.set.solids
    .filter((s) => s.drawn)
    .map((s) => {
      const corner = (sign: number): number[] =>
        s.centre_m.map((c, i) => c + (sign * (s.size_m[i] ?? 0)) / 2);
      const [ax, ay] = to.value(corner(-1)),
        [bx, by] = to.value(corner(1));
      return { name: s.name, x: ax, y: by, w: bx - ax, h: ay - by, under: to.value(corner(-1))[1] };
    }),
);
const zones = computed(() =>
  props.side
    ? []
    : props.set.zones.map((z) => {
        const [ax, ay] = to.value(z.min_m),
          [bx, by] = to.value(z.max_m);
        // Its words run to the left where they would leave the sheet.
        const left = ax + 125 > props.width;
        return {
          name: z.name,
          x: ax,
          y: by,
          w: bx - ax,
          h: ay - by,
          words: `keep out: ${z.name}, ${z.clear_m} m`,
          at: left ? bx : ax,
          anchor: left ? "end" : "start",
        };
      }),
);
const subject = computed(() => to.value(props.set.subject_m));
</script>

<template>
  <g>
    <g v-for="b in boxes" :key="b.name">
      <rect
        :data-solid="side ? undefined : b.name"
        :x="b.x"
        :y="b.y"
        :width="b.w"
        :height="b.h"
        fill="var(--tint)"
        :stroke="side ? 'var(--quiet)' : 'var(--ink)'"
        stroke-width="1"
      />
      <text v-if="!side" :x="b.x + b.w / 2" :y="b.under - 5" text-anchor="middle" class="lab">{{
        b.name
      }}</text>
    </g>
    <g v-for="z in zones" :key="z.name">
      <rect
        :data-solid="z.name"
        :x="z.x"
        :y="z.y"
        :width="z.w"
        :height="z.h"
        fill="url(#hatch)"
        stroke="var(--ink)"
        stroke-dasharray="5 3"
      />
      <text :x="z.at" :text-anchor="z.anchor" :y="z.y + z.h + 14" class="lab">{{ z.words }}</text>
    </g>
    <circle
      :cx="subject[0]"
      :cy="subject[1]"
      :r="side ? 6 : 9"
      fill="none"
      stroke="var(--now)"
      stroke-width="2"
    />
    <circle v-if="!side" :cx="subject[0]" :cy="subject[1]" r="2" fill="var(--now)" />
  </g>
</template>
