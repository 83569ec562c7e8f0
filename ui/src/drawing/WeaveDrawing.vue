<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from "vue";
import type { Cell, FrameCell, FramesView } from "../api/client";
import { four } from "../stores/shot";
import { useElementSize } from "./size";

// The weave: frames across, exposures down, and under it the time that each frame took.
// Only what is seen is drawn, so that hundreds of frames scroll as one does.
const props = defineProps<{ view: FramesView; now?: Cell; busy: boolean; selected: Cell | null }>();
const emit = defineEmits<{ pick: [cell: Cell] }>();
const W = 40,
  H = 38,
  gap = 6,
  top = 22,
  names = 118;
const box = ref<HTMLElement | null>(null);
const { width } = useElementSize(box);
const from = ref(0);
const shown = computed(() => Math.ceil(Math.max(0, width.value - names) / W) + 3);
const columns = computed(() =>
  props.view.frames
    .slice(from.value, from.value + shown.value)
    .map((f, i) => ({ f, i: from.value + i })),
);
const rowY = (k: number): number => top + k * (H + gap);
const weaveH = computed(() => rowY(props.view.rows.length) + 4);
const timeH = 62;
function scrolled(): void {
  const at = Math.floor((box.value?.scrollLeft ?? 0) / W);
  from.value = Math.min(
    Math.max(0, at - 1),
    Math.max(0, props.view.frames.length - shown.value + 2),
  );
}
// What comes next stays in sight, two thirds across, unless somebody scrolled away.
const follow = async (): Promise<void> => {
  await nextTick();
  const i = props.view.frames.indexOf(props.now?.frame ?? -1);
  if (box.value && i >= 0) box.value.scrollLeft = Math.max(0, i * W - (width.value - names) * 0.66);
  scrolled();
};
onMounted(() => void follow());
watch(
  () => [props.now?.frame, props.view.frames.length, width.value > 0],
  () => void follow(),
);

const every = (i: number): number =>
  (props.view.frames[i + 1] ?? props.view.scheme.last) - (props.view.frames[i] ?? 0);
const spent = computed(() => new Map(props.view.spent.map((s) => [s.frame, s])));
// A night between two frames makes no bar that dwarfs the others.
const most = computed(() => {
  const v = props.view.spent.map((s) => s.hands_s).sort((a, b) => a - b);
  return Math.max(60, Math.min(v[v.length - 1] ?? 0, 4 * (v[Math.floor(v.length / 2)] ?? 0)));
});
const longest = computed(() =>
  props.view.spent.reduce((a, s) => (s.hands_s > a.hands_s ? s : a), {
    frame: -1,
    hands_s: 0,
    machine_s: 0,
  }),
);
const share = (s: number): number => 36 * Math.min(1, s / most.value);
const machineMost = computed(() => Math.max(1, ...props.view.spent.map((s) => s.machine_s)));
const words: Record<FrameCell["state"], string> = {
  outside: "not wanted",
  empty: "empty",
  taken: "taken",
  redo: "to be taken once more",
  "stepped over": "stepped over",
  held: "held",
  uncertain: "uncertain: look, then answer",
};
const is = (c: Cell | null | undefined, f: number, layer: string): boolean =>
  c?.frame === f && c.layer === layer;
const minutes = (s: number): string =>
  s >= 5400
    ? `${Math.floor(s / 3600)} h ${Math.round((s % 3600) / 60)
        .toString()
        .padStart(2, "0")}`
    : s < 90
      ? `${Math.round(s)} s`
      : `${Math.floor(s / 60)} min ${Math.round(s % 60)
          .toString()
          .padStart(2, "0")} s`;
defineExpose({ follow });
</script>

