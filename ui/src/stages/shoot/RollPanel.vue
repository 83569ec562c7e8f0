<script setup lang="ts">
import { computed } from "vue";
import { percent } from "../../drawing/headroom";
import { useMoves } from "../../shell/moves";
import { useHold } from "../../stores/hold";
import { useLive } from "../../stores/live";
import { four, useShot } from "../../stores/shot";

const shot = useShot();
const live = useLive();
const hold = useHold();
const moves = useMoves();
const pass = computed(() => shot.passes.find((p) => p.id === shot.pass));
const sealed = computed(() => shot.view?.seal);
// By the path's frames where no slide moves, so that it never reads as nothing.
const stops = computed(() => {
  const b = sealed.value?.braking;
  if (!b) return "—";
  const far =
    b.travel_m >= 0.005
      ? `${b.travel_m.toFixed(2)} m`
      : `${Math.max(1, Math.ceil(b.frames))} frames of the path`;
  return `${b.seconds} s, ${far}`;
});
const fastest = computed(() => {
  const p = pass.value;
  return p?.worst_axis
    ? `${shot.axes.find((x) => x.id === p.worst_axis)?.name} ${percent(p.worst_share)}`
    : "—";
});
const ready = computed(() => live.connected && !live.busy && (live.now?.ready.ok ?? false));
const starts = computed(() => live.now?.ready.starts_at ?? "first");
const atStart = computed(
  () => live.now?.ready.checks.find((c) => c.name === `at ${starts.value}`)?.ok ?? false,
);
const title = computed(() => {
  if (live.mode === "braking") return "SLOWING TO A STOP";
  if (live.mode === "rolling") return hold.held ? "ROLLING" : "ROLLING";
  return hold.held ? "STARTING" : "HOLD TO ROLL";
});
// A live clock is steered through these shares of its whole speed, while it is held.
const shares = [-1, -0.5, -0.25, 0, 0.25, 0.5, 1];
const shareSign = (s: number): string =>
  s === 0 ? "0" : `${s < 0 ? "−" : ""}${Math.abs(s) === 1 ? "1" : Math.abs(s) === 0.5 ? "½" : "¼"}`;
const shareName = (s: number): string =>
  s === 0 ? "stand still" : `${s < 0 ? "back at" : "on at"} ${Math.abs(s) * 100} % of its speed`;
