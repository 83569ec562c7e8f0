<script setup lang="ts">
import { computed, ref } from "vue";
import { api, sentence, type PassView, type TakeView } from "../../api/client";
import { clocks, ways } from "../../api/rules";
import { fills } from "../../drawing/headroom";
import { useElementSize } from "../../drawing/size";
import { four, useShot } from "../../stores/shot";
import { answered } from "../../fields/typed";
import FieldInput from "../../fields/FieldInput.vue";
import { fields, lapse, number, usePassClock, waits } from "./passClock";

const shot = useShot();
const probe = ref<HTMLElement | null>(null);
const { width } = useElementSize(probe);
const px = computed(() => shot.view?.threshold_px ?? 0.5);
// What is shown of a pass: the take that rolls, else its chosen one, else the last.
const newest = (p: PassView): TakeView | undefined =>
  p.takes.find((t) => !t.ended) ??
  p.takes.find((t) => t.id === p.chosen) ??
  p.takes[p.takes.length - 1];
// The ways that a kind of clock can go.
const waysOf = (p: PassView): readonly (typeof ways)[number][] =>
  p.clock_spec.kind === "live" ? ways.slice(0, 1) : lapse(p) ? ways.slice(0, 2) : ways;
const long = (s: number): string =>
  s < 120
    ? `${+s.toFixed(1)} s`
    : s < 7200
      ? `${+(s / 60).toFixed(1)} min`
      : `${+(s / 3600).toFixed(1)} h`;
const rate = (p: PassView): string => {
  const c = p.clock_spec;
  const way = c.way === "on" ? "" : `, ${c.way}`;
  if (lapse(p)) return `${c.pictures} pictures, ${long(p.seconds)}${way}`;
  const live = c.kind === "live" ? "live, to " : "";
  const times = (c.times ?? 1) > 1 ? ` ${c.times} times` : "";
  return (
    `${live}${+p.fps.toFixed(2)} fps ×${p.clock}${way}${times}` + (c.waits?.length ? ", waits" : "")
  );
};
const rates =
  "a factor, as 1, 0.5 or 1/3, frames per second, as 8 fps, or how long it takes, as 12 s";
const waiting =
  "frames and seconds, as 0096 2 s, 0120 0.5 s; only where everything stands still, " +
  "or with an ease";
const forIt =
  "The path is checked on this clock and sealed for it, too: the same steps, the same version. " +
  "Takes of all its passes are judged together.";
