<script setup lang="ts">
import { computed, ref } from "vue";
import type { OrderCourse, OrderStep } from "../api/client";
import { useElementSize } from "./size";

// A running order against the clock: each thread is what somebody carries on; the heavy
// one decides when it is ready.
const props = defineProps<{
  steps: OrderStep[];
  course: OrderCourse;
  begins: string;
  now: number;
  picked: string;
  from: number;
  to: number;
  title?: string;
}>();
const emit = defineEmits<{ pick: [id: string] }>();
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const left = 76,
  right = 64,
  top = 24,
  bottom = 24;
const x = (min: number): number =>
  left +
  ((min - props.from) / Math.max(props.to - props.from, 1)) *
    Math.max(width.value - left - right, 50);
const threads = computed(() => [...new Set(props.steps.map((s) => s.thread))]);
const row = computed(
  () => Math.max(height.value - top - bottom, 40) / Math.max(threads.value.length, 1),
);
const y = (thread: string): number => top + (threads.value.indexOf(thread) + 0.56) * row.value;
const bits = computed(() =>
  props.steps
    .map((s, i) => ({ s, c: props.course.slots?.[i], y: y(s.thread) }))
    .filter(
      (b): b is { s: OrderStep; c: NonNullable<OrderCourse["slots"]>[number]; y: number } => !!b.c,
    ),
);
const byId = computed(() => new Map(bits.value.map((b) => [b.s.id, b])));
const start = computed(() => new Date(props.begins));
const clock = (min: number): string => {
  const d = new Date(start.value.getTime() + min * 60000);
  return `${String(d.getHours()).padStart(2, "0")}:${String(d.getMinutes()).padStart(2, "0")}`;
};
const ticks = computed(() => {
  const every =
    [15, 30, 60, 120, 240, 480, 1440].find(
      (e) => ((props.to - props.from) / e) * 64 < width.value - left - right,
    ) ?? 1440;
  const off = (start.value.getHours() * 60 + start.value.getMinutes()) % every;
  const out: number[] = [];
  for (
    let m = Math.ceil((props.from + off) / every) * every - off;
    m <= props.to + 0.01;
    m += every
  )
    out.push(m);
  return out;
});
// Labels of a thread that would run into each other go below the line in turn; where both lines are
// taken, the one before is cut short.
const wide = 6.9;
interface Label {
  s: OrderStep;
  c: NonNullable<OrderCourse["slots"]>[number];
  y: number;
  at: number;
  low: 0 | 1;
  text: string;
  minutes: boolean;
}
const end0 = (l: Label): number => l.at + l.text.length * wide + 8;
const labels = computed(() => {
  const before = new Map<string, [Label?, Label?]>();
  return [...bits.value]
    .sort((a, b) => a.c.from_min - b.c.from_min)
    .map((b) => {
      const at = x(b.c.from_min) + 4,
        row2 = before.get(b.s.thread) ?? [];
      const ends = [0, 1].map((k) => (row2[k] ? end0(row2[k]) : -1e9));
      const low = ends[0]! <= at ? 0 : ends[1]! <= at ? 1 : row2[0]!.at < row2[1]!.at ? 0 : 1;
      const was = row2[low];
      if (was && ends[low]! > at) {
        const fits = Math.floor((at - 6 - was.at) / wide);
        was.text = fits > 3 ? was.s.name.slice(0, fits - 1) + "…" : "";
      }
      const l: Label = {
        ...b,
        at,
        low,
        text: b.s.name,
        minutes: low === 0 && ends[1]! <= at && row.value > 40,
      };
      const above = row2[0];
      if (low === 1 && above && at < above.at + 46) above.minutes = false;
      row2[low] = l;
      before.set(b.s.thread, row2);
      return l;
    });
});
const labelled = computed(
  () => new Map(labels.value.map((l) => [l.s.id, l.low === 0 ? end0(l) : 0])),
);
// What hands over to another thread, or waits on its own.
const ties = computed(() =>
  bits.value.flatMap((b) =>
    (b.s.after ?? [])
      .map((id) => ({ a: byId.value.get(id), b }))
      .filter((t) => t.a && (t.a.s.thread !== b.s.thread || b.c.from_min > t.a.c.to_min + 0.5))
      .map((t) => {
        const a = t.a as (typeof bits.value)[number];
        const x0 = x(a.c.to_min),
          x1 = x(b.c.from_min),
          heavy = a.c.critical && b.c.critical && b.c.from_min - a.c.to_min < 0.6;
        const mid = Math.max((x0 + x1) / 2, x0 + 7);
        return {
          key: a.s.id + ">" + b.s.id,
          heavy,
          same: a.s.thread === b.s.thread,
          d:
            a.s.thread === b.s.thread
              ? `M${x0} ${a.y}L${x1} ${b.y}`
              : `M${x0} ${a.y}C${mid} ${a.y} ${Math.min(mid, x1 + 4)} ${b.y} ${x1} ${b.y}`,
        };
      }),
  ),
);
const says = (b: (typeof bits.value)[number]): string =>
  `${b.s.name}, ${b.s.thread}: ${clock(b.c.from_min)} to ${clock(b.c.to_min)}, ${b.c.state}` +
  (b.c.critical ? ", decides" : `, ${Math.round(b.c.slack_min)} minutes to spare`);
