<script setup lang="ts">
import { computed, ref } from "vue";
import type { LensDoc } from "../../api/client";
import { readNumber } from "../../fields/numbers";
import type { FieldChange } from "../../stores/documents";
import { useDraft } from "../../stores/draft";
import type { Kept } from "../../stores/site";

// The sensor and its modes, digital zoom, an upright mounting, the stop that depth of field
// is worked out for, and where the entrance pupil lies.
const props = defineProps<{
  lens: LensDoc;
  of: string;
  version: number;
  write: (changes: FieldChange[]) => Promise<Kept>;
}>();
const wrong = ref("");
type Pupil = { at: string; focal: string; mm: string };
const more = ref(false);
const mm = (m: number | undefined): string => String(+((m ?? 0) * 1000).toFixed(2));
// A periscope or a probe looks from elsewhere than the camera, and perhaps elsewhere to.
const draft = useDraft(() => {
  const l = props.lens;
  return {
    of: props.of,
    version: props.version,
    form: {
      mode: l.framing?.mode ?? "",
      crop: String(l.framing?.crop || 1),
      upright: l.framing?.upright ?? false,
      stop: String(l.f_number),
      pupil: String(+(l.pupil_m * 1000).toFixed(1)),
      right: mm(l.optics?.right_m),
      forward: mm(l.optics?.forward_m),
      up: mm(l.optics?.up_m),
      turn: String(l.optics?.turn_deg ?? 0),
      tilt: String(l.optics?.tilt_deg ?? 0),
      pupils: (l.pupils ?? []).map((x): Pupil => ({
        at: String(x.distance_m),
        focal: x.focal_mm ? String(x.focal_mm) : "",
        mm: mm(x.pupil_m),
      })),
    },
  };
});
const f = draft.f;
const sensor = computed(
  () =>
    `${props.lens.width_mm} × ${props.lens.height_mm} mm, ${props.lens.width_px} × ` +
    `${props.lens.height_px}`,
);
function docOf(f: typeof draft.f.value): { lens: LensDoc } {
  const [c, stop, p, ...o] = [
    f.crop,
    f.stop,
    f.pupil,
    f.right,
    f.forward,
    f.up,
    f.turn,
    f.tilt,
  ].map(readNumber) as [number, number, number, number, number, number, number, number];
  const pl = f.pupils
    .filter((x) => x.at.trim() || x.mm.trim())
    .map((x) => ({
      distance_m: readNumber(x.at),
      focal_mm: x.focal.trim() ? readNumber(x.focal) : undefined,
      pupil_m: readNumber(x.mm) / 1000,
    }));
  if (
    ![c, stop, p, ...o, ...pl.flatMap((x) => [x.distance_m, x.pupil_m, x.focal_mm ?? 0])].every(
      Number.isFinite,
    )
  )
    throw new Error("Digital zoom, stop, pupil and the optical axis are numbers.");
  const framing = {
    mode: f.mode || undefined,
    crop: c === 1 ? undefined : c,
    upright: f.upright || undefined,
  };
  const optics = o.some((v) => v !== 0)
    ? {
        right_m: o[0]! / 1000,
        forward_m: o[1]! / 1000,
        up_m: o[2]! / 1000,
        turn_deg: o[3]!,
        tilt_deg: o[4]!,
      }
    : undefined;
  return {
    lens: {
      ...props.lens,
      f_number: stop,
      pupil_m: p / 1000,
      optics,
      pupils: pl.length ? pl : undefined,
      framing: framing.mode || framing.crop || framing.upright ? framing : undefined,
    },
  };
}
async function keep(): Promise<void> {
  wrong.value = "";
  try {
    await draft.keep(docOf, props.write);
  } catch (e) {
    wrong.value = (e as Error).message;
  }
}
</script>

<template>
  <form class="framing" @submit.prevent="keep">
    <h2 class="cap">The picture</h2>
    <div class="row small">
      <label
        >sensor
        <select v-model="f.mode" class="field" data-test="sensor-mode">
          <option value="">{{ sensor }}</option>
          <option v-for="m in lens.modes ?? []" :key="m.name" :value="m.name">
            {{ m.name }}: {{ m.width_mm }} × {{ m.height_mm }} mm, {{ m.width_px }} ×
            {{ m.height_px }}
          </option>
        </select></label
      >
      <label
        >digital zoom
        <input v-model="f.crop" class="field n" inputmode="decimal" data-test="crop" />×</label
      >
      <label
        ><input v-model="f.upright" type="checkbox" data-test="upright" /> mounted upright</label
      >
    </div>
    <div class="row small">
      <label
        >stop f/<input v-model="f.stop" class="field n" inputmode="decimal" data-test="stop"
      /></label>
      <label
        >entrance pupil
        <input v-model="f.pupil" class="field n" inputmode="decimal" data-test="pupil" /> mm before
        the image plane</label
      ><button type="button" class="link" data-test="optics" @click="more = !more">
        over focus, and probes …</button
      ><button class="btn slim" data-test="framing-keep">Keep</button>
    </div>
    <template v-if="more">
      <p class="quiet small">
        A periscope or probe: from the camera's image plane it seems to look from so far to the
        right, forward and up, turned to the right, then tipped up. Finder, aim, reach and what is
        in the way follow; its weight is a piece on the balance bench.
      </p>
      <div class="row small">
        <label>right <input v-model="f.right" class="field n" inputmode="decimal" /></label
        ><label
          >forward
          <input
            v-model="f.forward"
            class="field n"
            inputmode="decimal"
            data-test="optic-forward" /></label
        ><label
          >up
          <input v-model="f.up" class="field n" inputmode="decimal" data-test="optic-up" />
          mm</label
        ><label
          >turned
          <input
            v-model="f.turn"
            class="field n"
            inputmode="decimal"
            data-test="optic-turn"
          />°</label
        ><label
          >tipped up
          <input
            v-model="f.tilt"
            class="field n"
            inputmode="decimal"
            data-test="optic-tilt"
          />°</label
        >
      </div>
      <div v-for="(x, i) in f.pupils" :key="i" class="row small">
        <label
          >focused at
          <input v-model="x.at" class="field n" inputmode="decimal" :data-test="'pupil-at-' + i" />
          m</label
        ><label
          >at
          <input v-model="x.focal" class="field n" inputmode="decimal" placeholder="its own" />
          mm</label
        ><label
          >the pupil lies
          <input v-model="x.mm" class="field n" inputmode="decimal" :data-test="'pupil-mm-' + i" />
          mm before</label
        >
      </div>
      <button
        type="button"
        class="link small"
        data-test="add-pupil"
        @click="f.pupils.push({ at: '', focal: '', mm: '' })"
      >
        the pupil at another focus
      </button>
    </template>
    <p v-if="wrong" class="over" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.framing {
  border-top: 1px solid var(--rule);
  margin-top: var(--s6);
  padding-top: var(--s6);
}
.row {
  display: flex;
  gap: var(--s12);
  flex-wrap: wrap;
  align-items: center;
  margin: var(--s2) 0;
}
select.field {
  max-width: 250px;
}
.n {
  width: 52px;
  text-align: right;
}
</style>
