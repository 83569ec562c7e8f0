<script setup lang="ts">
import { computed, ref } from "vue";
import type { CameraPackage } from "../../api/client";
import { useBench } from "../../stores/bench";
import { useDraft } from "../../stores/draft";

// The pieces of a camera package, counted from the plate's zero; written as a version of it,
// or as another package.
const emit = defineEmits<{ close: [] }>();
const bench = useBench();
const pack = computed(() => bench.view!.package);
const t = (m: number): string => String(+(m * 1000).toFixed(2));
type Row = { name: string; kg: string; right: string; forward: string; up: string };
const draft = useDraft(() => {
  const l = pack.value.load;
  const rows: Row[] = l.pieces.map((p) => ({
    name: p.name,
    kg: String(p.mass_kg),
    right: t(p.at_m[0]!),
    forward: t(p.at_m[1]!),
    up: t(p.at_m[2]!),
  }));
  return {
    of: pack.value.id,
    version: pack.value.version,
    form: {
      name: pack.value.name,
      rows: rows.length ? rows : [{ name: "", kg: "", right: "0", forward: "", up: "" }],
      whole: l.whole_kg?.toString() ?? "",
      front: l.front_m ? t(l.front_m) : "",
      under: l.under_m ? t(l.under_m) : "",
    },
  };
});
const f = draft.f;
const wrong = ref("");
function num(x: string, what: string, by = 1): number {
  const n = Number(x.trim().replace("−", "-").replace(",", "."));
  if (x.trim() === "" || !Number.isFinite(n)) throw new Error(`${what}: “${x}” is not a number.`);
  return n / by;
}
function docOf(f: typeof draft.f.value): { name: string; load: CameraPackage["load"] } {
  const pieces = f.rows
    .filter((r) => r.name.trim() || r.kg.trim())
    .map((r, i) => {
      const n = r.name.trim() || `piece ${i + 1}`;
      return {
        name: r.name.trim(),
        mass_kg: num(r.kg, n),
        at_m: [num(r.right || "0", n, 1000), num(r.forward, n, 1000), num(r.up, n, 1000)],
      };
    });
  return {
    name: f.name.trim(),
    load: {
      pieces,
      whole_kg: f.whole.trim() ? num(f.whole, "All of it") : undefined,
      front_m: f.front.trim() ? num(f.front, "Before the axis", 1000) : undefined,
      under_m: f.under.trim() ? num(f.under, "Under the axis", 1000) : undefined,
    },
  };
}
async function keep(copy: boolean): Promise<void> {
  wrong.value = "";
  try {
    const ok = copy
      ? await bench.copy(docOf(f.value))
      : (await draft.keep(docOf, (changes) => bench.write(changes))) === "kept";
    if (ok) emit("close");
    else wrong.value = bench.said.text;
  } catch (e) {
    wrong.value = (e as Error).message;
  }
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="760"
    @update:model-value="
      (x: boolean) => {
        if (!x) emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" aria-labelledby="pack-title">
      <h2 id="pack-title">What hangs on it</h2>
      <form @submit.prevent="keep(false)">
        <label class="line"
          >package <input v-model="f.name" class="field wide" maxlength="60" data-test="pack-name"
        /></label>
        <p class="quiet small">
          Places are counted from the plate's zero, to each piece's own centre, with the camera
          level: to the right, forward, up. The readings of plate and riser carry them to the axis.
        </p>
        <table>
          <thead>
            <tr>
              <th>piece</th>
              <th>kg</th>
              <th>right, mm</th>
              <th>forward, mm</th>
              <th>up, mm</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(r, i) in f.rows" :key="i">
              <td>
                <input
                  v-model="r.name"
                  class="field wide"
                  :aria-label="`Piece ${i + 1}`"
                  :data-test="'piece-name-' + i"
                />
              </td>
              <td>
                <input
                  v-model="r.kg"
                  class="field n"
                  inputmode="decimal"
                  :aria-label="`Kilograms of piece ${i + 1}`"
                  :data-test="'piece-kg-' + i"
                />
              </td>
              <td>
                <input
                  v-model="r.right"
                  class="field n"
                  inputmode="decimal"
                  :aria-label="`Piece ${i + 1} to the right`"
                />
              </td>
              <td>
                <input
                  v-model="r.forward"
                  class="field n"
                  inputmode="decimal"
                  :aria-label="`Piece ${i + 1} forward`"
                  :data-test="'piece-forward-' + i"
                />
              </td>
              <td>
                <input
                  v-model="r.up"
                  class="field n"
                  inputmode="decimal"
                  :aria-label="`Piece ${i + 1} up`"
                  :data-test="'piece-up-' + i"
                />
              </td>
              <td>
                <button
                  type="button"
                  class="link"
                  :data-test="'piece-off-' + i"
                  @click="f.rows.splice(i, 1)"
                >
                  off
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <button
          type="button"
          class="link"
          data-test="add-piece"
          @click="f.rows.push({ name: '', kg: '', right: '0', forward: '', up: '' })"
        >
          another piece
        </button>
        <div class="line">
          <label
            >all of it weighs
            <input v-model="f.whole" class="field n" inputmode="decimal" data-test="pack-whole" />
            kg, from a scale</label
          ><span class="quiet small"
            >what the pieces lack of it is worked out from what the head does</span
          >
        </div>
        <div class="line">
          <label
            >its bulk reaches
            <input v-model="f.front" class="field n" inputmode="decimal" data-test="pack-front" />
            mm before the plate's zero</label
          ><label
            >and <input v-model="f.under" class="field n" inputmode="decimal" /> mm under it</label
          >
        </div>
        <p v-if="wrong" class="over" role="alert" data-test="pack-wrong">{{ wrong }}</p>
        <div class="line end">
          <button type="button" class="btn" @click="emit('close')">Leave it</button
          ><button type="button" class="btn" data-test="pack-copy" @click="keep(true)">
            As another package</button
          ><button type="submit" class="btn lead" data-test="pack-keep">
            Write version {{ pack.version + 1 }}
          </button>
        </div>
      </form>
    </section>
  </v-dialog>
</template>

<style scoped>
h2 {
  font-size: var(--t24);
  margin-bottom: var(--s6);
}
.line {
  display: flex;
  gap: var(--s14);
  flex-wrap: wrap;
  align-items: center;
  margin: var(--s6) 0;
  font-size: var(--t13);
}
.end {
  justify-content: flex-end;
}
.n {
  width: 70px;
  text-align: right;
}
.wide {
  width: 100%;
}
td {
  padding: var(--s2) var(--s6) var(--s2) 0;
  border: 0;
}
table {
  width: 100%;
}
p {
  margin: var(--s2) 0;
}
</style>
