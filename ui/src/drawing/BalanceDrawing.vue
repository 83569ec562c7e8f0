<script setup lang="ts">
import { computed } from "vue";
import type { BenchView } from "../api/client";

// A head from its left with what hangs on it, to scale: millimetres from the tilt axis,
// forward to the right, at an attitude. What was not weighed piece by piece is dotted.
const props = defineProps<{ bench: BenchView; tilt: number }>();
const w = computed(() => props.bench.sheet.weight!);
const head = computed(() => props.bench.head!);
const rec = computed(() => props.bench.record);
const mm = 1000;
// Where the plate's zero lies from the axis.
const plate = computed(() => ({
  x: rec.value.slide_mm - head.value.slide_axis_mm,
  y: rec.value.rise_mm - head.value.rise_axis_mm,
}));
const boxes = computed(() => {
  const out = props.bench.package.load.pieces.map((p) => ({
    name: p.name,
    x: p.at_m[1]! * mm + plate.value.x,
    y: p.at_m[2]! * mm + plate.value.y,
    kg: p.mass_kg,
    known: true,
  }));
  const r = w.value.rest;
  if (r)
    out.push({
      name: "the rest",
      x: r.forward_m * mm,
      y: r.up_m * mm,
      kg: r.mass_kg,
      known: false,
    });
  // As large as something of its weight is, and none through the plate.
  return out.map((b) => ({
    ...b,
    w: 92 * Math.cbrt(b.kg),
    h: Math.min(70 * Math.cbrt(b.kg), Math.max(2 * (b.y - plate.value.y), 24)),
  }));
});
const all = computed(() => {
  const b = boxes.value;
  const l = Math.min(-130, plate.value.x - 110, ...b.map((x) => x.x - x.w / 2)),
    r = Math.max(130, plate.value.x + 110, ...b.map((x) => x.x + x.w / 2));
  return { l, r, t: Math.max(70, ...b.map((x) => x.y + x.h / 2)) };
});
const scale = computed(() =>
  Math.min(1.75, 520 / (all.value.r - all.value.l), 205 / (all.value.t + 30)),
);
const cx = 330,
  cy = 238;
const s = (v: number): number => v * scale.value;
const turn = computed(() => `rotate(${-props.tilt})`); // nose up lifts what is to the right
const centre = computed(() => {
  const a = (props.tilt * Math.PI) / 180,
    f = w.value.forward_m * mm,
    u = w.value.up_m * mm;
  return { x: f * Math.cos(a) - u * Math.sin(a), y: f * Math.sin(a) + u * Math.cos(a) };
});
const off = computed(() => Math.abs(centre.value.x));
const holds = computed(() => off.value <= w.value.band_m * mm);
const unsure = computed(() => w.value.off_forward_m > 0.03 || w.value.off_up_m > 0.03);
const ahead = computed(() =>
  off.value < 0.5
    ? "over the axis"
    : `${off.value.toFixed(off.value < 10 ? 1 : 0)} mm ` +
      `${centre.value.x > 0 ? "ahead of" : "behind"} the axis`,
);
const knob = computed(() => w.value.next.knob);
const by = computed(() =>
  Math.abs(w.value.next.by_mm ?? 0)
    .toFixed(1)
    .replace(/\.0$/, ""),
);
const ticks = computed(() => Array.from({ length: 23 }, (_, i) => -110 + i * 10));
const sure = computed(() => ({ rx: s(w.value.off_forward_m * mm), ry: s(w.value.off_up_m * mm) }));
</script>

