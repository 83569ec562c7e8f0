<script setup lang="ts">
import { computed, ref } from "vue";
import type { PointsView } from "../api/client";
import { useElementSize } from "./size";

// Fixed points from above: lines of sight that meet in them, how well each is known, and
// the rig with how far it has moved, drawn larger than it is, which is said.
const props = defineProps<{ view: PointsView; picked: string }>();
const emit = defineEmits<{ pick: [id: string] }>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
type V = [number, number, number];
const rounds = computed(() => props.view.survey.rounds ?? []);
const now = computed(() => rounds.value[rounds.value.length - 1]);
const sheet = computed(() => props.view.sheet);
const last = computed(() =>
  rounds.value.length > 1 ? (sheet.value.now ?? []) : (sheet.value.before ?? []),
);
const names = computed(() => new Map((props.view.survey.fixed ?? []).map((f) => [f.id, f.name])));
const sights = computed(() => now.value?.sights ?? []);
const base = computed(() => props.view.base_m as V);
// All that is drawn, with room around.
const box = computed(() => {
  const all: V[] = [
    base.value,
    ...[...(sheet.value.before ?? []), ...(sheet.value.now ?? [])].flatMap((p) =>
      p.at_m ? [p.at_m as V] : [],
    ),
  ];
  for (const s of sights.value) {
    all.push(s.at_m as V);
    const d = s.direction as V,
      n = Math.hypot(...d);
    all.push([s.at_m[0]! + (d[0] / n) * 1.2, s.at_m[1]! + (d[1] / n) * 1.2, 0]);
  }
  const xs = all.map((p) => p[0]),
    ys = all.map((p) => p[1]);
  const r = {
    x0: Math.min(...xs) - 0.5,
    x1: Math.max(...xs) + 0.5,
    y0: Math.min(...ys) - 0.4,
    y1: Math.max(...ys) + 0.4,
  };
  if (r.x1 - r.x0 < 2) {
    r.x0 -= 1;
    r.x1 += 1;
  }
  if (r.y1 - r.y0 < 2) {
    r.y0 -= 0.5;
    r.y1 += 1.5;
  }
  return r;
});
const scale = computed(() =>
  Math.min(
    (width.value - 40) / (box.value.x1 - box.value.x0),
    (height.value - 50) / (box.value.y1 - box.value.y0),
  ),
);
const x = (m: number): number =>
  width.value / 2 + (m - (box.value.x0 + box.value.x1) / 2) * scale.value;
const y = (m: number): number =>
  (height.value - 10) / 2 - (m - (box.value.y0 + box.value.y1) / 2) * scale.value;
