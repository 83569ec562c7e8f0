<script setup lang="ts">
import { computed } from "vue";
import type { Sheet } from "../api/client";
import { projection, type Frame } from "./sheet";

// Dimension lines: the soft limits of every rail, beside it in the plan.
const props = defineProps<{ sheet: Sheet; frame: Frame }>();
const beside = 17; // px from the rail's middle
const lines = computed(() => {
  const to = projection(props.frame, false);
  return props.sheet.rails.flatMap((r) => {
    const [a = [], b = []] = r.soft_m;
    const [ax, ay] = to(a),
      [bx, by] = to(b);
    const d = Math.hypot(bx - ax, by - ay);
    if (d < 30) return []; // it stands upright, or is too small to read
    let [nx, ny] = [-(by - ay) / d, (bx - ax) / d];
    if (ny < 0 || (ny === 0 && nx < 0)) [nx, ny] = [-nx, -ny];
    const off = beside + 0.055 * props.frame.k;
    const p = (x: number, y: number, o: number): string =>
      `${(x + nx * o).toFixed(1)} ${(y + ny * o).toFixed(1)}`;
    const end = (x: number, y: number): string => `M${p(x, y, off - 5)}L${p(x, y, off + 5)}`;
    return [
      {
        axis: r.axis,
        d: `${end(ax, ay)}${end(bx, by)}M${p(ax, ay, off)}L${p(bx, by, off)}`,
        x: (ax + bx) / 2 + nx * (off + 15),
        y: (ay + by) / 2 + ny * (off + 15),
        text: r.text,
      },
    ];
  });
});
</script>

<template>
  <g>
    <g v-for="l in lines" :key="l.axis">
      <path :d="l.d" stroke="var(--quiet)" fill="none" />
      <text :x="l.x" :y="l.y" text-anchor="middle" class="lab halo">{{ l.text }}</text>
    </g>
  </g>
</template>