function steer(share: number): void {
  const f = pass.value?.clock_spec.factor;
  if (f && live.rolling && hold.held)
    hold.steer(share, { num: Math.round(f.num * share * 4), den: f.den * 4 });
}
function keydown(e: KeyboardEvent): void {
  if (pass.value?.steered && hold.held && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
    e.preventDefault();
    const k = shares.indexOf(hold.share) + (e.key === "ArrowUp" ? 1 : -1);
    const next = shares[k];
    if (next !== undefined) steer(next);
    return;
  }
  if (e.key !== " ") return;
  e.preventDefault();
  if (!e.repeat) hold.press();
}
function keyup(e: KeyboardEvent): void {
  if (e.key === " ") {
    e.preventDefault();
    hold.release();
  }
}
function down(e: PointerEvent): void {
  if (e.button !== 0) return;
  (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
  (e.currentTarget as HTMLElement).focus();
  e.preventDefault();
  hold.press();
}
</script>

<template>
  <section v-if="shot.view" class="box roll" aria-labelledby="roll-title">
    <h2 id="roll-title" class="cap">
      {{ pass ? `Roll pass ${pass.number} · ${pass.name}` : "No pass chosen" }}
    </h2>
    <dl>
      <dt>path</dt>
      <dd>{{ sealed ? `${sealed.version} · ${sealed.short}` : "not sealed" }}</dd>
      <dt>clock</dt>
      <dd>
        {{
          pass?.clock_spec.pictures
            ? `${pass.clock_spec.pictures} pictures`
            : `${+(pass?.fps ?? 0).toFixed(3)} fps, ×${pass?.clock ?? "1"}`
        }}, {{ (pass?.seconds ?? 0).toFixed(2) }} s
      </dd>
      <dt>fastest axis</dt>
      <dd>{{ fastest }}</dd>
      <dt>stops within</dt>
      <dd>{{ stops }}</dd>
    </dl>
    <button
      class="target"
      data-test="hold"
      :class="{ held: hold.held, ready, live: live.rolling, low: pass?.steered }"
      :aria-disabled="!ready && !live.rolling"
      @keydown="keydown"
      @keyup="keyup"
      @pointerdown="down"
      @pointerup="hold.release"
      @pointercancel="hold.release"
      @lostpointercapture="hold.release"
      @blur="hold.release"
      @contextmenu.prevent
    >
      <span class="t">{{ title }}</span>
      <span v-if="live.rolling" class="n">{{
        four(Math.floor(live.now?.floor.state.frame ?? 0))
      }}</span>
      <span v-else class="small"
        >hold <kbd>Space</kbd> or the pointer · let go and the rig slows to a stop</span
      >
    </button>
    <div v-if="pass?.steered" class="steer small" role="group" aria-label="Speed while it rolls">
      <span class="quiet">speed</span
      ><button
        v-for="s in shares"
        :key="s"
        class="btn slim"
        :class="{ now: hold.share === s && live.rolling }"
        :data-test="`steer-${s}`"
        :disabled="!live.rolling || !hold.held"
        tabindex="-1"
        :aria-pressed="hold.share === s"
        :aria-label="shareName(s)"
        :title="shareName(s)"
        @pointerdown.prevent="steer(s)"
      >
        {{ shareSign(s) }}</button
      ><span class="quiet"><kbd>↑</kbd> <kbd>↓</kbd></span>
    </div>
    <p class="say" data-test="hold-says" role="status">
      {{ hold.says || (ready || live.now?.ready.ok ? "" : live.now?.ready.sentence) }}
    </p>
    <div class="row">
      <button
        class="btn slim"
        data-test="go-first"
        :disabled="!live.connected || !sealed || atStart"
        @click="moves.goTo()"
      >
        go to {{ starts }} frame <kbd>F</kbd>
      </button>
    </div>
    <p class="caution">
      Call the move. Everyone clear of {{ shot.view.rig.clear_m }} m around the track. The hardware
      stop is the only emergency stop.
    </p>
  </section>
</template>

<style scoped>
.roll {
  padding: var(--s10) var(--s14);
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow: auto;
}
dl {
  display: grid;
  grid-template-columns: 96px 1fr;
  margin: var(--s4) 0 var(--s6);
  row-gap: var(--s1);
  font-size: var(--t11);
}
dt {
  color: var(--quiet);
}
html.paper dt {
  color: var(--muted);
}
dd {
  margin: 0;
}
.target {
  flex: 1;
  min-height: 78px;
  border: 3px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  cursor: pointer;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: var(--s4);
  touch-action: none;
  user-select: none;
  font-family: var(--text);
}
.target.ready {
  border-color: var(--now);
  background: var(--wash);
}
.target.held,
.target.live {
  background: var(--now);
  border-color: var(--now);
  color: var(--sheet);
}
.target.held kbd {
  border-color: var(--sheet);
}
.t {
  font: 600 var(--t24)/1.1 var(--head);
  letter-spacing: 0.06em;
}
.n {
  font: 700 var(--t24)/1 var(--text);
}
.say {
  margin: var(--s4) 0 var(--s2);
  min-height: 17px;
  color: var(--now);
}
@media (max-width: 960px), (max-height: 620px) {
  dl {
    grid-template-columns: repeat(3, 84px 1fr);
  }
  .target {
    flex: none;
    height: 120px;
  }
}
@media (max-width: 700px) {
  dl {
    grid-template-columns: 96px 1fr;
  }
}
.target.low {
  min-height: 70px;
  gap: var(--s1);
}
.target.low .t {
  font-size: var(--t24);
}
.say,
.row,
.caution,
.steer {
  flex-shrink: 0;
}
.steer {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s4);
  align-items: center;
  margin-top: var(--s6);
}
.steer .btn {
  padding: 0 var(--s6);
  min-height: 24px;
}
.steer .now {
  box-shadow: inset 0 -2px 0 var(--now);
}
.row {
  margin-top: var(--s4);
}
.caution {
  margin: var(--s4) 0 0;
  color: var(--now);
}
</style>
