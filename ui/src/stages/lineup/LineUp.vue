<script setup lang="ts">
import { computed } from "vue";
import type { Axis } from "../../api/client";
import { useAsk } from "../../shell/ask";
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";

const shot = useShot();
const live = useLive();
const ask = useAsk();
const state = computed(() => live.now?.floor.state);
const homed = (a: Axis): boolean => live.connected && (state.value?.homed[a.id] ?? false);
const unit = (a: Axis): string => (a.unit === "mm" ? "mm" : "°");
const along = (a: Axis, v: number): number => Math.min(Math.max((v - a.min) / (a.max - a.min), -0.02), 1.02) * 100;
const marks = (a: Axis): number[] => {
  const span = a.max - a.min;
  const s = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500].find((x) => span / x <= 13) ?? 500;
  const out: number[] = [];
  for (let v = Math.ceil(a.min / s) * s; v <= a.max; v += s) out.push(v);
  return out;
};
function spread(a: Axis): string {
  const s = state.value?.spread[a.id];
  if (!s || s.n === 0) return "never homed in this session";
  if (s.n === 1) return "homed once; home again to see how well it repeats";
  return `last ${s.n} homings lie within ${s.range.toPrecision(2)} ${unit(a)}`;
}
const sees: Record<string, string> = { output: "output, behind gear and belt", motor: "the motor only", nothing: "nothing: open loop" };
</script>

<template>
  <div v-if="shot.view" class="lineup">
    <header class="box top">
      <div><h2 class="cap">Line up {{ shot.view.rig.name }}</h2>
        <p class="quiet">Fast to the sensor, back off, slowly onto the edge from the same side. An axis that is not lined up does not run.</p></div>
      <button class="btn lead" data-test="home" :disabled="!live.connected || live.moving" @click="ask.home()">Home all axes <kbd>H</kbd></button>
    </header>
    <article v-for="a in shot.axes" :key="a.id" class="box card" :aria-label="a.name">
      <div class="name"><h3>{{ a.name }}</h3><span :class="homed(a) ? 'good' : 'now'">{{ homed(a) ? "homed" : live.mode === "homing" ? "homing …" : "not homed" }}</span></div>
      <div class="ruler">
        <svg width="100%" height="44" preserveAspectRatio="none" aria-hidden="true">
          <line x1="0" x2="100%" y1="20" y2="20" stroke="var(--ink)" />
          <g v-for="m in marks(a)" :key="m"><line :x1="along(a, m) + '%'" :x2="along(a, m) + '%'" y1="14" y2="20" stroke="var(--ink)" /><text :x="along(a, m) + '%'" y="38" :text-anchor="along(a, m) > 96 ? 'end' : along(a, m) < 4 ? 'start' : 'middle'" class="lab">{{ m }}</text></g>
          <line x1="0" x2="0" y1="6" y2="26" stroke="var(--ink)" stroke-width="3" /><line x1="100%" x2="100%" y1="6" y2="26" stroke="var(--ink)" stroke-width="3" />
          <circle v-if="state && live.connected" :cx="along(a, state.pos[a.id] ?? 0) + '%'" cy="20" r="6" fill="var(--sheet)" stroke="var(--now)" stroke-width="3" :stroke-dasharray="homed(a) ? '' : '3 3'" />
        </svg>
        <div class="small quiet ends"><span>soft limit {{ a.min }} {{ unit(a) }}</span><b v-if="state && live.connected">{{ homed(a) ? "" : "counter only: " }}{{ (state.pos[a.id] ?? 0).toFixed(a.unit === "mm" ? 2 : 3) }} {{ unit(a) }}</b><span>{{ a.max }} {{ unit(a) }} soft limit</span></div>
      </div>
      <dl class="small"><dt>home</dt><dd>{{ a.home }}</dd><dt>spread</dt><dd>{{ spread(a) }}</dd><dt>feedback sees</dt><dd>{{ sees[a.feedback] }}</dd></dl>
    </article>
    <p v-if="!live.connected" class="now" role="status">{{ shot.view.rig.name }} is not seen. Check its power and cable; it is looked for all the time.</p>
  </div>
</template>

<style scoped>
.lineup { display: grid; gap: 10px; }
.top { padding: 12px 18px; display: flex; justify-content: space-between; align-items: center; gap: 20px; }
.top p { margin: 4px 0 0; }
.card { display: grid; grid-template-columns: 110px 1fr 330px; gap: 22px; padding: 10px 18px 8px; align-items: center; }
.lead kbd { border-color: var(--sheet); }
h3 { font-size: 20px; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.ruler svg { overflow: visible; display: block; }
.ends { display: flex; justify-content: space-between; }
dl { display: grid; grid-template-columns: 92px 1fr; margin: 0; row-gap: 3px; }
dt { color: var(--quiet); }
dd { margin: 0; }
html.paper .quiet, html.paper dt { color: #4d5a67; }
@media (max-width: 900px) { .card { grid-template-columns: 1fr; } }
</style>
