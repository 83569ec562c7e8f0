<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from "vue";
import type { Axis } from "../../api/client";
import { isFocus, own, places, unit as symbol } from "../../stores/axes";
import { band, fills, percent } from "../../drawing/headroom";
import { signed, useChanges } from "../../stores/changes";
import { useScore } from "../../stores/score";
import { useNudge } from "../../stores/nudge";
import { four, useShot } from "../../stores/shot";
import { useLive } from "../../stores/live";
import { useSteer } from "../../stores/steer";
import LiveSign from "./LiveSign.vue";
import MarksBox from "./MarksBox.vue";
import { readNumber } from "../../fields/numbers";
import { answered } from "../../fields/typed";
import FieldInput from "../../fields/FieldInput.vue";

const shot = useShot();
const nudge = useNudge();
const steer = useSteer();
const live = useLive();
const score = useScore();
const changes = useChanges();
const marks = ref(false);
onBeforeUnmount(() => steer.turn(false));
const shares = computed(() =>
  shot.axes.map((_, i) => Math.abs(shot.view?.plot.shares[i]?.[shot.index] ?? 0)),
);
const onKey = computed(() => shot.axes.some((a) => shot.keyAt(a.id, shot.frame)));
function shown(a: Axis): string {
  if (isFocus(a))
    return ((steer.on ? live.now?.view?.focus_m : shot.camera?.focus_m) ?? 0).toFixed(3);
  return ((steer.stands ?? shot.values)[a.id] ?? 0).toFixed(places(a));
}
const unit = (a: Axis): string => (isFocus(a) ? "m" : symbol(a));
async function typed(a: Axis, i: number, e: Event): Promise<void> {
  const box = e.target as HTMLInputElement,
    gave = box.value;
  shot.select(i);
  const v = readNumber(gave);
  if (Number.isNaN(v)) {
    shot.trouble = `${a.name}: "${box.value}" is not a number; give ${unit(a)}.`;
    box.value = shown(a);
    return;
  }
  if (isFocus(a)) {
    const at = shot.frame,
      asked = shot.ringFor(v);
    shot.typed(
      asked.then((ring) => {
        if (ring !== null && shot.frame === at) void nudge.set(a.id, ring);
      }),
    );
    await asked;
  } else if (v < a.min || v > a.max) {
    shot.trouble =
      `${a.name}: ${v} ${unit(a)} is outside the soft limits; stay within ${a.min} to ` +
      `${a.max} ${unit(a)}.`;
  } else await nudge.set(a.id, v);
  answered(box, gave, shown(a));
}
let timer = 0;
let count = 0;
// Held buttons repeat, as held keys do.
function hold(i: number, dir: number): void {
  shot.select(i);
  if (steer.on) return steer.press(dir);
  count = 0;
  nudge.nudge(dir);
  window.clearInterval(timer);
  timer = window.setInterval(() => {
    if (++count > 3) nudge.nudge(dir, true);
  }, 110);
}
const let_go = (): void => {
  window.clearInterval(timer);
  steer.release();
};
const store = (only?: string): void => void (steer.on ? steer.store(only) : shot.store(only));
const step = computed(
  () => `${+nudge.step.toFixed(3)} ${shot.selected ? symbol(shot.selected) : ""}`,
);
const back = computed(() => (nudge.lastBy ? `${+Math.abs(nudge.lastBy / 2).toFixed(4)}` : ""));
</script>

