<script setup lang="ts">
import { dayAndHour } from "../../stores/dates";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type Axis, type AxisHomings, type MachineView } from "../../api/client";
import AxisRuler from "../../drawing/AxisRuler.vue";
import { finest, fixed, spaced, unit } from "../../stores/axes";
import LivePicture from "../../drawing/LivePicture.vue";
import HomingDots from "../../drawing/HomingDots.vue";
import { useMoves } from "../../shell/moves";
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";
import AxisHome from "./AxisHome.vue";
import AxisLimits from "./AxisLimits.vue";
import { useDayLimits } from "./dayLimits";
import GoDialog from "./GoDialog.vue";
import JogKeys from "./JogKeys.vue";

const live = useLive();
const going = ref(false);
const seeing = ref(false);
const moves = useMoves();
const shot = useShot();
// One machine is lined up at a time: at first the shot's own.
const machines = shallowRef<MachineView[]>([]);
const chosen = computed({
  get: () => moves.looking,
  set: (id: string) => {
    moves.looking = id;
  },
});
const one = computed(() => machines.value.find((m) => m.rig.id === chosen.value));
const now = computed(() => live.now?.machines?.find((m) => m.machine === chosen.value));
const state = computed(() => now.value?.state);
const seen = computed(() => !live.lost && (now.value?.connected ?? false));
const busy = computed(
  () => !seen.value || !now.value?.driving || !["idle", "armed"].includes(state.value?.mode ?? ""),
);
// The axis that is looked at closely.
const picked = ref("");
const axis = computed(
  () => one.value?.rig.axes.find((a) => a.id === picked.value) ?? one.value?.rig.axes[0],
);
const dense = computed(() => (one.value?.rig.axes.length ?? 0) > 7);
// The path is counted from the plan's zeros, the ruler from the machine's.
const zeros = computed<Record<string, number>>(() =>
  Object.fromEntries(
    Object.entries(one.value?.line_up?.line_up.axes ?? {}).map(([a, d]) => [a, d.zero ?? 0]),
  ),
);
// What the shot's path uses of an axis, and how hard, where the machine is one of its own.
const uses = computed(() => {
  const name = shot.view?.machines.find((m) => m.rig.id === chosen.value)?.name;
  const out = new Map<string, { low: number; high: number; share: number }>();
  if (!name || shot.view?.empty) return out;
  for (const x of shot.view?.analysis.report.axes ?? []) {
    if (x.axis.startsWith(`${name}/`))
      out.set(x.axis.slice(name.length + 1), {
        low: x.low + (zeros.value[x.axis.slice(name.length + 1)] ?? 0),
        high: x.high + (zeros.value[x.axis.slice(name.length + 1)] ?? 0),
        share: Math.max(x.speed.share, x.acceleration.share, x.jerk.share),
      });
  }
  return out;
});
async function load(): Promise<void> {
  const r = await api.GET("/api/machines").catch(() => ({ data: undefined, error: undefined }));
  if (r.data) machines.value = r.data;
  else said.value = { text: sentence(r.error), tone: "over" };
}
onMounted(() => {
  live.each++;
  void load();
});
watch(
  () => live.now?.version,
  () => void load(),
); // somebody else's line-up is seen at once
onBeforeUnmount(() => {
  live.each--;
});

const homed = (a: Axis): boolean => seen.value && (state.value?.axes[a.id]?.homed ?? false);
function word(a: Axis): { text: string; tone: string } {
  const s = state.value;
  if (!s || !seen.value) return { text: "not seen", tone: "quiet" };
  if (s.axes[a.id]?.fault) return { text: `fault: ${s.axes[a.id]?.fault}`, tone: "over" };
  if (s.axes[a.id]?.end) return { text: `at its ${s.axes[a.id]?.end} hard end`, tone: "over" };
  if (s.axes[a.id]?.free) return { text: "free", tone: "now" };
  const trouble = s.axes[a.id]?.trouble;
  if (trouble)
    return {
      text: trouble.startsWith("its homing was broken off")
        ? "homing broken off"
        : "its zero was not found",
      tone: "over",
    };
  if (s.axes[a.id]?.waits) return { text: `confirm its ${s.axes[a.id]?.waits}`, tone: "now" };
  if (homed(a))
    return homings.value[a.id]?.repeat.walks
      ? { text: "homed, but it walks", tone: "now" }
      : { text: "homed", tone: "good" };
  return { text: s.mode === "homing" ? "homing …" : "not homed", tone: "now" };
}
const sees: Record<string, string> = {
  output: "sees the output",
  motor: "sees the motor",
  nothing: "sees nothing",
};
const steps = (a: Axis): number => Math.abs(a.steps_per_unit.num / a.steps_per_unit.den);
// How its homings repeat: asked for anew whenever something was found.
const homings = shallowRef<Record<string, AxisHomings>>({});
watch(
  [chosen, () => now.value?.homings],
  async () => {
    const id = chosen.value;
    if (!id) return;
    const r = await api
      .GET("/api/machines/{id}/homings", {
        params: { path: { id }, query: { shot: shot.id || undefined } },
      })
      .catch(() => undefined);
    if (r?.data && id === chosen.value) homings.value = r.data;
  },
  { immediate: true },
);
async function engage(a: Axis): Promise<void> {
  const r = await api.POST("/api/machines/{id}/engage", {
    params: { path: { id: chosen.value } },
    body: { axis: a.id },
  });
  said.value = r.error
    ? { text: sentence(r.error), tone: "over" }
    : { text: `${a.name} holds.`, tone: "good" };
}

