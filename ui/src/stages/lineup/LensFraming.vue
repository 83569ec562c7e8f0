<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { LensDoc } from "../../api/client";
import { readNumber } from "../../shell/numbers";

// The sensor and its modes, digital zoom, an upright mounting, the stop that depth of field
// is worked out for, and where the entrance pupil lies.
const props = defineProps<{ lens: LensDoc }>();
const emit = defineEmits<{ write: [l: LensDoc] }>();
const mode = ref(""), crop = ref("1"), upright = ref(false), stop = ref(""), pupil = ref(""), wrong = ref("");
// What is typed stays while the same lens is fetched anew.
// A periscope or a probe looks from elsewhere than the camera, and perhaps elsewhere to.
const axis = ref({ right: "0", forward: "0", up: "0", turn: "0", tilt: "0" });
const pupils = ref<{ at: string; focal: string; mm: string }[]>([]);
const more = ref(false);
const mm = (m: number | undefined): string => String(+((m ?? 0) * 1000).toFixed(2));
watch(() => JSON.stringify(props.lens), () => {
  const l = props.lens;
  mode.value = l.framing?.mode ?? "";
  crop.value = String(l.framing?.crop || 1);
  upright.value = l.framing?.upright ?? false;
  stop.value = String(l.f_number);
  axis.value = { right: mm(l.optics?.right_m), forward: mm(l.optics?.forward_m), up: mm(l.optics?.up_m), turn: String(l.optics?.turn_deg ?? 0), tilt: String(l.optics?.tilt_deg ?? 0) };
  pupils.value = (l.pupils ?? []).map((x) => ({ at: String(x.distance_m), focal: x.focal_mm ? String(x.focal_mm) : "", mm: mm(x.pupil_m) }));
  pupil.value = String(+(l.pupil_m * 1000).toFixed(1));
}, { immediate: true });
const sensor = computed(() => `${props.lens.width_mm} × ${props.lens.height_mm} mm, ${props.lens.width_px} × ${props.lens.height_px}`);
function keep(): void {
  const c = readNumber(crop.value), f = readNumber(stop.value), p = readNumber(pupil.value);
  const o = [axis.value.right, axis.value.forward, axis.value.up, axis.value.turn, axis.value.tilt].map(readNumber) as [number, number, number, number, number];
  const pl = pupils.value.filter((x) => x.at.trim() || x.mm.trim()).map((x) => ({ distance_m: readNumber(x.at), focal_mm: x.focal.trim() ? readNumber(x.focal) : undefined, pupil_m: readNumber(x.mm) / 1000 }));
  wrong.value = ![c, f, p, ...o, ...pl.flatMap((x) => [x.distance_m, x.pupil_m, x.focal_mm ?? 0])].every(Number.isFinite) ? "Digital zoom, stop, pupil and the optical axis are numbers." : "";
  if (wrong.value) return;
  const framing = { mode: mode.value || undefined, crop: c === 1 ? undefined : c, upright: upright.value || undefined };
  const optics = o.some((v) => v !== 0) ? { right_m: o[0] / 1000, forward_m: o[1] / 1000, up_m: o[2] / 1000, turn_deg: o[3], tilt_deg: o[4] } : undefined;
  emit("write", { ...props.lens, f_number: f, pupil_m: p / 1000, optics, pupils: pl.length ? pl : undefined, framing: framing.mode || framing.crop || framing.upright ? framing : undefined });
}
</script>

<template>
  <form class="framing" @submit.prevent="keep">
    <h2 class="cap">The picture</h2>
    <div class="row small"><label>sensor <select v-model="mode" class="field" data-test="sensor-mode"><option value="">{{ sensor }}</option><option v-for="m in lens.modes ?? []" :key="m.name" :value="m.name">{{ m.name }}: {{ m.width_mm }} × {{ m.height_mm }} mm, {{ m.width_px }} × {{ m.height_px }}</option></select></label>
      <label>digital zoom <input v-model="crop" class="field n" inputmode="decimal" data-test="crop" />×</label>
      <label><input v-model="upright" type="checkbox" data-test="upright" /> mounted upright</label></div>
    <div class="row small"><label>stop f/<input v-model="stop" class="field n" inputmode="decimal" data-test="stop" /></label>
      <label>entrance pupil <input v-model="pupil" class="field n" inputmode="decimal" data-test="pupil" /> mm before the image plane</label><button type="button" class="link" data-test="optics" @click="more = !more">over focus, and probes …</button><button class="btn slim" data-test="framing-keep">Keep</button></div>
    <template v-if="more">
      <p class="quiet small">A periscope or probe: from the camera's image plane it seems to look from so far to the right, forward and up, turned to the right, then tipped up. Finder, aim, reach and what is in the way follow; its weight is a piece on the balance bench.</p>
      <div class="row small"><label>right <input v-model="axis.right" class="field n" inputmode="decimal" /></label><label>forward <input v-model="axis.forward" class="field n" inputmode="decimal" data-test="optic-forward" /></label><label>up <input v-model="axis.up" class="field n" inputmode="decimal" data-test="optic-up" /> mm</label><label>turned <input v-model="axis.turn" class="field n" inputmode="decimal" data-test="optic-turn" />°</label><label>tipped up <input v-model="axis.tilt" class="field n" inputmode="decimal" data-test="optic-tilt" />°</label></div>
      <div v-for="(x, i) in pupils" :key="i" class="row small"><label>focused at <input v-model="x.at" class="field n" inputmode="decimal" :data-test="'pupil-at-' + i" /> m</label><label>at <input v-model="x.focal" class="field n" inputmode="decimal" placeholder="its own" /> mm</label><label>the pupil lies <input v-model="x.mm" class="field n" inputmode="decimal" :data-test="'pupil-mm-' + i" /> mm before</label></div>
      <button type="button" class="link small" data-test="add-pupil" @click="pupils.push({ at: '', focal: '', mm: '' })">the pupil at another focus</button>
    </template>
    <p v-if="wrong" class="over" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.framing { border-top: 1px solid var(--rule); margin-top: 6px; padding-top: 6px; }
.row { display: flex; gap: 12px; flex-wrap: wrap; align-items: center; margin: 3px 0; }
select.field { max-width: 250px; }
.n { width: 52px; text-align: right; }
</style>