// The strip's full height is 1.5 × the threshold; the line is the threshold.
const bars = (t: TakeView): { x: number; w: number; h: number; b: 0 | 1 | 2 | 3 }[] => {
  const n = Math.max(1, (shot.view?.last ?? 1) - (shot.view?.first ?? 0));
  const w = Math.max(1, width.value) / n;
  return t.strip.map((v, i) => ({
    x: i * w,
    w: Math.max(w - 0.4, 0.6),
    h: v < 0 ? 0 : Math.min(v / (px.value * 1.5), 1) * 24,
    b: v >= px.value ? 3 : v >= px.value * 0.8 ? 2 : 1,
  }));
};
function says(p: PassView): { text: string; tone: string } {
  const t = newest(p);
  if (p.clock_note && (!t || t.ended)) return { text: p.clock_note, tone: "over" };
  if (p.too_fast && (!t || t.ended))
    return {
      text: shot.view?.sealed_as_is ? "faster than the seal" : "faster than the plan's clock",
      tone: "over",
    };
  if (!t) return { text: "—", tone: "quiet" };
  if (!t.ended) return { text: "rolling …", tone: "now" };
  const f = t.finding;
  if (t.older)
    return { text: `${f?.word || "rolled"} on an older path, ${t.seal_short}`, tone: "quiet" };
  if (t.broken) return { text: `broken off at ${four(t.frame)}`, tone: "over" };
  if (!f?.word) return { text: "the one others lie over", tone: "quiet" };
  return {
    text: `${f.word} ${f.worst_px.toFixed(2)} px`,
    tone: f.word === "stacks" ? "good" : "over",
  };
}
// What a clock's camera and trace leave out.
function apart(p: PassView): string {
  const n = Math.max(0, (shot.view?.last ?? 0) - (shot.view?.first ?? 0));
  const between = p.between_frames > 0 && p.between_frames <= n;
  return (
    (between
      ? `Its pictures show ${n - p.between_frames} of ${n} frames; only those are judged. `
      : "") + (p.every_ms > 1 ? `Its trace has a sample every ${p.every_ms} ms. ` : "")
  );
}
function more(p: PassView): string {
  const f = newest(p)?.finding;
  if (!f) return "";
  const seal =
    `from the seal at most ${f.seal_px.toFixed(2)} px, ` +
    `at ${four(f.seal_frame)} (${f.seal_point})`;
  const turned = f.turned_px
    ? `; it runs another way, and slack alone comes to ${f.turned_px.toFixed(2)} px`
    : "";
  return f.word
    ? `against ${f.against}: worst at ${four(f.worst_frame)} (${f.worst_point})${turned}; ${seal}`
    : seal;
}
const unseen = computed(
  () => shot.passes.map((p) => newest(p)?.finding?.unseen).find(Boolean) ?? [],
);
// One after another; seen is what was seen of it, or what this page made of that.
let thresholds: Promise<unknown> = Promise.resolve();
let own = { on: 0, px: 0 };
function setThreshold(e: Event): void {
  const box = e.target as HTMLInputElement,
    gave = box.value,
    n = Number(gave),
    on = Number(box.dataset.seen);
  thresholds = thresholds.then(async () => {
    const r = await api
      .PUT("/api/shots/{id}/threshold", {
        params: { path: { id: shot.id } },
        body: { px: n, seen: own.on === on ? own.px : on },
      })
      .catch(() => ({ data: undefined, error: undefined }));
    if (r.data) {
      own = { on, px: n };
      await shot.reload();
    } else {
      shot.trouble = sentence(r.error);
      await shot.reload();
      answered(box, gave, String(px.value));
    }
  });
}
// The same path checked on a pass's faster clock, and sealed for it, too.
const sealing = ref(false);
async function sealFor(p: PassView): Promise<void> {
  sealing.value = true;
  const r = await api
    .POST("/api/passes/{id}/seal", {
      params: { path: { id: p.id } },
      body: { shot: shot.id, revision: shot.view?.revision ?? 0 },
    })
    .catch(() => ({ data: undefined, error: undefined }))
    .finally(() => {
      sealing.value = false;
    });
  if (r.data) shot.passesAre(r.data);
  else shot.trouble = sentence(r.error);
}
async function choose(p: PassView, t: TakeView): Promise<void> {
  const again = p.chosen_by_hand === t.id; // pressed once more: the last whole one again
  const r = await api.PUT("/api/passes/{id}/take", {
    params: { path: { id: p.id } },
    body: { shot: shot.id, ...(again ? {} : { take: t.id }) },
  });
  if (r.data) shot.passesAre(r.data);
  else shot.trouble = sentence(r.error);
}
const takeTitle = (p: PassView, t: TakeView): string => {
  const how = t.broken
    ? `broken off at ${four(t.frame)}: ${t.why}`
    : `sealed ${t.seal_short}, on ${t.clock}`;
  if (p.chosen_by_hand === t.id)
    return `${how}. Chosen by hand; press to let the last whole take stand for the pass.`;
  return p.chosen === t.id
    ? `${how}. The last whole take stands for the pass.`
    : `${how}. Press to choose it.`;
};
const { grasp, letGo, setFactor, setNumber, setKind, setLocked, setWay, setWaits } = usePassClock();
</script>

