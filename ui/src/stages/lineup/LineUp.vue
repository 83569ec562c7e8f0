<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type Axis, type DayAxis, type MachineView } from "../../api/client";
import { finest, spaced, unit } from "../../drawing/axes";
import { useMoves } from "../../shell/moves";
import { useLive } from "../../stores/live";

const live = useLive();
const moves = useMoves();
// One machine is lined up at a time: at first the shot's own.
const machines = shallowRef<MachineView[]>([]);
const chosen = computed({ get: () => moves.looking, set: (id: string) => { moves.looking = id; } });
const one = computed(() => machines.value.find((m) => m.rig.id === chosen.value));
const now = computed(() => live.now?.machines?.find((m) => m.machine === chosen.value));
const state = computed(() => now.value?.state);
const seen = computed(() => !live.lost && (now.value?.connected ?? false));
const busy = computed(() => !seen.value || !now.value?.driving || !["idle", "armed"].includes(state.value?.mode ?? ""));
async function load(): Promise<void> {
  const r = await api.GET("/api/machines").catch(() => ({ data: undefined, error: undefined }));
  if (r.data) machines.value = r.data;
  else said.value = { text: sentence(r.error), tone: "over" };
}
onMounted(() => { live.each++; void load(); });
onBeforeUnmount(() => { live.each--; });

const homed = (a: Axis): boolean => seen.value && (state.value?.homed[a.id] ?? false);
const along = (a: Axis, v: number): number => Math.min(Math.max((v - a.hard[0]!) / (a.hard[1]! - a.hard[0]!), 0), 1) * 100;
const marks = (a: Axis): number[] => {
  const [from = 0, to = 1] = a.hard;
  const s = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000].find((x) => (to - from) / x <= 13) ?? 1000;
  const out: number[] = [];
  for (let v = Math.ceil(from / s) * s; v <= to; v += s) out.push(v);
  return out;
};
function spread(a: Axis): string {
  const s = state.value?.spread[a.id];
  if (!s || s.n === 0) return "never homed in this session";
  if (s.n === 1) return "homed once; home again to see how well it repeats";
  return `last ${s.n} homings lie within ${s.range.toPrecision(2)}${spaced(a)}`;
}
function word(a: Axis): { text: string; tone: string } {
  const s = state.value;
  if (!s || !seen.value) return { text: "not seen", tone: "quiet" };
  if (s.faults?.[a.id]) return { text: `fault: ${s.faults[a.id]}`, tone: "over" };
  if (s.ends?.[a.id]) return { text: `at its ${s.ends[a.id]} hard end`, tone: "over" };
  if (s.free?.[a.id]) return { text: "free", tone: "now" };
  if (homed(a)) return { text: "homed", tone: "good" };
  return { text: s.mode === "homing" ? "homing …" : "not homed", tone: "now" };
}
const sees: Record<string, string> = { output: "output, behind gear and belt", motor: "the motor only", nothing: "nothing: open loop" };
async function engage(a: Axis): Promise<void> {
  const r = await api.POST("/api/machines/{id}/engage", { params: { path: { id: chosen.value } }, body: { axis: a.id } });
  said.value = r.error ? { text: sentence(r.error), tone: "over" } : { text: `${a.name} holds.`, tone: "good" };
}

