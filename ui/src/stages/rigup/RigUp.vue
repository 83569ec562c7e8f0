<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type LiveMachine, type MachineView } from "../../api/client";
import { mishaps } from "../../api/rules";
import { spaced, unit } from "../../drawing/axes";
import MachineDrawing from "../../drawing/MachineDrawing.vue";
import { useMoves } from "../../shell/moves";
import { useLive } from "../../stores/live";

// Every machine on the floor: drawn as it stands, what is seen on its wires, and,
// for stand-ins, what they can be told to have.
const live = useLive();
const moves = useMoves();
const machines = shallowRef<MachineView[]>([]);
const trouble = ref("");
const chosen = computed({ get: () => moves.looking, set: (id: string) => { moves.looking = id; } });
async function load(): Promise<void> {
  const r = await api.GET("/api/machines").catch(() => ({ data: undefined, error: undefined }));
  if (r.data) machines.value = r.data;
  else trouble.value = sentence(r.error);
}
onMounted(() => { live.each++; void load(); });
onBeforeUnmount(() => { live.each--; });

const now = computed<Record<string, LiveMachine>>(() => Object.fromEntries((live.now?.machines ?? []).map((m) => [m.machine, m])));
const one = computed(() => machines.value.find((m) => m.rig.id === chosen.value));
const state = computed(() => now.value[chosen.value]);
const seen = (id: string): boolean => !live.lost && (now.value[id]?.connected ?? false);
const homed = (id: string): boolean => seen(id) && Object.values(now.value[id]?.state.homed ?? {}).every(Boolean);
function says(id: string): { text: string; tone: string } {
  const m = now.value[id];
  if (!m || !seen(id)) return { text: "not seen", tone: "now" };
  if (m.state.emergency_stop) return { text: "emergency stop pressed", tone: "over" };
  if (Object.keys(m.state.faults ?? {}).length > 0) return { text: "drive fault", tone: "over" };
  if (!m.driving) return { text: "driven elsewhere, watched here", tone: "now" };
  if (m.state.mode !== "idle") return { text: m.state.mode, tone: "now" };
  return homed(id) ? { text: "seen, homed", tone: "good" } : { text: "seen, not homed", tone: "quiet" };
}
const sees: Record<string, string> = { output: "output", motor: "motor", nothing: "nothing" };

// A stand-in can be told what has happened to it, to see what the application says.
const what = ref<(typeof mishaps)[number]>("drive fault");
const axis = ref("");
const said = ref("");
watch(one, (m) => { axis.value = m?.rig.axes[0]?.id ?? ""; said.value = ""; });
async function pretend(on: boolean): Promise<void> {
  const m = one.value;
  if (!m) return;
  const id = axis.value && m.rig.axes.some((a) => a.id === axis.value) ? axis.value : m.rig.axes[0]?.id;
  const r = await api.POST("/api/machines/{id}/pretend", { params: { path: { id: m.rig.id } }, body: { what: what.value, axis: id, on, by: what.value === "lost steps" ? 1 : 0 } });
  said.value = r.error ? sentence(r.error) : "Told.";
}
</script>

