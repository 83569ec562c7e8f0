<script setup lang="ts">
import { ref } from "vue";
import type { LiveMachine, RigSheet } from "../../api/client";
import { spaced } from "../../stores/axes";
import AxisEditor from "./AxisEditor.vue";

// The axes with their gearing; one is opened to be changed, or to be scaled by measuring.
defineProps<{ sheet: RigSheet; live?: LiveMachine; seen: boolean }>();
const opened = ref("");
const sees: Record<string, string> = {
  output: "sees its output",
  motor: "sees the motor",
  nothing: "sees nothing",
};
</script>

<template>
  <div class="scroll" tabindex="0" aria-label="Axes">
    <table>
      <thead>
        <tr>
          <th>axis</th>
          <th>gearing</th>
          <th>between its hard ends</th>
          <th>rated, working</th>
          <th>slack, repeats</th>
          <th>homed by</th>
          <th>power off</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="a in sheet.rig.axes" :key="a.id" :data-test="'book-' + a.id">
          <td class="name">
            <b>{{ a.name }}</b> <span class="quiet small">{{ a.kind }}, {{ a.wire }}</span>
          </td>
          <td>{{ sheet.gears[a.id] }}</td>
          <td>
            {{ a.hard[0] }} to {{ a.hard[1] }}{{ spaced(a)
            }}<span v-if="a.unit === 'deg' && a.hard[1]! - a.hard[0]! > 360" class="quiet small">
              · {{ ((a.hard[1]! - a.hard[0]!) / 360).toFixed(1) }} turns</span
            >
          </td>
          <td>{{ a.rated.speed }}, {{ a.working.speed }}{{ spaced(a) }}/s</td>
          <td>
            {{ a.backlash }}, {{ a.repeatability }}{{ spaced(a)
            }}<span class="quiet small"> · {{ sees[a.feedback] }}</span>
          </td>
          <td>{{ a.home }}</td>
          <td>{{ a.drive ? (a.drive.slips_back ? "slips back" : "holds") : "?" }}</td>
          <td>
            <button class="btn slim" :data-test="'open-' + a.id" @click="opened = a.id">
              open
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <AxisEditor
      v-if="opened"
      :sheet="sheet"
      :axis-id="opened"
      :live="live"
      :seen="seen"
      @close="opened = ''"
    />
  </div>
</template>

<style scoped>
.scroll {
  min-height: 0;
  flex: 1;
}
td {
  padding: var(--s4) var(--s8) var(--s4) 0;
}
.name {
  white-space: nowrap;
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
</style>