// The day's limits, as they are typed; kept together as one line-up.
type Typed = { low: string; high: string; speed: string; acceleration: string };
const typed = ref<Record<string, Typed>>({});
const said = ref({ text: "", tone: "quiet" });
const as = (a: Axis): Typed => ({ low: String(a.min), high: String(a.max), speed: String(a.working.speed), acceleration: String(a.working.acceleration) });
watch(one, (m) => { typed.value = Object.fromEntries((m?.rig.axes ?? []).map((a) => [a.id, as(a)])); }, { immediate: true });
const changed = computed(() => (one.value?.rig.axes ?? []).some((a) => JSON.stringify(typed.value[a.id]) !== JSON.stringify(as(a))));
async function keep(): Promise<void> {
  const m = one.value;
  if (!m) return;
  const axes: Record<string, DayAxis> = {};
  for (const a of m.rig.axes) {
    const t = typed.value[a.id] ?? as(a);
    const [low, high, speed, acceleration] = [t.low, t.high, t.speed, t.acceleration].map((v) => (v.trim() === "" ? NaN : Number(v.replace(",", "."))));
    if ([low, high, speed, acceleration].some((v) => !Number.isFinite(v))) {
      said.value = { text: `${a.name}: a limit is not a number; give one in ${unit(a)}.`, tone: "over" };
      return;
    }
    axes[a.id] = { soft: [low!, high!], working: { speed: speed!, acceleration: acceleration!, jerk: a.working.jerk }, spread: 0, homings: 0 };
  }
  const r = await api.POST("/api/machines/{id}/line-ups", { params: { path: { id: m.rig.id } }, body: { axes } });
  said.value = r.error ? { text: sentence(r.error), tone: "over" } : { text: "Kept. Sealed paths stay sealed; they are held against it when they are armed.", tone: "good" };
  await load();
}
const when = computed(() => {
  const l = one.value?.line_up;
  if (!l) return "as its description has it";
  return `lined up ${new Date(l.at).toLocaleString("en-GB", { day: "2-digit", month: "short", hour: "2-digit", minute: "2-digit" })} by ${l.by.name}`;
});
</script>

<template>
  <div class="lineup">
    <header class="box top">
      <div>
        <h2 class="cap">Line up
          <select v-model="chosen" class="field" data-test="machine" style="margin-right: 8px" aria-label="Machine"><option
            v-for="m in machines" :key="m.rig.id" :value="m.rig.id">{{ m.rig.name }}</option></select>
          <span class="quiet nocap">{{ when }}</span>
        </h2>
        <p
          class="quiet">Fast to the sensor, back off, slowly onto the edge from the same side. An axis that is not lined up does not run.</p>
        <p v-if="seen && !now?.driving" class="now"
          role="status">Another copy of Keen Arc drives {{ one?.rig.name }}; this one only watches.</p>
        <p v-if="state?.emergency_stop" class="over"
          role="status">Its emergency stop is pressed. Release it at the machine when it is safe.</p>
        <p v-if="said.text" :class="said.tone" role="status" data-test="line-up-said">{{ said.text }}</p>
      </div>
      <div class="acts">
        <button class="btn slim" data-test="keep-line-up" :disabled="!changed" @click="keep">Keep as today's line-up</button>
        <button class="btn lead" data-test="home" :disabled="busy" @click="moves.home(chosen)">Home all axes <kbd>H</kbd></button>
      </div>
    </header>
    <article v-for="a in one?.rig.axes ?? []" :key="a.id" class="box card" :aria-label="a.name" :data-test="'axis-' + a.id">
      <div class="name">
        <h3>{{ a.name }}</h3><span :class="word(a).tone">{{ word(a).text }}</span>
        <div class="row">
          <button class="btn slim" :data-test="'home-' + a.id" :disabled="busy" @click="moves.home(chosen, [a])">home</button>
          <button v-if="!state?.free?.[a.id]" class="btn slim" :data-test="'free-' + a.id" :disabled="busy"
            @click="moves.free(chosen, a)">free</button>
          <button v-else class="btn slim" :data-test="'engage-' + a.id" :disabled="busy" @click="engage(a)">hold</button>
        </div>
      </div>
      <div class="ruler">
        <svg width="100%" height="44" aria-hidden="true">
          <line x1="0" x2="100%" y1="20" y2="20" stroke="var(--ink)" />
          <rect :x="along(a, a.min) + '%'" y="16" :width="along(a, a.max) - along(a, a.min) + '%'" height="8" fill="var(--tint)"
            stroke="var(--ink)" stroke-width=".8" />
          <g v-for="m in marks(a)" :key="m">
            <line :x1="along(a, m) + '%'" :x2="along(a, m) + '%'" y1="12" y2="20" stroke="var(--ink)" />
            <text :x="along(a, m) + '%'" y="40" :text-anchor="along(a, m) > 96 ? 'end' : along(a, m) < 4 ? 'start' : 'middle'"
              class="lab">{{ m }}</text>
          </g>
          <line v-for="e in [0, 100]" :key="e" :x1="e + '%'" :x2="e + '%'" y1="4" y2="28" stroke="var(--ink)" stroke-width="3" />
          <circle
            v-if="state && seen" :cx="along(a, state.pos[a.id] ?? 0) + '%'" cy="20" r="6" fill="var(--sheet)" stroke="var(--now)" stroke-width="3"
            :stroke-dasharray="homed(a) ? '' : '3 3'" />
        </svg>
        <div class="small quiet ends">
          <span>hard ends {{ a.hard[0] }} and {{ a.hard[1] }}{{ spaced(a) }}</span>
          <b v-if="state && seen">{{ homed(a) ? "" : "counter only: " }}{{ (state.pos[a.id] ?? 0).toFixed(finest(a)) }}{{ spaced(a) }}</b>
        </div>
      </div>
      <div v-if="typed[a.id]" class="small limits">
        <label>soft <input v-model="typed[a.id]!.low" class="field" inputmode="decimal" :data-test="`low-${a.id}`"
          :aria-label="`${a.name}: lower soft limit`" /></label>
        <label>to <input v-model="typed[a.id]!.high" class="field" inputmode="decimal" :data-test="`high-${a.id}`"
          :aria-label="`${a.name}: upper soft limit`" />{{ spaced(a) }}</label>
        <label>at most <input v-model="typed[a.id]!.speed" class="field" inputmode="decimal"
          :aria-label="`${a.name}: working speed`" />{{ spaced(a) }}/s</label>
        <label>and <input v-model="typed[a.id]!.acceleration" class="field" inputmode="decimal"
          :aria-label="`${a.name}: working acceleration`" />{{ spaced(a) }}/s²</label>
      </div>
      <dl class="small"><dt>home</dt><dd>{{ a.home }}</dd><dt>spread</dt><dd>{{ spread(a) }}</dd><dt>feedback sees</dt>
        <dd>{{ sees[a.feedback] }}</dd></dl>
    </article>
    <p v-if="!seen && one" class="now"
      role="status">{{ one.rig.name }} is not seen. Check its power and cable; it is looked for all the time.</p>
  </div>