<template>
  <div class="rigup">
    <p v-if="trouble" class="over" role="alert">{{ trouble }} <button class="btn slim" @click="load">Try again</button></p>
    <section class="floor" aria-label="Machines on the floor">
      <button
        v-for="m in machines" :key="m.rig.id" class="pick" :class="{ here: m.rig.id === chosen }" :aria-pressed="m.rig.id === chosen"
        :data-test="'choose-' + m.rig.id" @click="chosen = m.rig.id">
        <b>{{ m.rig.name }}</b><span class="small" :class="says(m.rig.id).tone">{{ says(m.rig.id).text }}</span>
      </button>
    </section>
    <template v-if="one">
      <MachineDrawing :key="one.rig.id" class="draw" :sheet="one.sheet" :joints="seen(chosen) ? state?.joints ?? [] : []"
        :name="one.rig.name" :known="homed(chosen)" />
      <section class="box side">
        <h2 class="cap">{{ one.rig.name }}, version {{ one.rig.version }}</h2>
        <p v-if="seen(chosen)" class="good">
          It answers on {{ one.rig.axes.length }} axes.
          <template
            v-if="state?.stand_in">It is a stand-in that ships with the application: a simulated machine in a process of its own.</template>
        </p>
        <p v-else class="now" role="status">
          {{ one.rig.name }} is not seen: {{ state?.why || "the application does not answer" }}. It is looked for all the time.
        </p>
        <p v-if="seen(chosen) && !state?.driving"
          class="now">Another copy of Keen Arc drives it. This one watches, and acknowledges nothing.</p>
        <p v-if="seen(chosen) && !homed(chosen)" class="quiet">Drawn dashed: what is not homed is only counted, not known.</p>
        <div class="row">
          <button class="btn slim" data-test="home-machine" :disabled="!seen(chosen) || !state?.driving || state?.state.mode !== 'idle'"
            @click="moves.home(chosen)">
            Home {{ one.rig.name }}
          </button>
        </div>
        <p>Lock pins out. Camera and lens on a safety line. Cables tied, with loops for the whole travel. Nobody within {{ one.rig.clear_m }} m of it.</p>
        <p
          class="quiet">Electrical supply, rigging and platforms are for competent or licensed people under local codes and the maker's manual.</p>
        <form v-if="state?.stand_in" class="small try" @submit.prevent="pretend(true)">
          <span>Try out on the stand-in:</span>
          <select v-model="what" class="field" data-test="mishap" aria-label="What it has"><option v-for="w in mishaps"
            :key="w">{{ w }}</option></select>
          <select v-if="what !== 'emergency stop'" v-model="axis" class="field" data-test="mishap-axis" aria-label="On which axis">
            <option v-for="a in one.rig.axes" :key="a.id" :value="a.id">{{ a.name }}</option>
          </select>
          <button class="btn slim" type="submit" data-test="mishap-on">It has</button>
          <button class="btn slim" type="button" data-test="mishap-off" :disabled="what === 'hard end' || what === 'lost steps'"
            @click="pretend(false)">It is over</button>
          <span class="quiet" role="status">{{ said }}</span>
        </form>
      </section>
      <section class="box wires scroll" tabindex="0" aria-label="Wires">
        <table>
          <caption class="quiet small">What is seen on each wire</caption>
          <thead><tr><th>wire</th><th>axis</th><th>seen</th><th>motor steps per unit</th><th>working speed, acceleration</th>
            <th>rated</th><th>slack</th><th>feedback sees</th></tr></thead>
          <tbody>
            <tr v-for="a in one.rig.axes" :key="a.id">
              <td>{{ a.wire }}</td><td><b>{{ a.name }}</b> <span class="quiet small">{{ a.kind }}</span></td>
              <td :class="seen(chosen) ? 'good' : 'now'">{{ seen(chosen) ? "✓ seen" : "not seen" }}</td>
              <td>{{ a.steps_per_unit.num }}{{ a.steps_per_unit.den === 1 ? "" : `/${a.steps_per_unit.den}` }} per {{ unit(a) }}</td>
              <td>{{ a.working.speed }}{{ spaced(a) }}/s, {{ a.working.acceleration }}{{ spaced(a) }}/s²</td>
              <td>{{ a.rated.speed }}, {{ a.rated.acceleration }}</td><td>{{ a.backlash }}{{ spaced(a) }}</td>
                <td>{{ sees[a.feedback] }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </div>
</template>

<style scoped>
.rigup { display: grid; grid-template: auto minmax(260px, 1.35fr) minmax(150px, 1fr) / minmax(0, 1.7fr) minmax(300px, 1fr); gap: 12px; height: 100%; min-height: 560px; }
.floor, .wires, .over { grid-column: 1 / -1; }
.floor { display: flex; gap: 10px; flex-wrap: wrap; }
.pick { flex: 1; min-width: 150px; text-align: left; border: 1px solid var(--ink); background: var(--sheet); color: var(--ink); padding: 8px 14px; cursor: pointer; font: inherit; display: flex; flex-direction: column; gap: 2px; }
html.blackout .pick { border-color: var(--rule); }
.pick b { font: 600 20px/1.1 var(--head); }
.pick.here { background: var(--wash); box-shadow: inset 0 -4px 0 var(--now); }
.side { padding: 12px 18px; overflow: auto; }
.side p { margin: 8px 0; }
.wires { padding: 4px 18px 10px; }
.row { display: flex; gap: 8px; }
.try { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; border-top: 1px solid var(--rule); padding-top: 8px; }
caption { text-align: left; padding: 4px 0; }
html.paper .quiet, html.paper th { color: #4d5a67; }
@media (max-width: 900px) { .rigup { grid-template: none / 1fr; height: auto; } .draw { height: 320px; } }
</style>