const grid = computed(() => {
  const out: { x: number; y: number }[] = [];
  for (let i = Math.ceil(box.value.x0); i <= box.value.x1; i++)
    for (let j = Math.ceil(box.value.y0); j <= box.value.y1; j++) out.push({ x: i, y: j });
  return out.length < 900 ? out : [];
});
const lines = computed(() =>
  sights.value.map((s, i) => {
    const p = last.value.find((q) => q.id === s.point)?.at_m as V | undefined;
    const d = s.direction as V,
      n = Math.hypot(...d);
    const long = p ? Math.hypot(p[0] - s.at_m[0]!, p[1] - s.at_m[1]!) * 1.06 : 3;
    const flat = Math.max(Math.hypot(d[0], d[1]) / n, 0.05);
    return {
      key: i,
      x0: x(s.at_m[0]!),
      y0: y(s.at_m[1]!),
      x1: x(s.at_m[0]! + (d[0] / n) * (long / flat)),
      y1: y(s.at_m[1]! + (d[1] / n) * (long / flat)),
      on: s.point === props.picked,
      open: !p,
    };
  }),
);
const poses = computed(() => {
  const seen = new Map<string, { x: number; y: number }>();
  for (const s of sights.value)
    seen.set(`${s.at_m[0]!.toFixed(2)},${s.at_m[1]!.toFixed(2)}`, {
      x: x(s.at_m[0]!),
      y: y(s.at_m[1]!),
    });
  return [...seen.values()];
});
const times = computed(() => {
  const m = sheet.value.moved;
  if (!m || m.by_mm < 0.01) return 1;
  const want = 90 / ((Math.max(Math.hypot(m.mm[0]!, m.mm[1]!), m.known_mm) * scale.value) / 1000);
  const p = 10 ** Math.floor(Math.log10(want));
  return Math.max(1, Math.round(want / p) * p);
});
const moved = computed(() => {
  const m = sheet.value.moved;
  return m
    ? {
        x: x(base.value[0] + (m.mm[0]! * times.value) / 1000),
        y: y(base.value[1] + (m.mm[1]! * times.value) / 1000),
        r: Math.max((m.known_mm * times.value * scale.value) / 1000, 2),
        yaw: m.yaw_deg,
      }
    : undefined;
});
const points = computed(() =>
  last.value
    .map((p, i) => ({ p, was: sheet.value.before?.[i], name: names.value.get(p.id) ?? p.id }))
    .filter((q) => q.p.at_m || q.was?.at_m),
);
const bar = computed(() => (scale.value > 150 ? 0.5 : scale.value > 60 ? 1 : 2));
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0"
      :width="width"
      :height="height"
      role="group"
      aria-label="Fixed points from above"
      data-test="points-drawing"
    >
      <circle
        v-for="g in grid"
        :key="`${g.x},${g.y}`"
        :cx="x(g.x)"
        :cy="y(g.y)"
        r="1"
        fill="var(--rule)"
      />
      <line
        v-for="l in lines"
        :key="l.key"
        :x1="l.x0"
        :y1="l.y0"
        :x2="l.x1"
        :y2="l.y1"
        :stroke="l.on ? 'var(--now)' : 'var(--quiet)'"
        :stroke-width="l.on ? 1.8 : 1"
        :stroke-dasharray="l.open ? '4 4' : undefined"
      />
      <circle
        v-for="(p, i) in poses"
        :key="'p' + i"
        :cx="p.x"
        :cy="p.y"
        r="5"
        fill="var(--sheet)"
        stroke="var(--ink)"
        stroke-width="1.6"
      />
      <g
        v-for="q in points"
        :key="q.p.id"
        class="point"
        role="button"
        tabindex="0"
        :aria-pressed="picked === q.p.id"
        :aria-label="
          q.p.at_m
            ? `${q.name}, known to ${q.p.known_mm.toFixed(1)} millimetres`
            : `${q.name}, not known yet in this round`
        "
        :data-test="'point-' + q.p.id"
        @click="emit('pick', q.p.id)"
        @keydown.enter.prevent="emit('pick', q.p.id)"
        @keydown.space.prevent="emit('pick', q.p.id)"
      >
        <template v-if="q.p.at_m">
          <circle
            :cx="x(q.p.at_m[0]!)"
            :cy="y(q.p.at_m[1]!)"
            r="11"
            fill="var(--sheet)"
            :stroke="
              sheet.moved?.odd === q.name
                ? 'var(--over)'
                : picked === q.p.id
                  ? 'var(--now)'
                  : 'var(--ink)'
            "
            stroke-width="2.4"
          />
          <circle :cx="x(q.p.at_m[0]!)" :cy="y(q.p.at_m[1]!)" r="2.2" fill="var(--ink)" />
        </template>
        <circle
          v-else-if="q.was?.at_m"
          :cx="x(q.was.at_m[0]!)"
          :cy="y(q.was.at_m[1]!)"
          r="11"
          fill="none"
          stroke="var(--quiet)"
          stroke-width="1.6"
          stroke-dasharray="3 3"
        />
      </g>
      <g v-for="q in points" :key="q.p.id + 't'" class="said" aria-hidden="true">
        <text
          :x="x((q.p.at_m ?? q.was!.at_m!)[0]!) + 16"
          :y="y((q.p.at_m ?? q.was!.at_m!)[1]!) + 4"
          class="name halo"
          :class="{ on: picked === q.p.id }"
        >
          {{ q.name }}
          <tspan class="lab" dx="2">{{ (q.p.at_m ?? q.was!.at_m!)[2]!.toFixed(2) }} m up</tspan>
        </text>
      </g>
      <g v-if="view.machine">
        <path
          :d="`M${x(base[0]) - 9} ${y(base[1])}h18m-9 -9v18`"
          stroke="var(--ink)"
          stroke-width="2"
        />
        <text :x="x(base[0]) + 14" :y="y(base[1]) + 18" class="name halo">{{ view.named }}</text>
      </g>
      <g v-if="moved">
        <line
          :x1="x(base[0])"
          :y1="y(base[1])"
          :x2="moved.x"
          :y2="moved.y"
          stroke="var(--now)"
          stroke-width="3"
        />
        <circle
          :cx="moved.x"
          :cy="moved.y"
          :r="moved.r"
          fill="none"
          stroke="var(--now)"
          stroke-width="1.4"
          stroke-dasharray="4 3"
        />
        <g :transform="`translate(${moved.x} ${moved.y}) rotate(${moved.yaw * 8})`">
          <path d="M-8 0h16m-8 -8v16" stroke="var(--now)" stroke-width="2.4" />
        </g>
        <text :x="moved.x + 12" :y="moved.y - 10" class="name halo run">now</text>
      </g>
      <g :transform="`translate(${width - 24 - bar * scale} ${height - 12})`">
        <path :d="`M0 -5v5h${bar * scale}v-5`" fill="none" stroke="var(--ink)" stroke-width="1.6" />
        <text :x="(bar * scale) / 2" y="-8" text-anchor="middle" class="lab">{{ bar }} m</text>
      </g>
      <text v-if="moved" x="4" :y="height - 6" class="lab">
        the rig's move drawn {{ times }} times; the dashed ring is within what it is known, nine
        times in ten
      </text>
    </svg>
  </div>
</template>

<style scoped>
.host {
  flex: 1;
  min-height: 0;
  min-width: 0;
  overflow: hidden;
}
.said {
  pointer-events: none;
}
.point {
  cursor: pointer;
}
.name {
  font-size: var(--t11);
}
.name.on {
  font-weight: 700;
}
.run {
  fill: var(--now);
  font-weight: 700;
}
</style>