</template>

<style scoped>
.lineup { display: grid; gap: 8px; }
.top { padding: 10px 18px; display: flex; justify-content: space-between; align-items: center; gap: 20px; }
.top p { margin: 4px 0 0; }
.acts { display: flex; gap: 10px; align-items: center; flex: none; }
.nocap { text-transform: none; font: 400 12px var(--text); letter-spacing: 0; }
.card { display: grid; grid-template-columns: 124px minmax(0, 1fr) 290px 244px; gap: 18px; padding: 6px 18px 5px; align-items: center; }
.lead kbd { border-color: var(--sheet); }
h3 { font-size: 20px; }
.row { display: flex; gap: 6px; margin-top: 3px; }
.row .btn { min-height: 22px; padding: 1px 7px; font-size: 13px; }
.lab { font-size: 11px; fill: var(--quiet); }
html.paper .lab { fill: #4d5a67; }
.ruler svg { overflow: visible; display: block; }
.ends { display: flex; justify-content: space-between; }
.limits { display: grid; grid-template-columns: 138px 1fr; gap: 3px 10px; white-space: nowrap; }
.limits label { display: grid; grid-template-columns: 44px 54px auto; gap: 3px; align-items: center; }
.limits label:nth-child(even) { grid-template-columns: 24px 54px auto; }
.limits .field { width: 52px; min-height: 20px; padding: 1px 3px; font-size: 12px; text-align: right; }
dl { display: grid; grid-template-columns: 86px 1fr; margin: 0; row-gap: 2px; }
dt { color: var(--quiet); }
dd { margin: 0; }
html.paper .quiet, html.paper dt { color: #4d5a67; }
@media (max-width: 1100px) { .card { grid-template-columns: 120px minmax(0, 1fr) 230px; } dl { grid-column: 1 / -1; } }
@media (max-width: 900px) { .card { grid-template-columns: 1fr; } .top { flex-direction: column; align-items: stretch; } }
</style>
