<script setup lang="ts">
import { computed, ref } from "vue";
import { useLive } from "../../stores/live";
import { useFrames } from "../../stores/frames";
import { useShot } from "../../stores/shot";
import { four } from "../../stores/shot";

// What comes next, the press that does it, and what else can be done instead.
const frames = useFrames();
const live = useLive();
const shot = useShot();
const v = computed(() => frames.view);
const back = ref(false);
const to = ref("");
const of = ref("");
const can = computed(
  () =>
    (frames.now?.ready.ok ?? false) &&
    !frames.now?.busy &&
    v.value?.now !== undefined &&
    !live.lost,
);
const then = computed(() => {
  const w = v.value,
    n = frames.now;
  if (!w?.now || !n) return "";
  if (n.busy)
    return {
      going: "on its way",
      settling: "settling",
      still: "",
      exposing: "exposing",
      keeping: "keeping the picture",
      away: "",
    }[n.phase];
  if (!frames.there) return `press N · goes to its pose, ${n.travel_mm} mm`;
  const rest = w.press
    .slice(1)
    .map((c) => frames.layer(c.layer)?.name)
    .join(", ");
  return (
    `press N · ${rest ? `then ${rest}, ` : ""}` +
    `${w.then ? `then on to ${four(w.then.frame)}` : "then all is taken"}`
  );
});
const clock = (s: number): string =>
  s >= 5400
    ? `${Math.floor(s / 3600)} h ${Math.round((s % 3600) / 60)
        .toString()
        .padStart(2, "0")}`
    : s >= 90
      ? `${Math.floor(s / 60)} min ${Math.round(s % 60)
          .toString()
          .padStart(2, "0")} s`
      : `${Math.round(s)} s`;
function openBack(): void {
  to.value = four(v.value?.last?.frame ?? v.value?.now?.frame ?? 0);
  of.value = v.value?.last?.layer ?? v.value?.rows[0]?.id ?? "";
  back.value = !back.value;
}
async function go(again: boolean): Promise<void> {
  const frame = Number(to.value);
  if (!Number.isInteger(frame)) {
    shot.trouble = `Frame: "${to.value}" cannot be read; give a whole number, as 0038.`;
    return;
  }
  await frames.command("back to", { frame, layer: of.value }, again);
  back.value = false;
}
</script>

<template>
  <section v-if="v" class="box next" aria-labelledby="next-title">
    <h2 id="next-title" class="cap">Next exposure</h2>
    <div v-if="v.newer" class="newer" role="alert" data-test="newer">
      <p>
        Path {{ v.newer.version }} ({{ v.newer.short }}) is sealed. At {{ four(v.newer.frame) }} it
        stands <b>{{ v.newer.px.toFixed(2) }} px</b> from the one that the frames are taken on,
        {{ v.seal?.version }} ({{ v.seal?.short }}); against what is taken at most
        {{ v.newer.worst_px.toFixed(2) }} px, at {{ four(v.newer.worst_frame) }}.
      </p>
      <button class="btn slim" data-test="path-stay" @click="frames.goOn(v.newer.version, false)">
        stay on {{ v.seal?.version }}
      </button>
      <button class="btn slim" data-test="path-on" @click="frames.goOn(v.newer.version, true)">
        go on with {{ v.newer.version }}
      </button>
    </div>
    <button
      v-else
      class="press"
      data-test="next"
      :class="{ can }"
      :aria-disabled="!can"
      @click="frames.next()"
    >
      <span class="t">{{
        frames.current
          ? frames.name(frames.current)
          : frames.unsure.length
            ? "look at what is uncertain"
            : "all is taken"
      }}</span>
      <span class="small" data-test="then">{{ then }}</span>
    </button>
    <div class="row">
      <button
        class="btn slim"
        data-test="once-more"
        :disabled="!v.last || frames.now?.busy"
        @click="frames.command('once more')"
      >
        once more <kbd>O</kbd>
      </button>
      <button class="btn slim" data-test="back-to" :aria-expanded="back" @click="openBack">
        back to …
      </button>
      <button
        class="btn slim"
        data-test="step-over"
        :disabled="!v.now || frames.now?.busy"
        @click="frames.command('step over')"
      >
        step over <kbd>V</kbd>
      </button>
      <button
        class="btn slim"
        data-test="frames-undo"
        :disabled="!v.undo"
        :title="v.undo ? `take back: ${v.undo}` : 'nothing to take back: what was exposed stays'"
        @click="frames.undo()"
      >
        take back
      </button>
    </div>
    <form v-if="back" class="back" @submit.prevent="go(false)">
      <label
        >frame <input v-model="to" class="field" inputmode="numeric" data-test="back-frame"
      /></label>
      <select v-model="of" class="field" aria-label="Exposure" data-test="back-layer">
        <option v-for="r in v.rows" :key="r.id" :value="r.id">{{ r.name }}</option>
      </select>
      <button class="btn slim" data-test="back-go">go</button>
      <button class="btn slim" type="button" data-test="back-again" @click="go(true)">
        once more
      </button>
    </form>
    <p v-if="frames.now?.trouble" class="over trouble" role="alert" data-test="frames-trouble">
      {{ frames.now.trouble }}
    </p>
    <dl v-else-if="v.spent.length > 0">
      <dt>a frame takes</dt>
      <dd>{{ clock(v.pace.frame_s) }}</dd>
      <dt>of it machine</dt>
      <dd>{{ clock(v.pace.machine_s) }}</dd>
      <dt>left</dt>
      <dd>{{ v.pace.left }} frames, {{ clock(v.pace.left_s) }} at this pace</dd>
    </dl>
    <p class="small caution">
      Everyone clear of {{ shot.view?.rig.clear_m }} m while it moves. The hardware stop is the only
      emergency stop.
    </p>
  </section>
</template>

<style scoped>
.next {
  padding: var(--s10) var(--s14);
  display: flex;
  flex-direction: column;
  gap: var(--s8);
  overflow: auto;
}
.press {
  border: 3px solid var(--rule);
  background: var(--sheet);
  color: var(--quiet);
  min-height: 84px;
  flex: 1;
  cursor: pointer;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: var(--s4);
  font-family: var(--text);
  padding: var(--s6);
}
.press.can {
  border-color: var(--now);
  background: var(--wash);
  color: var(--ink);
}
.t {
  font: 600 var(--t24)/1.1 var(--head);
  letter-spacing: 0.03em;
  overflow-wrap: anywhere;
}
.newer {
  border: 3px solid var(--now);
  padding: var(--s8);
}
.newer p {
  margin: 0 0 var(--s6);
}
.newer .btn + .btn {
  margin-left: var(--s8);
}
.row {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--s6);
}
.row .btn {
  justify-content: center;
}
.back {
  display: flex;
  gap: var(--s6);
  align-items: center;
  flex-wrap: wrap;
}
.back input {
  width: 56px;
}
.back select {
  max-width: 92px;
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  margin: 0;
  row-gap: var(--s2);
  font-size: var(--t13);
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.caution,
.trouble {
  margin: 0;
}
html.paper dt {
  color: var(--muted);
}
</style>