<template>
  <div
    ref="box"
    class="weave"
    tabindex="0"
    role="group"
    aria-label="The weave: frames across, exposures down"
    data-test="weave"
    @scroll.passive="scrolled"
  >
    <div
      class="room"
      :style="{ width: names + view.frames.length * W + 40 + 'px', height: weaveH + timeH + 'px' }"
    >
      <div class="names" :style="{ height: weaveH + timeH + 'px' }">
        <div
          v-for="(r, k) in view.rows"
          :key="r.id"
          class="name"
          :style="{ top: rowY(k) + 'px' }"
          :class="{ struck: r.struck }"
        >
          <b :title="r.name">{{ r.name }}</b><span class="small quiet" :title="r.note">{{
            r.note || `${r.tally.taken} of ${r.tally.cells}`
          }}</span>
        </div>
        <div class="name time" :style="{ top: weaveH + 2 + 'px' }">
          <b class="cap">Time</b><span class="small quiet">hands above,</span
          ><span class="small quiet">machine below</span>
        </div>
      </div>
      <svg
        :style="{ left: names + from * W + 'px' }"
        :width="shown * W"
        :height="weaveH + timeH"
        :viewBox="`${from * W} 0 ${shown * W} ${weaveH + timeH}`"
        aria-hidden="true"
      >
        <g v-for="c in columns" :key="c.f" :transform="`translate(${c.i * W} 0)`">
          <text
            v-if="c.i % 2 === 0 || c.f === now?.frame"
            :x="W / 2"
            y="14"
            text-anchor="middle"
            class="lab"
            :class="{ here: c.f === now?.frame }"
          >
            {{ four(c.f) }}
          </text>
          <g v-for="(r, k) in view.rows" :key="r.id" :transform="`translate(0 ${rowY(k)})`">
            <image
              v-if="r.cells[c.i]?.picture"
              :href="`/api/thumbnails/${r.cells[c.i]?.picture}`"
              x="1"
              y="1"
              :width="W - 2"
              :height="H - 2"
              preserveAspectRatio="xMidYMid slice"
              :opacity="r.cells[c.i]?.state === 'redo' ? 0.35 : 1"
            />
            <rect
              x="0.5"
              y="0.5"
              :width="W - 1"
              :height="H - 1"
              class="cell"
              :class="r.cells[c.i]?.state.replace(' ', '-')"
            />
            <path
              v-if="r.cells[c.i]?.state === 'empty' && every(c.i) > 1"
              :d="`M${W / every(c.i)} 9V${H - 9}`"
              class="held"
            />
            <path
              v-if="r.cells[c.i]?.state === 'stepped over'"
              :d="`M8 ${H / 2}H${W - 8}`"
              class="over"
            />
            <path v-if="r.cells[c.i]?.other_path" :d="`M1 ${H - 9}L10 ${H - 1}H1Z`" class="other" />
            <text v-if="(r.cells[c.i]?.number ?? 0) > 1" x="4" y="12" class="num">
              {{ r.cells[c.i]?.number }}
            </text>
            <text
              v-if="r.cells[c.i]?.state === 'uncertain' && !(busy && is(now, c.f, r.id))"
              :x="W / 2"
              :y="H / 2 + 6"
              text-anchor="middle"
              class="ask"
            >
              ?
            </text>
            <text
              v-if="r.cells[c.i]?.state === 'redo'"
              :x="W / 2"
              :y="H / 2 + 6"
              text-anchor="middle"
              class="ask"
            >
              ↻
            </text>
            <rect
              v-if="is(now, c.f, r.id)"
              x="1.5"
              y="1.5"
              :width="W - 3"
              :height="H - 3"
              class="next"
            />
            <rect
              v-if="is(selected, c.f, r.id)"
              x="-1.5"
              y="-1.5"
              :width="W + 3"
              :height="H + 3"
              class="chosen"
            />
          </g>
          <g v-if="spent.get(c.f)" :transform="`translate(0 ${weaveH + 42})`">
            <rect
              x="8"
              :y="-share(spent.get(c.f)?.hands_s ?? 0)"
              :width="W - 16"
              :height="share(spent.get(c.f)?.hands_s ?? 0)"
              class="hands"
            />
            <rect
              x="8"
              y="1"
              :width="W - 16"
              :height="Math.max(1.5, 9 * ((spent.get(c.f)?.machine_s ?? 0) / machineMost))"
              class="machine"
            />
          </g>
        </g>
        <path :d="`M${from * W} ${weaveH + 42.5}h${shown * W}`" class="base" />
        <path
          v-if="now"
          :d="`M${view.frames.indexOf(now.frame) * W + 0.5} 4V${weaveH - 4}`"
          class="here-line"
        />
      </svg>
      <div class="cells" :style="{ left: names + 'px' }">
        <template v-for="(r, k) in view.rows" :key="r.id">
          <button
            v-for="c in columns"
            v-show="r.cells[c.i]?.state !== 'outside'"
            :key="c.f"
            class="pick"
            tabindex="-1"
            :data-test="`cell-${r.name}-${c.f}`"
            :style="{
              left: c.i * W + 'px',
              top: rowY(k) + 'px',
              width: W + 'px',
              height: H + 'px',
            }"
            :aria-label="`${four(c.f)} ${r.name}: ${words[r.cells[c.i]?.state ?? 'outside']}`"
            :title="`${four(c.f)} ${r.name}: ${words[r.cells[c.i]?.state ?? 'outside']}`"
            @click="emit('pick', { frame: c.f, layer: r.id })"
          />
        </template>
        <span
          v-for="c in columns.filter((x) => x.f === longest.frame && view.spent.length > 1)"
          :key="c.f"
          class="most small"
          :style="{ left: c.i * W - 20 + 'px', top: weaveH - 8 + 'px' }"
          >{{ minutes(longest.hands_s) }}</span
        >
      </div>
    </div>
  </div>
