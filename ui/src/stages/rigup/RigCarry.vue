<script setup lang="ts">
import { computed } from "vue";
import type { RigSheet } from "../../api/client";

// What is carried, by whom and in what; and what hangs on it: cables, lock pins, power.
const props = defineProps<{ sheet: RigSheet; cables: boolean }>();
const book = computed(() => props.sheet.rig.book);
const payload = computed(() =>
  Object.entries(book.value?.payload_kg ?? {})
    .map(([m, kg]) => `${kg} kg ${m}`)
    .join(", "),
);
const watts = computed(() => props.sheet.power);
</script>

<template>
  <div class="scroll two" tabindex="0" :aria-label="cables ? 'Cables' : 'Carry list'">
    <template v-if="!cables">
      <table v-if="book?.parts?.length">
        <thead>
          <tr>
            <th>part</th>
            <th>each</th>
            <th>how many</th>
            <th>people to each</th>
            <th>goes in</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in book.parts" :key="p.name">
            <td>{{ p.name }}</td>
            <td>{{ p.kg }} kg</td>
            <td>{{ p.count }}</td>
            <td>{{ p.people }}</td>
            <td>{{ p.vehicle || "?" }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">Nobody has written down its parts.</p>
      <div>
        <p class="big" data-test="carry">
          {{ sheet.carry.kg.toFixed(0) }} kg in {{ sheet.carry.lifts }}
          {{ sheet.carry.lifts === 1 ? "lift" : "lifts" }}; the heaviest takes
          {{ sheet.carry.people }} people.
        </p>
        <p v-for="v in sheet.carry.vehicles" :key="v.vehicle">
          {{ v.vehicle }}: {{ v.kg.toFixed(0) }} kg, {{ v.lifts }} lifts
        </p>
        <p v-for="h in sheet.carry.heavy" :key="h" class="now">
          {{ h }}: more than 25 kg a head. One more pair of hands, or a lift.
        </p>
        <p v-if="payload">Carries {{ payload }}, by its maker's rating.</p>
        <p class="quiet">
          What one person may lift is for local rules and for those who answer for the crew.
        </p>
      </div>
    </template>
    <template v-else>
      <div>
        <h3 class="cap">Loops and wraps</h3>
        <p v-for="l in sheet.loops" :key="l.cable" :class="{ now: !l.ok }" data-test="loop">
          {{ l.ok ? "✓" : "✕" }} {{ l.says }}
        </p>
        <p v-if="!sheet.loops.length" class="quiet">Nobody has written down its cables.</p>
        <h3 class="cap">Lock pins, out before power</h3>
        <p v-for="p in book?.lock_pins ?? []" :key="p.name">
          {{ p.name }}, on {{ sheet.rig.axes.find((a) => a.id === p.axis)?.name }}
        </p>
      </div>
      <div>
        <h3 class="cap">Wires</h3>
        <p v-for="w in book?.wires ?? []" :key="w.name">
          {{ w.name }}, {{ w.kind }}{{ w.address ? ` at ${w.address}` : "" }}: {{ w.cable_m }} m of
          cable for {{ w.run_m }} m
        </p>
        <h3 class="cap">Power</h3>
        <p class="big">
          {{ watts.rated.toFixed(0) }} W rated, {{ watts.peak.toFixed(0) }} at peak.
        </p>
        <p class="quiet">{{ watts.standby }} W at rest. Supplies are for licensed people.</p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr);
  gap: var(--s24);
  min-height: 0;
  flex: 1;
  align-items: start;
}
.big {
  font: 600 var(--t16)/1.1 var(--head);
}
p {
  margin: var(--s2) 0;
}
td {
  padding: var(--s2) var(--s8) var(--s2) 0;
}
h3 {
  font-size: var(--t13);
  margin-top: var(--s6);
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
</style>
