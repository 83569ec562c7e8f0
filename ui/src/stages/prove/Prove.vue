<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { useRouter } from "vue-router";
import { api, type Proof, type Remedy } from "../../api/client";
import FinderView from "../../drawing/FinderView.vue";
import SheetDrawing from "../../drawing/SheetDrawing.vue";
import { four, useShot } from "../../stores/shot";
import { findingsOf } from "./findings";

const shot = useShot();
const router = useRouter();
// Braking and focus over the whole move take longer than drawing it.
const proof = shallowRef<Proof | null>(null);
// It belongs to a plan on a rig as it is lined up: of another it says nothing.
watch(
  () => [shot.id, shot.view?.revision, shot.view?.rig, shot.view?.set] as const,
  async (of) => {
    const v = shot.view;
    proof.value = null;
    if (!v) return;
    const r = await api
      .GET("/api/shots/{id}/proof", { params: { path: { id: v.id } } })
      .catch(() => ({ data: undefined }));
    if (
      r.data &&
      r.data.revision === v.revision &&
      shot.view?.rig === of[2] &&
      shot.view?.set === of[3] &&
      shot.view?.revision === v.revision
    )
      proof.value = r.data;
  },
  { immediate: true },
);
const findings = computed(() => {
  const v = shot.view;
  if (!v) return [];
  const p = proof.value?.revision === v.revision ? proof.value : null;
  return findingsOf(v, p, shot.frame, name);
});
const name = (id: string): string => shot.axes.find((a) => a.id === id)?.name ?? id;
const open = computed(() => findings.value.filter((f) => f.kind === "stop").length);
async function press(r: Remedy): Promise<void> {
  await shot.edit(r.edit, `${r.text}: done.`);
}

// Run the plan on the screen, both ways, at any speed. No rig moves.
const speed = ref(1);
const running = ref(0);
let last = 0;
let place = 0;
let raf = 0;
function run(dir: number): void {
  if (running.value === dir) return halt();
  running.value = dir;
  last = performance.now();
  place = shot.frame;
  if (dir > 0 && place >= shot.end) place = shot.start;
  if (dir < 0 && place <= shot.start) place = shot.end;
  cancelAnimationFrame(raf);
  raf = requestAnimationFrame(tick);
}
function tick(t: number): void {
  place += ((t - last) / 1000) * (shot.view?.fps ?? 24) * speed.value * running.value;
  last = t;
  shot.go(place);
  if (place >= shot.end || place <= shot.start) return halt();
  raf = requestAnimationFrame(tick);
}
function halt(): void {
  running.value = 0;
  cancelAnimationFrame(raf);
}
onBeforeUnmount(halt);
function show(f: number | null): void {
  if (f !== null) shot.go(f);
}
</script>

<template>
  <div v-if="shot.view" class="prove">
    <section class="box list scroll" tabindex="0" aria-labelledby="prove-title">
      <h2 id="prove-title" class="cap">
        Findings
        <span class="quiet nocap">over the whole move, at {{ +shot.view.fps.toFixed(3) }} fps</span>
      </h2>
      <p v-if="open === 0 && !shot.view.empty" class="good">
        Nothing stands in the way of sealing.
      </p>
      <ol>
        <li v-for="(f, i) in findings" :key="i" :class="f.kind">
          <span class="mark" aria-hidden="true">{{
            f.kind === "stop" ? "■" : f.kind === "note" ? "▲" : "✓"
          }}</span>
          <div>
            <div>{{ f.text }}</div>
            <button v-for="r in f.remedies" :key="r.kind" class="btn slim" @click="press(r)">
              {{ r.text }}
            </button>
          </div>
          <button v-if="f.frame !== null" class="link" @click="show(f.frame)">
            {{ four(Math.round(f.frame)) }}
          </button>
        </li>
      </ol>
      <p class="quiet small">
        Checked: speed, acceleration, jerk and range of every axis, exactly; points in space, sway
        and bending as one swing; steps at keyframes; braking from every frame. Checked for focus:
        the subject only. Not checked yet: collisions, framing. Walk the move with the set dressed
        before anybody stands in it.
      </p>
      <button class="btn slim" @click="router.push({ name: 'compose', params: { id: shot.id } })">
        to Compose
      </button>
    </section>
    <div class="see">
      <FinderView :shot="shot.view" :camera="shot.camera" />
      <div class="box run">
        <button class="btn slim" @click="run(-1)">
          {{ running < 0 ? "halt" : "◀ backwards" }}
        </button>
        <button class="btn slim" @click="run(1)">{{ running > 0 ? "halt" : "forwards ▶" }}</button>
        <label class="small"
          >speed ×
          <select v-model.number="speed" class="field">
            <option v-for="s in [0.1, 0.25, 0.5, 1, 2, 4]" :key="s" :value="s">{{ s }}</option>
          </select></label
        >
        <input
          type="range"
          :min="shot.start"
          :max="shot.end"
          :value="shot.frame"
          aria-label="Frame"
          @input="
            (e) => {
              halt();
              shot.go(Number((e.target as HTMLInputElement).value));
            }
          "
        />
        <span>{{ four(shot.frame) }}</span>
      </div>
      <SheetDrawing
        :shot="shot.view"
        :camera="shot.camera"
        :rig="null"
        :frame="shot.frame"
        plan-only
        @go="shot.go"
      />
    </div>
  </div>
</template>

<style scoped>
.prove {
  display: grid;
  grid-template-columns: minmax(340px, 1fr) minmax(0, 1.25fr);
  gap: var(--s12);
  height: 100%;
  min-height: 560px;
}
.list {
  padding: var(--s14) var(--s16);
}
.nocap {
  text-transform: none;
  font: 400 var(--t13) var(--text);
  letter-spacing: 0;
}
ol {
  list-style: none;
  padding: 0;
  margin: var(--s10) 0;
}
li {
  display: grid;
  grid-template-columns: 20px 1fr auto;
  gap: var(--s6);
  padding: var(--s8) 0;
  border-bottom: 1px solid var(--hair);
  align-items: start;
}
li .btn {
  margin: var(--s6) var(--s8) 0 0;
}
.stop > .mark,
.stop > div > div {
  color: var(--over);
}
.note .mark {
  color: var(--now);
}
.fine .mark {
  color: var(--good);
}
.see {
  display: grid;
  grid-template-rows: minmax(0, 1.1fr) auto minmax(0, 1fr);
  gap: var(--s12);
  min-height: 0;
}
.run {
  display: flex;
  gap: var(--s10);
  align-items: center;
  padding: var(--s6) var(--s10);
}
.run input {
  flex: 1;
  accent-color: var(--now);
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .prove {
    grid-template-columns: 1fr;
    height: auto;
  }
  .see {
    grid-template-rows: 260px auto 260px;
  }
}
</style>