<template>
  <section class="box stack scroll" tabindex="0" aria-labelledby="stack-title" data-test="stack">
    <header>
      <h2 id="stack-title" class="cap">Passes over one sealed path</h2>
      <span class="quiet small"
        >bars: deviation from the seal, pixels at the sensor, frame by frame; pass against pass,
        unshifted. Stacks under
        <FieldInput
          class="field thr"
          :value="px"
          data-test="threshold"
          inputmode="decimal"
          aria-label="Pixels under which passes stack"
          @change="setThreshold"
        />
        px, the dotted line.</span
      >
    </header>
    <div class="pass probe" aria-hidden="true"><span /><span /><span ref="probe" /></div>
    <div
      v-for="p in shot.passes"
      :key="p.id"
      class="pass"
      :class="{ here: p.id === shot.pass }"
      :data-test="'pass-' + p.number"
      @focusin="grasp(p)"
      @focusout="letGo"
    >
      <button
        class="pick"
        :data-test="`pick-${p.number}`"
        :aria-pressed="p.id === shot.pass"
        @click="shot.choosePass(p.id)"
      >
        <b>{{ p.number }} · {{ p.name }}</b
        ><span class="quiet small">{{ p.note || "\u00a0" }}</span>
      </button>
      <div class="small clock">
        <label
          >{{ rate(p)
          }}<FieldInput
            v-if="p.id === shot.pass && !lapse(p)"
            class="field"
            :value="p.clock"
            data-test="pass-clock"
            :aria-label="`Rate factor of pass ${p.number}`"
            :title="rates"
            @change="(e: Event) => setFactor(p, e)"
        /></label>
        <select
          v-if="p.id === shot.pass"
          class="field way"
          :value="p.clock_spec.way"
          data-test="pass-way"
          :aria-label="`Direction of pass ${p.number}`"
          @change="(e) => setWay(p, e)"
        >
          <option v-for="w in waysOf(p)" :key="w">{{ w }}</option>
        </select>
      </div>
      <svg
        class="strip"
        :width="width"
        height="26"
        role="img"
        :aria-label="newest(p) ? `Deviation of take ${newest(p)?.number}` : 'Not rolled'"
      >
        <path :d="`M0 9.5H${width}`" stroke="var(--quiet)" stroke-dasharray="1 3" />
        <path
          :d="`M0 25.5H${width}`"
          stroke="var(--rule)"
          :stroke-dasharray="newest(p) ? '' : '2 4'"
        />
        <template v-if="newest(p)">
          <rect
            v-for="(b, i) in bars(newest(p) as TakeView)"
            :key="i"
            :x="b.x"
            :y="25 - b.h"
            :width="b.w"
            :height="b.h"
            :fill="fills[b.b]"
          />
        </template>
      </svg>
      <div class="takes">
        <button
          v-for="t in p.takes"
          :key="t.id"
          class="take"
          :class="{ broken: t.broken, chosen: t.id === p.chosen }"
          :data-test="`take-${p.number}-${t.number}`"
          :aria-pressed="t.id === p.chosen"
          :disabled="!t.ended"
          :title="takeTitle(p, t)"
          @click="choose(p, t)"
        >
          take {{ t.number }}
        </button>
        <span v-if="p.takes.length === 0" class="quiet small">not rolled</span>
      </div>
      <div class="word" :class="[says(p).tone, { small: p.clock_note }]" data-test="verdict">
        {{ says(p).text
        }}<button
          v-if="p.too_fast && shot.view?.sealed_as_is && p.id === shot.pass"
          class="btn for-it"
          data-test="seal-for-pass"
          :disabled="sealing"
          :title="forIt"
          @click="sealFor(p)"
        >
          seal for it
        </button>
      </div>
      <div v-if="p.id === shot.pass" class="quiet small more">
        <select
          class="field kind"
          :value="p.clock_spec.kind"
          data-test="pass-kind"
          :aria-label="`Kind of clock of pass ${p.number}`"
          @change="(e) => setKind(p, e)"
        >
          <option v-for="k in clocks" :key="k">{{ k }}</option>
        </select>
        <label v-if="p.clock_spec.kind === 'steady'"
          >waits
          <FieldInput
            class="field waits"
            :value="waits(p)"
            placeholder="none"
            data-test="pass-waits"
            :aria-label="`Waits of pass ${p.number}`"
            :title="waiting"
            @change="(e: Event) => setWaits(p, e)"
        /></label>
        <label v-for="f in fields(p)" :key="f.what"
          >{{ f.name }}
          <FieldInput
            class="field short"
            :value="number(p, f.what)"
            inputmode="decimal"
            :data-test="'pass-' + f.what.replace('_ms', '')"
            :aria-label="`${f.name} of pass ${p.number}: ${f.says}`"
            :title="f.says"
            @change="(e: Event) => setNumber(p, e, f.what)"
          />
          {{ f.unit }}</label
        >
        <label
          v-if="p.clock_spec.kind === 'steady'"
          title="the camera keeps the path's own rate, whatever the clock"
          ><input
            type="checkbox"
            :checked="p.clock_spec.camera_locked"
            data-test="pass-locked"
            @change="(e) => setLocked(p, e)"
          />
          camera locked</label
        >
        {{ apart(p) }}{{ more(p) }}
      </div>
    </div>
    <p v-if="unseen.length" class="quiet small foot">Unseen: {{ unseen.join(" ") }}</p>
  </section>