// Ready, as likely before as after: seldom does every step take its middle, so it is after the last
// one's.
const end = computed(() => props.course.ready_min);
const last = computed(() =>
  bits.value.reduce(
    (a, b) => (b.c.to_min > a.c.to_min ? b : a),
    bits.value[0] ?? ({ c: { to_min: 0 }, y: 0 } as (typeof bits.value)[number]),
  ),
);
</script>

<template>
  <div ref="host" class="host">
    <svg
      v-if="width > 0 && bits.length"
      :width="width"
      :height="height"
      data-test="order-drawing"
      role="group"
      :aria-label="title ?? 'Running order'"
    >
      <g v-for="m in ticks" :key="m">
        <line :x1="x(m)" :x2="x(m)" :y1="top - 6" :y2="height - bottom + 6" stroke="var(--hair)" />
        <text :x="x(m)" :y="top - 10" text-anchor="middle" class="lab">{{ clock(m) }}</text>
      </g>
      <text v-for="t in threads" :key="t" :x="0" :y="y(t) + 5" class="thread">
        {{ t.length > 11 ? t.slice(0, 10) + "…" : t }}
      </text>
      <g v-for="t in ties" :key="t.key">
        <path
          :d="t.d"
          fill="none"
          :stroke="t.same && !t.heavy ? 'var(--quiet)' : 'var(--ink)'"
          :stroke-width="t.heavy ? 8 : t.same ? 1.2 : 2"
          :stroke-dasharray="t.same && !t.heavy ? '2 4' : undefined"
        />
      </g>
      <g
        v-for="l in labels"
        :key="l.s.id"
        class="step"
        role="button"
        tabindex="0"
        :data-test="'step-' + l.s.id"
        :aria-label="says(l)"
        :aria-pressed="picked === l.s.id"
        @click="emit('pick', l.s.id)"
        @keydown.enter.prevent="emit('pick', l.s.id)"
        @keydown.space.prevent="emit('pick', l.s.id)"
      >
        <rect
          :x="x(l.c.from_min) - 6"
          :y="l.y - 26"
          :width="Math.max(x(l.c.to_min) - x(l.c.from_min), 30) + 6"
          :height="50"
          fill="transparent"
        />
        <line
          v-if="l.c.state !== 'done'"
          :x1="x(l.c.from_min)"
          :x2="x(l.c.to_min)"
          :y1="l.y"
          :y2="l.y"
          :stroke="
            l.c.state === 'running' ? 'var(--now)' : l.c.critical ? 'var(--ink)' : 'var(--quiet)'
          "
          :stroke-width="l.c.critical || l.c.state === 'running' ? 9 : 4"
        />
        <template v-else>
          <rect
            :x="x(l.c.from_min)"
            :y="l.y - 3.5"
            :width="Math.max(x(l.c.to_min) - x(l.c.from_min), 1)"
            height="7"
            fill="var(--sheet)"
            stroke="var(--ink)"
            :stroke-width="l.c.critical ? 2.4 : 1.2"
          />
        </template>
        <circle
          :cx="x(l.c.from_min)"
          :cy="l.y"
          r="4.5"
          fill="var(--sheet)"
          stroke="var(--ink)"
          stroke-width="1.6"
        />
        <g v-if="l.c.state === 'running' && row > 48" stroke="var(--quiet)">
          <path
            :d="`M${x(l.c.plan_from_min)} ${l.y + 24}v8m0-4H${x(l.c.plan_to_min)}m0-4v8`"
            fill="none"
          />
        </g>
      </g>
      <g v-for="l in labels" :key="l.s.id + 't'" class="said" aria-hidden="true">
        <text
          v-if="l.text"
          :x="l.at"
          :y="l.low ? l.y + 18 : l.y - 10"
          class="name halo"
          :class="{ run: l.c.state === 'running', on: picked === l.s.id }"
        >
          {{ l.text }}
        </text>
        <text
          v-if="l.c.state === 'running' && row > 48"
          :x="x(l.c.plan_to_min) + 5"
          :y="l.y + 32"
          class="lab"
        >
          planned
        </text>
        <text v-if="l.minutes" :x="l.at" :y="l.y + 18" class="lab halo">
          {{ Math.round(l.c.to_min - l.c.from_min) }} min
        </text>
      </g>
      <g v-for="b in bits" :key="b.s.id + 's'">
        <text
          v-if="
            !b.c.critical &&
            b.c.slack_min > 12 &&
            b.c.state !== 'done' &&
            x(b.c.to_min + b.c.slack_min) - x(b.c.to_min) > 78 &&
            !bits.some(
              (o) =>
                o.s.thread === b.s.thread &&
                o.c.from_min >= b.c.to_min - 0.1 &&
                x(o.c.from_min) < x(b.c.to_min) + 90 &&
                o !== b,
            )
          "
          :x="Math.max(x(b.c.to_min) + 8, labelled.get(b.s.id) ?? 0)"
          :y="b.y - 5"
          class="lab halo"
        >
          {{ Math.round(b.c.slack_min) }} to spare
        </text>
      </g>
      <line
        v-if="end > last.c.to_min"
        :x1="x(last.c.to_min)"
        :x2="x(end)"
        :y1="last.y"
        :y2="last.y"
        stroke="var(--ink)"
        stroke-width="2"
        stroke-dasharray="2 4"
      />
      <circle
        :cx="x(end)"
        :cy="last.y"
        r="9"
        fill="var(--sheet)"
        stroke="var(--ink)"
        stroke-width="4"
      />
      <text :x="x(end) + 14" :y="last.y + 5" class="end">{{ course.ready.split(" ")[0] }}</text>
      <g v-if="now >= from && now <= to">
        <line
          :x1="x(now)"
          :x2="x(now)"
          :y1="top - 6"
          :y2="height - bottom + 4"
          stroke="var(--now)"
          stroke-width="1.6"
        />
        <rect :x="x(now) - 21" :y="height - bottom + 3" width="42" height="17" fill="var(--now)" />
        <text :x="x(now)" :y="height - bottom + 16" text-anchor="middle" class="clock">
          {{ clock(now) }}
        </text>
      </g>
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
.step {
  cursor: pointer;
  outline-offset: -2px;
}
.thread {
  font: 600 var(--t16) var(--head);
}
.said {
  pointer-events: none;
}
.name {
  font-size: var(--t11);
}
.name.run {
  fill: var(--now);
  font-weight: 700;
}
.name.on {
  text-decoration: underline;
  font-weight: 700;
}
.end {
  font-weight: 700;
  font-size: var(--t13);
}
.clock {
  fill: var(--sheet);
  font-size: var(--t11);
}
</style>