const said = ref({ text: "", tone: "quiet" });
const { typed, changed, shown, keep } = useDayLimits(one, axis, said, load);
const when = computed(() => {
  const l = one.value?.line_up;
  if (!l) return "as its description has it";
  return `lined up ${dayAndHour(l.at)} by ${l.by.name}`;
});
</script>

<template>
  <div class="lineup">
    <section class="box axes" aria-labelledby="axes-title">
      <header>
        <h2 id="axes-title" class="cap">
          <select v-model="chosen" class="field" data-test="machine" aria-label="Machine">
            <option v-for="m in machines" :key="m.rig.id" :value="m.rig.id">
              {{ m.rig.name }}
            </option>
          </select>
        </h2>
        <span class="quiet small"
          >last homings, hard ends hatched, soft limits as posts, what
          {{ shot.view?.code }} uses</span
        >
        <span class="quiet small when">{{ when }}</span>
        <button class="btn slim" data-test="go-somewhere" :disabled="busy" @click="going = true">
          go to …
        </button>
        <button class="btn slim" data-test="see" :aria-pressed="seeing" @click="seeing = !seeing">
          {{ seeing ? "axes" : "picture" }}
        </button>
      </header>
      <p v-if="!seen && one" class="now" role="status">
        {{ one.rig.name }} is not seen. Check its power and cable; it is looked for all the time.
      </p>
      <p v-if="seen && !now?.driving" class="now" role="status">
        Another copy of Keen Arc drives {{ one?.rig.name }}; this one only watches.
      </p>
      <p v-if="one?.misfit" class="over" role="status" data-test="misfit">
        {{ one.misfit.charAt(0).toUpperCase() + one.misfit.slice(1) }}: it holds as far as it fits.
        Look at its limits and zeros, and keep them anew.
      </p>
      <p v-if="state?.emergency_stop" class="over" role="status">
        Its emergency stop is pressed. Release it at the machine when it is safe.
      </p>
      <LivePicture v-if="seeing" class="see" :width="960" :pause="500" cross lines />
      <div
        v-else
        class="rows"
        :class="{ dense }"
        :style="{
          gridTemplateRows:
            `repeat(${one?.rig.axes.length ?? 1}, ` + `minmax(${dense ? 57 : 88}px, 1fr))`,
        }"
      >
        <article
          v-for="a in one?.rig.axes ?? []"
          :key="a.id"
          class="row"
          :class="{ here: a.id === axis?.id }"
          :aria-label="a.name"
          :data-test="'axis-' + a.id"
          @click="picked = a.id"
        >
          <div class="name">
            <button
              class="pick"
              :data-test="'pick-axis-' + a.id"
              :aria-pressed="a.id === axis?.id"
              @click.stop="picked = a.id"
            >
              {{ a.name }}
            </button>
            <span :class="word(a).tone">{{ word(a).text }}</span>
            <span v-if="!dense" class="small quiet">{{ sees[a.feedback] }}</span>
            <div v-if="!dense" class="acts">
              <button
                class="btn slim"
                :data-test="'home-' + a.id"
                :disabled="busy"
                @click.stop="moves.home(chosen, [a])"
              >
                home
              </button>
              <button
                v-if="!state?.axes[a.id]?.free"
                class="btn slim"
                :data-test="'free-' + a.id"
                :disabled="busy"
                @click.stop="moves.free(chosen, a)"
              >
                free
              </button>
              <button
                v-else
                class="btn slim"
                :data-test="'engage-' + a.id"
                :disabled="busy"
                @click.stop="engage(a)"
              >
                hold
              </button>
            </div>
          </div>
          <HomingDots
            :homings="seen ? homings[a.id] : undefined"
            :width="92"
            :height="dense ? 36 : 52"
          />
          <AxisRuler
            :axis="a"
            :zero="zeros[a.id] ?? 0"
            :pos="seen ? state?.axes[a.id]?.pos : undefined"
            :homed="homed(a)"
            :use="uses.get(a.id)"
            :dense="dense"
          />
        </article>
      </div>
    </section>
    <GoDialog v-if="going && one && state" :machine="one" :state="state" @close="going = false" />
    <section v-if="axis && one" class="box one" :aria-label="axis.name">
      <h2 class="cap">{{ axis.name }}</h2>
      <p class="big" data-test="axis-value">
        {{ seen && state ? fixed(state.axes[axis.id]?.pos ?? 0, finest(axis)) : "—"
        }}<span>{{ unit(axis) }}</span>
      </p>
      <p v-if="seen && !homed(axis)" class="now">
        Counter only: it is not homed.
        {{ sees[axis.feedback] === "sees nothing" ? "Nothing sees where it is." : "" }}
      </p>
      <JogKeys
        :machine="chosen"
        :axis="axis"
        :fastest="one.jog_speeds[axis.id] ?? 0"
        :clear="one.rig.clear_m"
        :off="busy && state?.mode !== 'jogging'"
      />
      <AxisHome
        :machine="one"
        :axis="axis"
        :state="seen ? state : undefined"
        :busy="busy"
        :stand-in="now?.stand_in ?? false"
        :homings="homings[axis.id]"
        @soft="shown"
      >
        <button
          v-if="!state?.axes[axis.id]?.free"
          class="btn slim"
          data-test="free-one"
          :disabled="busy"
          @click="moves.free(chosen, axis)"
        >
          free
        </button>
        <button
          v-else
          class="btn slim"
          data-test="engage-one"
          :disabled="busy"
          @click="engage(axis)"
        >
          hold
        </button>
      </AxisHome>
      <AxisLimits
        v-if="typed[axis.id]"
        v-model="typed[axis.id]!"
        :along="one.along?.[axis.id] ?? []"
        :machine="chosen"
        :axis="axis"
        :state="state"
        :busy="busy"
        :homed="homed(axis)"
        :changed="changed"
        :said="said"
        @keep="keep"
      />
      <p class="small quiet">
        {{ +steps(axis).toFixed(4) }} motor steps per {{ unit(axis) }}, hard ends at
        {{ axis.hard[0] }} and {{ axis.hard[1] }}{{ spaced(axis) }}, on {{ axis.wire }}.
      </p>
    </section>
  </div>