</template>

<style scoped>
.stack {
  padding: var(--s10) var(--s14);
}
header {
  display: flex;
  justify-content: space-between;
  gap: var(--s20);
  align-items: baseline;
  padding-bottom: var(--s6);
  border-bottom: 1px solid var(--rule);
}
.pass {
  display: grid;
  grid-template-columns: 150px 130px minmax(0, 1fr) 168px 188px;
  column-gap: var(--s12);
  align-items: center;
  border-bottom: 1px solid var(--hair);
  padding: var(--s2) 0;
  min-height: 40px;
}
.stack .probe {
  min-height: 0;
  height: 0;
  padding: 0;
  border: 0;
}
.strip {
  display: block;
  min-width: 0;
  overflow: hidden;
}
.pick span,
.word {
  overflow-wrap: anywhere;
}
.here {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--now);
}
.pick {
  background: none;
  border: 0;
  color: var(--ink);
  text-align: left;
  padding: var(--s4) 0 var(--s4) var(--s10);
  cursor: pointer;
  font: inherit;
  display: flex;
  flex-direction: column;
}
.pick b {
  font: 600 var(--t16)/1.1 var(--head);
}
.clock {
  display: flex;
  flex-direction: column;
  gap: var(--s2);
}
.clock label {
  display: contents;
}
.short {
  width: 44px;
  min-height: 18px;
  padding: 0 var(--s2);
}
.kind {
  min-height: 18px;
  padding: 0 var(--s2);
  margin-right: var(--s10);
}
.waits {
  width: 88px;
  min-height: 18px;
  padding: 0 var(--s2);
}
.clock .field {
  width: 60px;
  min-height: 20px;
  padding: var(--s1) var(--s4);
}
.clock .way {
  width: 116px;
}
.more label {
  margin-right: var(--s10);
}
.for-it {
  display: block;
  margin-top: var(--s4);
}
.takes {
  display: flex;
  gap: var(--s4);
  flex-wrap: wrap;
}
.thr {
  width: 42px;
  min-height: 18px;
  padding: 0 var(--s2);
}
.take {
  border: 1px solid var(--quiet);
  color: var(--ink);
  background: none;
  padding: 0 var(--s6);
  font: 400 var(--t11)/1.5 var(--text);
  cursor: pointer;
}
.take.chosen {
  border-color: var(--now);
  box-shadow: inset 0 -2px 0 var(--now);
}
.take.broken {
  color: var(--quiet);
  text-decoration: line-through;
}
html.paper .take.broken {
  color: var(--muted);
}
.take:disabled {
  cursor: default;
}
.word {
  font-size: var(--t13);
}
.word.quiet,
.word.small {
  font-size: var(--t11);
}
.more {
  grid-column: 3 / -1;
  padding-bottom: var(--s2);
}
.foot {
  margin: var(--s8) 0 0;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 1100px) {
  .pass {
    grid-template-columns: 130px 112px minmax(0, 1fr) 130px 150px;
    column-gap: var(--s8);
  }
}
@media (max-width: 860px) {
  .pass {
    grid-template-columns: 1fr 1fr;
  }
  .probe,
  .strip {
    display: none;
  }
  .more {
    grid-column: 1 / -1;
  }
}
</style>
