<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { LensDoc } from "../../api/client";

// The sensor and its modes, digital zoom, an upright mounting, the stop that depth of field
// is worked out for, and where the entrance pupil lies.
const props = defineProps<{ lens: LensDoc }>();
const emit = defineEmits<{ write: [l: LensDoc] }>();
const mode = ref(""), crop = ref("1"), upright = ref(false), stop = ref(""), pupil = ref(""), wrong = ref("");
// What is typed stays while the same lens is fetched anew.
watch(() => JSON.stringify(props.lens), () => {
  const l = props.lens;
  mode.value = l.framing?.mode ?? "";
  crop.value = String(l.framing?.crop || 1);
  upright.value = l.framing?.upright ?? false;
  stop.value = String(l.f_number);
  pupil.value = String(+(l.pupil_m * 1000).toFixed(1));
}, { immediate: true });
const num = (t: string): number => Number(t.trim().replace("−", "-").replace(",", ".") || "NaN");
const sensor = computed(() => `${props.lens.width_mm} × ${props.lens.height_mm} mm, ${props.lens.width_px} × ${props.lens.height_px}`);
function keep(): void {
  const c = num(crop.value), f = num(stop.value), p = num(pupil.value);
  wrong.value = ![c, f, p].every(Number.isFinite) ? "Digital zoom, stop and pupil are numbers." : "";
  if (wrong.value) return;
  const framing = { mode: mode.value || undefined, crop: c === 1 ? undefined : c, upright: upright.value || undefined };
  emit("write", { ...props.lens, f_number: f, pupil_m: p / 1000, framing: framing.mode || framing.crop || framing.upright ? framing : undefined });
}
</script>

<template>
  <form class="framing" @submit.prevent="keep">
    <h2 class="cap">The picture</h2>
    <div class="row small"><label>sensor <select v-model="mode" class="field" data-test="sensor-mode"><option value="">{{ sensor }}</option><option v-for="m in lens.modes ?? []" :key="m.name" :value="m.name">{{ m.name }}: {{ m.width_mm }} × {{ m.height_mm }} mm, {{ m.width_px }} × {{ m.height_px }}</option></select></label>
      <label>digital zoom <input v-model="crop" class="field n" inputmode="decimal" data-test="crop" />×</label>
      <label><input v-model="upright" type="checkbox" data-test="upright" /> mounted upright</label></div>
    <div class="row small"><label>stop f/<input v-model="stop" class="field n" inputmode="decimal" data-test="stop" /></label>
      <label>entrance pupil <input v-model="pupil" class="field n" inputmode="decimal" data-test="pupil" /> mm before the image plane</label><button class="btn slim" data-test="framing-keep">Keep</button></div>
    <p v-if="wrong" class="over" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.framing { border-top: 1px solid var(--rule); margin-top: 6px; padding-top: 6px; }
.row { display: flex; gap: 12px; flex-wrap: wrap; align-items: center; margin: 3px 0; }
select.field { max-width: 250px; }
.n { width: 52px; text-align: right; }
</style>
