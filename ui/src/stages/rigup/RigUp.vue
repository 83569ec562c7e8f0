<script setup lang="ts">
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";

const shot = useShot();
const live = useLive();
const unit = (u: string): string => (u === "mm" ? "mm" : "°");
const sees: Record<string, string> = { output: "output", motor: "motor", nothing: "nothing" };
</script>

<template>
  <div v-if="shot.view" class="rigup">
    <section class="box">
      <h2 class="cap">Connect</h2>
      <p v-if="live.connected" class="good">{{ shot.view.rig.name }}, version {{ shot.view.rig.version }}, answers. It is a stand-in that ships with the application: a simulated machine in a process of its own.</p>
      <p v-else class="now" role="status">{{ shot.view.rig.name }} is not seen: {{ live.now?.floor.why || "the application does not answer" }}. It is looked for all the time.</p>
      <div class="scroll">
        <table>
          <caption class="quiet small">What is seen on each wire</caption>
          <thead><tr><th>wire</th><th>axis</th><th>seen</th><th>motor steps per unit</th><th>working speed, acceleration</th><th>rated</th><th>slack</th><th>feedback sees</th></tr></thead>
          <tbody>
            <tr v-for="a in shot.axes" :key="a.id">
              <td>{{ a.wire }}</td><td><b>{{ a.name }}</b></td><td :class="live.connected ? 'good' : 'now'">{{ live.connected ? "✓ seen" : "not seen" }}</td>
              <td>{{ a.steps_per_unit.num }}{{ a.steps_per_unit.den === 1 ? "" : `/${a.steps_per_unit.den}` }} per {{ unit(a.unit) }}</td>
              <td>{{ a.working.speed }} {{ unit(a.unit) }}/s, {{ a.working.acceleration }} {{ unit(a.unit) }}/s²</td>
              <td>{{ a.rated.speed }}, {{ a.rated.acceleration }}</td><td>{{ a.backlash }} {{ unit(a.unit) }}</td><td>{{ sees[a.feedback] }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <section class="box">
      <h2 class="cap">Before power</h2>
      <p>Lock pins out. Camera and lens on a safety line. Cables tied, with loops for the whole travel. Nobody within {{ shot.view.rig.clear_m }} m of the rail.</p>
      <p class="quiet">Electrical supply, rigging and platforms are for competent or licensed people under local codes and the maker's manual.</p>
    </section>
  </div>
</template>

<style scoped>
.rigup { display: grid; gap: 12px; }
section { padding: 14px 20px; }
caption { text-align: left; padding: 4px 0; }
html.paper .quiet, html.paper th { color: #4d5a67; }
</style>
