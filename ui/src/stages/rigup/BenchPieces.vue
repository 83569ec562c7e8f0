<script setup lang="ts">
import { computed, ref } from "vue";
import type { BenchView } from "../../api/client";
import { answered } from "../../fields/typed";
import FieldInput from "../../fields/FieldInput.vue";
import { useBench } from "../../stores/bench";
import PackageEditor from "./PackageEditor.vue";

// What hangs on the head, counted from the tilt axis as the plate stands; the readings,
// and the arithmetic.
const props = defineProps<{ view: BenchView }>();
const bench = useBench();
const editing = ref(false);
const w = computed(() => props.view.sheet.weight!);
const r = computed(() => props.view.record);
const h = computed(() => props.view.head!);
const mm = (m: number): string => {
  const v = Math.round(m * 1000);
  return v < 0 ? `−${-v}` : `${v}`;
};
const at = (v: number, i: 0 | 1): number =>
  v +
  (i === 0 ? r.value.slide_mm - h.value.slide_axis_mm : r.value.rise_mm - h.value.rise_axis_mm) /
    1000;
function set(which: "slide_mm" | "rise_mm", e: Event): void {
  const f = e.target as HTMLInputElement,
    gave = f.value,
    n = Number(f.value.trim().replace(",", "."));
  if (!f.value.trim() || !Number.isFinite(n)) {
    bench.said = { text: "What does it read? Give millimetres.", tone: "over" };
    f.value = String(r.value[which]);
    return;
  }
  void bench.keep({ [which]: n }, "Set.").then((ok) => {
    if (!ok) answered(f, gave, String(r.value[which]));
  });
}
const off = computed(() => Math.max(w.value.off_forward_m, w.value.off_up_m) * 1000);
</script>

<template>
  <div>
    <div class="row small">
      <label
        >plate reads
        <FieldInput
          class="field n"
          :value="r.slide_mm"
          inputmode="decimal"
          data-test="reads-slide"
          @change="set('slide_mm', $event)"
        />
        mm</label
      >
      <label
        >riser reads
        <FieldInput
          class="field n"
          :value="r.rise_mm"
          inputmode="decimal"
          data-test="reads-rise"
          @change="set('rise_mm', $event)"
        />
        mm</label
      >
      <button class="link" data-test="edit-package" @click="editing = true">pieces …</button>
    </div>
    <table>
      <thead>
        <tr>
          <th>from the tilt axis</th>
          <th class="r">mass</th>
          <th class="r">forward</th>
          <th class="r">up</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(p, i) in bench.view?.package.load.pieces ?? []" :key="i">
          <td>{{ p.name || `piece ${i + 1}` }}</td>
          <td class="r">{{ p.mass_kg.toFixed(2) }} kg</td>
          <td class="r">{{ mm(at(p.at_m[1]!, 0)) }} mm</td>
          <td class="r">{{ mm(at(p.at_m[2]!, 1)) }} mm</td>
          <td class="r quiet">weighed</td>
        </tr>
        <tr v-if="w.rest">
          <td>the rest</td>
          <td class="r">{{ w.rest.mass_kg.toFixed(2) }} kg</td>
          <td class="r">{{ mm(w.rest.forward_m) }} mm</td>
          <td class="r">{{ mm(w.rest.up_m) }} mm</td>
          <td class="r quiet">worked out</td>
        </tr>
        <tr class="sum">
          <td>together</td>
          <td class="r">{{ w.mass_kg.toFixed(2) }} kg</td>
          <td class="r" data-test="bench-forward">{{ mm(w.forward_m) }} mm</td>
          <td class="r" data-test="bench-up">{{ mm(w.up_m) }} mm</td>
          <td class="r quiet">
            {{ w.guessed ? "mass guessed" : off > 0.5 ? `± ${off.toFixed(0)} mm` : "" }}
          </td>
        </tr>
      </tbody>
    </table>
    <p class="quiet small">
      Friction and cables hold it within {{ (w.band_m * 1000).toFixed(1) }} mm of the axis.
      {{ bench.view?.sheet.rating }}
    </p>
    <PackageEditor v-if="editing" @close="editing = false" />
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: var(--s14);
  align-items: baseline;
  border-top: 1px solid var(--rule);
  padding-top: var(--s6);
  margin-top: var(--s4);
}
.n {
  width: 58px;
  text-align: right;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td,
th {
  padding: var(--s2) var(--s4) var(--s2) 0;
}
.r {
  text-align: right;
}
.sum td {
  font-weight: 700;
  border-top: 1.5px solid var(--ink);
}
p {
  margin: var(--s4) 0 0;
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
</style>