<template>
  <svg
    viewBox="0 0 700 420"
    class="draw"
    role="img"
    data-test="balance-drawing"
    :aria-label="`the weight sits ${ahead}`"
  >
    <defs>
      <pattern
        id="ten"
        :width="s(20)"
        :height="s(20)"
        patternUnits="userSpaceOnUse"
        :x="cx"
        :y="cy"
      >
        <path :d="`M${s(20)} 0H0V${s(20)}`" fill="none" stroke="var(--hair)" />
      </pattern>
    </defs>
    <rect width="700" height="420" fill="url(#ten)" />
    <line x1="40" x2="660" :y1="404" :y2="404" stroke="var(--ink)" stroke-width="2" />
    <path
      :d="`M${cx - 130} 402H${cx - 46}V${cy}H${cx - 20}`"
      fill="none"
      stroke="var(--ink)"
      stroke-width="9"
    />
    <g :transform="`translate(${cx} ${cy}) ${turn}`">
      <g :transform="`translate(${s(plate.x)} ${-s(plate.y)})`">
        <rect
          :x="s(-112)"
          y="0"
          :width="s(224)"
          :height="12"
          fill="var(--sheet)"
          stroke="var(--ink)"
          stroke-width="1.5"
        />
        <path
          :d="ticks.map((t) => `M${s(t)} 0v${t % 50 === 0 ? 8 : 4}`).join('')"
          stroke="var(--ink)"
          stroke-width="1"
        />
      </g>
      <g v-for="(b, i) in boxes" :key="i">
        <rect
          :x="s(b.x - b.w / 2)"
          :y="-s(b.y + b.h / 2)"
          :width="s(b.w)"
          :height="s(b.h)"
          fill="var(--tint)"
          stroke="var(--ink)"
          stroke-width="1.5"
          :stroke-dasharray="b.known ? undefined : '3 4'"
        />
        <text :x="s(b.x - b.w / 2) + 6" :y="-s(b.y + b.h / 2) + 15" class="lab">{{ b.name }}</text>
      </g>
      <ellipse
        v-if="sure.rx > 3 || sure.ry > 3"
        :cx="s(w.forward_m * mm)"
        :cy="-s(w.up_m * mm)"
        :rx="Math.min(sure.rx, 130)"
        :ry="Math.min(sure.ry, 130)"
        fill="none"
        stroke="var(--now)"
        stroke-dasharray="3 4"
      />
    </g>
    <line :x1="cx" :x2="cx" :y1="cy" y2="392" stroke="var(--ink)" stroke-dasharray="2 4" />
    <circle :cx="cx" :cy="cy" r="8" fill="var(--sheet)" stroke="var(--ink)" stroke-width="2.5" />
    <circle :cx="cx" :cy="cy" r="2" fill="var(--ink)" />
    <g :transform="`translate(${cx + s(centre.x)} ${cy - s(centre.y)})`" class="weight">
      <circle r="12" fill="var(--sheet)" stroke="var(--now)" stroke-width="2.5" />
      <path d="M0 0V-12A12 12 0 0 1 12 0ZM0 0V12A12 12 0 0 1 -12 0Z" fill="var(--now)" />
    </g>
    <path
      :d="`M${cx + s(centre.x)} ${cy - s(centre.y) + 14}V372m-6 -11l6 11l6 -11`"
      fill="none"
      stroke="var(--now)"
      stroke-width="2.2"
    />
    <g v-if="s(off) > 4">
      <path
        :d="`M${cx} 384H${cx + s(centre.x)}m0 -6v12M${cx} 378v12`"
        stroke="var(--now)"
        stroke-width="1.2"
        fill="none"
      />
    </g>
    <!-- prettier-ignore -->
    <text :x="cx + s(Math.max(centre.x, 0)) + 12" y="389" class="big halo">{{
      unsure ? `known to ${Math.round(w.off_forward_m * 1000)} mm` : ahead
    }}<tspan v-if="holds && off >= 0.5" class="thin">, held by friction</tspan></text>
    <text :x="cx + s(Math.max(centre.x, 0)) + 12" y="371" class="big halo">
      {{ w.guessed ? "about " : "" }}{{ w.mass_kg.toFixed(2) }} kg hangs
      {{ unsure ? "somewhere here" : "here" }}
    </text>
    <g v-if="knob" class="do">
      <text v-if="knob === 'slide'" x="24" y="60" class="big">
        slide {{ (w.next.by_mm ?? 0) < 0 ? "back" : "forward" }} {{ by }}
      </text>
      <text v-else x="24" y="60" class="big">
        {{ (w.next.by_mm ?? 0) < 0 ? "lower it" : "raise it" }} {{ by }}
      </text>
      <path
        :d="
          knob === 'slide'
            ? (w.next.by_mm ?? 0) < 0
              ? 'M110 76H30m12 -6l-12 6l12 6'
              : 'M30 76H110m-12 -6l12 6l-12 6'
            : (w.next.by_mm ?? 0) < 0
              ? 'M60 70V116m-6 -12l6 12l6 -12'
              : 'M60 116V70m-6 12l6 -12l6 12'
        "
        fill="none"
        stroke="var(--now)"
        stroke-width="2.5"
      />
    </g>
    <text x="676" y="44" text-anchor="end">
      plate reads {{ rec.slide_mm }} mm
      <tspan v-if="knob === 'slide'" class="now">→ set it to {{ w.next.reading_mm }}</tspan>
    </text>
    <text x="676" y="62" text-anchor="end">
      riser reads {{ rec.rise_mm }} mm
      <tspan v-if="knob === 'rise'" class="now">→ set it to {{ w.next.reading_mm }}</tspan>
    </text>
  </svg>
</template>

<style scoped>
.draw {
  width: 100%;
  height: 100%;
  display: block;
}
text {
  font-size: var(--t11);
}
.big {
  font-weight: 700;
  fill: var(--now);
  font-size: var(--t13);
}
.thin {
  font-weight: 400;
}
.now {
  fill: var(--now);
  font-weight: 700;
}
</style>
