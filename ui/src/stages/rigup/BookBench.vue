<script setup lang="ts">
import { ref } from "vue";
import type { RigDoc } from "../../api/client";
import { needNumber } from "../../fields/numbers";

// What a camera is balanced on: a head's plate and riser, a crane's tail, an arm's wrist.
// Left empty, there is none. The parent asks for it with take().
const props = defineProps<{ doc: RigDoc }>();
const b = props.doc.book;
const t = (v: number | undefined): string => (v === undefined ? "" : String(v));
const h = b?.head,
  c = b?.crane,
  w = b?.wrist;
const head = ref({
  axis: h?.axis ?? "",
  s0: t(h?.slide_mm[0]),
  s1: t(h?.slide_mm[1]),
  sa: t(h?.slide_axis_mm),
  r0: t(h?.rise_mm[0]),
  r1: t(h?.rise_mm[1]),
  ra: t(h?.rise_axis_mm),
  friction: t(h?.friction_nm),
  cable: t(h?.cable_nm),
  slope: t(h?.slope_deg),
});
const crane = ref({
  on: !!c,
  arm: c?.arm ?? "",
  tail: t(c?.tail_m),
  boom: t(c?.boom_kgm),
  armKg: t(c?.arm_kg),
  head: t(c?.head_m),
  headKg: t(c?.head_kg),
});
const wrist = ref({ joint: w?.joint ?? "", free: t(w?.free_n) });
const or = (x: string, what: string): number => (x.trim() ? needNumber(x, what) : 0);
function take(): Pick<NonNullable<RigDoc["book"]>, "head" | "crane" | "wrist"> {
  const a = head.value,
    k = crane.value;
  return {
    head: a.axis
      ? {
          axis: a.axis,
          slide_mm: [needNumber(a.s0, "Plate from"), needNumber(a.s1, "Plate to")],
          rise_mm: [needNumber(a.r0, "Riser from"), needNumber(a.r1, "Riser to")],
          slide_axis_mm: needNumber(a.sa, "Plate over the axis"),
          rise_axis_mm: needNumber(a.ra, "Riser over the axis"),
          friction_nm: or(a.friction, "Friction"),
          cable_nm: or(a.cable, "Cable pull"),
          slope_deg: or(a.slope, "Slope") || undefined,
        }
      : undefined,
    crane: k.on
      ? {
          arm: k.arm || undefined,
          tail_m: needNumber(k.tail, "Tail"),
          boom_kgm: needNumber(k.boom, "Boom"),
          arm_kg: or(k.armKg, "Arm") || undefined,
          head_m: needNumber(k.head, "Head from the pivot"),
          head_kg: or(k.headKg, "Head") || undefined,
        }
      : undefined,
    wrist: wrist.value.joint
      ? { joint: wrist.value.joint, free_n: or(wrist.value.free, "Hidden force") || undefined }
      : undefined,
  };
}
defineExpose({ take });
</script>

<template>
  <div>
    <h3 class="cap">A head that is balanced</h3>
    <div class="line">
      <label
        >tilts on
        <select v-model="head.axis" class="field" data-test="head-axis">
          <option value="">none</option>
          <option
            v-for="a in doc.axes.filter((x) => x.unit === 'deg' && x.kind === 'rotary')"
            :key="a.id"
            :value="a.id"
          >
            {{ a.name }}
          </option>
        </select></label
      >
      <template v-if="head.axis"
        ><label
          >plate reads
          <input v-model="head.s0" class="field n" data-test="head-s0" aria-label="Plate from" /> to
          <input v-model="head.s1" class="field n" data-test="head-s1" aria-label="Plate to" /> mm,
          over the axis at
          <input
            v-model="head.sa"
            class="field n"
            data-test="head-sa"
            aria-label="Plate over the axis"
        /></label>
        <label
          >riser reads
          <input v-model="head.r0" class="field n" data-test="head-r0" aria-label="Riser from" /> to
          <input v-model="head.r1" class="field n" data-test="head-r1" aria-label="Riser to" /> mm,
          on the axis at
          <input
            v-model="head.ra"
            class="field n"
            data-test="head-ra"
            aria-label="Riser on the axis"
        /></label>
        <label
          >friction <input v-model="head.friction" class="field n" data-test="head-friction" /> N
          m</label
        ><label>cable pull <input v-model="head.cable" class="field n" /> N m</label
        ><label
          >pan tipped from the vertical <input v-model="head.slope" class="field n" />°</label
        ></template
      >
    </div>
    <h3 class="cap">A crane's tail</h3>
    <div class="line">
      <label
        ><input v-model="crane.on" type="checkbox" data-test="crane-on" /> weights hang behind a
        pivot</label
      >
      <template v-if="crane.on"
        ><label
          ><input v-model="crane.tail" class="field n" aria-label="Metres behind the pivot" /> m
          behind it</label
        ><label
          >the boom lacks
          <input v-model="crane.boom" class="field n" aria-label="Kilogram metres" /> kg m by
          itself</label
        ><label
          >head <input v-model="crane.head" class="field n" aria-label="Head from the pivot" /> m
          from it</label
        ><label
          >and weighs
          <input v-model="crane.headKg" class="field n" aria-label="Head's weight" /> kg</label
        >
        <label
          >longer by
          <select v-model="crane.arm" class="field">
            <option value="">nothing</option>
            <option v-for="a in doc.axes.filter((x) => x.unit === 'mm')" :key="a.id" :value="a.id">
              {{ a.name }}
            </option>
          </select></label
        ><label
          >which weighs
          <input v-model="crane.armKg" class="field n" aria-label="Arm's weight" /> kg</label
        ></template
      >
    </div>
    <h3 class="cap">A powered arm's wrist</h3>
    <div class="line">
      <label
        >feels at
        <select v-model="wrist.joint" class="field" data-test="wrist-joint">
          <option value="">none</option>
          <option
            v-for="j in doc.joints.filter((x) => x.kind === 'revolute')"
            :key="j.name"
            :value="j.name"
          >
            {{ j.name }}
          </option>
        </select></label
      ><label v-if="wrist.joint"
        >brakes and gears hide <input v-model="wrist.free" class="field n" /> N</label
      >
    </div>
  </div>
</template>

<style scoped>
h3 {
  font-size: var(--t13);
  margin: var(--s8) 0 var(--s2);
}
.line {
  display: flex;
  gap: var(--s8) var(--s14);
  flex-wrap: wrap;
  align-items: center;
  margin: var(--s2) 0;
  font-size: var(--t13);
}
.n {
  width: 52px;
  text-align: right;
}
.field {
  min-height: 24px;
  padding: var(--s1) var(--s4);
}
</style>