</template>

<style scoped>
.weave {
  overflow: auto hidden;
  position: relative;
  min-height: 0;
}
.room {
  position: relative;
}
.names {
  position: sticky;
  left: 0;
  width: 118px;
  background: var(--sheet);
  z-index: 2;
  float: left;
}
.name {
  position: absolute;
  left: 0;
  right: 6px;
  height: 38px;
  overflow: hidden;
  display: flex;
  flex-direction: column;
  justify-content: center;
  line-height: 1.15;
}
.name b {
  font: 600 var(--t16)/1.1 var(--head);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.name span {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  flex: none;
}
.time {
  height: 58px;
  justify-content: flex-start;
}
.struck b {
  text-decoration: line-through;
  color: var(--quiet);
}
svg {
  position: absolute;
  top: 0;
}
.cells {
  position: absolute;
  top: 0;
}
.pick {
  position: absolute;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.cell {
  fill: none;
  stroke: var(--rule);
}
.empty {
  stroke: var(--hair);
}
html.paper .cell.taken {
  stroke: var(--ink);
}
.outside {
  stroke: none;
}
.uncertain {
  stroke: var(--ink);
  stroke-dasharray: 3 2;
  stroke-width: 1.6;
  fill: var(--ground);
}
.redo,
.stepped-over {
  stroke-dasharray: 2 3;
  stroke: var(--quiet);
}
.held {
  stroke: var(--hair);
}
html.paper .empty,
html.paper .held {
  stroke: var(--rule);
}
.over {
  stroke: var(--quiet);
  stroke-width: 1.5;
}
.other {
  fill: var(--now);
}
.next {
  fill: none;
  stroke: var(--now);
  stroke-width: 3;
}
.chosen {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.num {
  font-size: var(--t11);
  font-weight: 700;
  fill: var(--sheet);
  paint-order: stroke;
  stroke: var(--ink);
  stroke-width: 2.5px;
}
html.blackout .num {
  fill: var(--ink);
  stroke: var(--ground);
}
.ask {
  font-size: var(--t16);
  font-weight: 700;
}
.here {
  fill: var(--now) !important;
  font-weight: 700;
  font-size: var(--t11);
}
.here-line {
  stroke: var(--now);
  stroke-width: 1.5;
}
.hands {
  fill: var(--quiet);
  fill-opacity: 0.55;
  stroke: var(--quiet);
}
.machine {
  fill: var(--ink);
}
.base {
  stroke: var(--quiet);
}
.most {
  position: absolute;
  width: 80px;
  text-align: center;
  line-height: 1;
}
</style>