<template>
  <section class="box pose" aria-labelledby="pose-title" data-test="pose">
    <header>
      <h2 id="pose-title" class="cap">
        {{ steer.on ? `Where ${steer.machine?.rig.name} stands` : `Pose at ${four(shot.frame)}` }}
        <span v-if="shot.isPending && !onKey" class="now small nocap" data-test="tried"
          >tried, not stored</span
        >
      </h2>
      <span class="acts"
        ><LiveSign v-if="!steer.on" /><button
          class="btn slim"
          data-test="marks"
          @click="marks = true"
        >
          marks
        </button></span
      >
      <span v-if="!steer.on" class="small quiet">step {{ step }} <kbd>↑</kbd><kbd>↓</kbd></span>
    </header>
    <div
      v-for="(a, i) in shot.axes"
      :key="a.id"
      class="axis"
      :class="{ sel: i === shot.axis }"
      @click="shot.select(i)"
    >
      <span class="name" :title="a.name"
        >{{ a.name }}<i v-if="shot.keyAt(a.id, shot.frame)" title="keyframe here">◆</i></span
      >
      <button
        class="nb"
        :aria-label="`${a.name} less`"
        tabindex="-1"
        @pointerdown="hold(i, -1)"
        @pointerup="let_go"
        @pointerleave="let_go"
      >
        −
      </button>
      <FieldInput
        class="val"
        :data-test="'value-' + own(a.id)"
        :aria-label="`${a.name} in ${unit(a)}`"
        :value="shown(a)"
        inputmode="decimal"
        @focus="shot.select(i)"
        @change="(e: Event) => typed(a, i, e)"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <span class="unit">{{ unit(a) }}</span>
      <button
        class="nb"
        :aria-label="`${a.name} more`"
        tabindex="-1"
        @pointerdown="hold(i, 1)"
        @pointerup="let_go"
        @pointerleave="let_go"
      >
        +
      </button>
      <span v-if="score.changes" class="delta" data-test="delta">{{
        changes.here ? signed(a, changes.here.axes[i] ?? 0) : ""
      }}</span>
      <span v-else class="share" aria-hidden="true"
        ><i
          :style="{
            width: (Math.min(shares[i] ?? 0, 1.15) / 1.2) * 100 + '%',
            background: fills[band(shares[i] ?? 0)],
          }"
      /></span>
      <span class="pct" :class="{ over: (shares[i] ?? 0) > 1 }">{{ percent(shares[i] ?? 0) }}</span>
    </div>
    <footer>
      <button
        class="btn slim"
        data-test="half-back"
        @click="steer.on || nudge.halfBack()"
        @pointerdown="steer.halfBack()"
        @pointerup="steer.release()"
        @pointerleave="steer.release()"
      >
        half back <span class="by">{{ back }}</span> <kbd>/</kbd>
      </button>
      <button class="btn slim" data-test="store-one" @click="store(shot.selected?.id)">
        store {{ (shot.selected?.name.length ?? 0) > 14 ? "this axis" : shot.selected?.name }}
      </button>
      <button class="btn slim lead" data-test="store" @click="store()">
        store {{ steer.on ? "it" : "all" }} <kbd>K</kbd>
      </button>
    </footer>
    <MarksBox v-if="marks" @close="marks = false" />
  </section>
</template>

<style scoped>
.pose {
  padding: var(--s8) var(--s10);
  overflow: hidden auto;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
header,
footer {
  position: sticky;
  background: var(--sheet);
  z-index: 1;
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: var(--s8);
}
header {
  top: -8px;
  min-height: 26px;
}
footer {
  bottom: -8px;
  padding-top: var(--s6);
  font-size: var(--t13);
  color: var(--quiet);
}
.acts {
  margin-left: auto;
  display: flex;
  gap: var(--s6);
}
.acts .btn {
  min-height: 22px;
  padding: var(--s1) var(--s8);
}
html.paper footer,
html.paper header .quiet {
  color: var(--muted);
}
.by {
  min-width: 4ch;
  text-align: left;
}
footer .btn {
  white-space: nowrap;
  padding: var(--s2) var(--s6);
  gap: var(--s4);
}
.how {
  white-space: nowrap;
}
@media (max-width: 1180px) {
  .how {
    display: none;
  }
  footer {
    flex-wrap: wrap;
  }
}
.nocap {
  text-transform: none;
  font-family: var(--text);
  letter-spacing: 0;
  font-weight: 400;
}
.axis {
  display: grid;
  grid-template-columns: 66px 22px 72px 30px 22px 1fr 40px;
  align-items: center;
  height: 25px;
  border-bottom: 1px solid var(--hair);
  gap: var(--s2);
  padding: 0 var(--s4);
}
.sel {
  background: var(--wash);
}
.sel .name {
  font-weight: 700;
}
.name i {
  color: var(--now);
  font-style: normal;
  font-size: var(--t11);
  margin-left: var(--s4);
}
.val {
  background: transparent;
  border: 0;
  border-bottom: 1px dotted var(--quiet);
  color: var(--ink);
  text-align: right;
  font: 400 var(--t13)/1.2 var(--text);
  width: 100%;
  padding: var(--s1) var(--s2);
}
.nb {
  width: 20px;
  height: 20px;
  border: 1px solid var(--rule);
  background: transparent;
  color: var(--ink);
  font: 400 var(--t13)/1 var(--text);
  cursor: pointer;
  padding: 0;
  visibility: hidden;
}
.sel .nb,
.axis:hover .nb {
  visibility: visible;
}
.unit {
  padding-left: var(--s4);
}
.share {
  height: 8px;
  background: var(--hair);
  border: 1px solid var(--ink);
  position: relative;
  margin-left: var(--s6);
}
html.blackout .share {
  border-color: var(--quiet);
}
.share::after {
  content: "";
  position: absolute;
  left: 83.3%;
  top: -3px;
  bottom: -3px;
  border-left: 1.5px solid var(--ink);
}
.share i {
  position: absolute;
  inset: 0 auto 0 0;
  border-right: 1px solid var(--ink);
}
.delta {
  text-align: right;
  font-size: var(--t11);
  white-space: nowrap;
}
.pct {
  text-align: right;
  font-size: var(--t11);
}
.lead kbd {
  border-color: var(--sheet);
}
</style>