</template>

<style scoped>
.lineup {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 326px;
  gap: var(--s12);
  height: 100%;
  min-height: 540px;
}
.axes {
  display: flex;
  flex-direction: column;
  padding: var(--s10) var(--s14);
  min-height: 0;
  overflow: auto;
}
header {
  display: flex;
  gap: var(--s14);
  align-items: baseline;
  padding-bottom: var(--s6);
}
header .btn {
  white-space: nowrap;
}
.when {
  margin-left: auto;
}
.axes > p {
  margin: 0 0 var(--s6);
}
.see {
  flex: 1;
}
.rows {
  flex: 1;
  display: grid;
}
.row {
  display: grid;
  grid-template-columns: 132px 92px minmax(0, 1fr);
  gap: var(--s10);
  align-items: center;
  border-top: 1px solid var(--rule);
  margin: 0 calc(-1 * var(--s14));
  padding: 0 var(--s14);
  cursor: pointer;
}
.here {
  background: var(--wash);
  box-shadow: inset 4px 0 0 var(--now);
}
.name {
  display: flex;
  flex-direction: column;
  line-height: 1.25;
  align-items: flex-start;
}
.pick {
  background: none;
  border: 0;
  padding: 0;
  color: var(--ink);
  font: 600 var(--t16)/1.15 var(--head);
  cursor: pointer;
}
.acts {
  display: flex;
  gap: var(--s6);
  margin-top: var(--s2);
}
.acts .btn {
  min-height: 20px;
  padding: 0 var(--s6);
  font-size: var(--t13);
}
.one {
  padding: var(--s8) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s4);
}
.one p {
  margin: 0;
}
.one h3 {
  margin-top: var(--s4);
  font-size: var(--t13);
}
.big {
  font: 700 var(--t30)/1 var(--text);
}
.big span {
  font: 400 var(--t16)/1 var(--text);
  margin-left: var(--s10);
}
.line {
  display: flex;
  gap: var(--s8);
  flex-wrap: wrap;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 1060px) {
  .lineup {
    grid-template-columns: minmax(0, 1fr) 270px;
  }
  header .small {
    display: none;
  }
}
@media (max-width: 820px) {
  .lineup {
    display: flex;
    flex-direction: column;
    height: auto;
  }
}
</style>
