<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { useRouter } from "vue-router";
import { api, type Proof, type Remedy } from "../../api/client";
import FinderView from "../../drawing/FinderView.vue";
import SheetDrawing from "../../drawing/SheetDrawing.vue";
import { four, useShot } from "../../stores/shot";

const shot = useShot();
const router = useRouter();
interface Finding {
  text: string;
  frame: number | null;
  remedies: Remedy[];
  kind: "stop" | "note" | "fine";
}
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
const findings = computed<Finding[]>(() => {
  const v = shot.view;
  if (!v) return [];
  if (v.empty)
    return [{ text: "There is no keyframe yet.", frame: null, remedies: [], kind: "note" }];
  const out: Finding[] = [];
  const rep = v.analysis.report;
  const jumps = rep.axes.flatMap((a) => a.jumps.map((j) => ({ ...j, axis: a.axis })));
  v.analysis.sentences.forEach((text, i) =>
    out.push({
      text,
      frame: v.analysis.at[i] ?? null,
      remedies: i === 0 ? v.analysis.remedies : [],
      kind: "stop",
    }),
  );
  const knocks = jumps.filter((q) => q.order === 2);
  if (knocks.length > 12)
    out.push({
      text: `Acceleration steps at ${knocks.length} keyframes; the mount feels a knock at each. Smooth has no such steps.`,
      frame: knocks[0]?.at ?? null,
      remedies: [],
      kind: "note",
    });
  else
    for (const j of knocks)
      out.push({
        text: `${name(j.axis)}: acceleration steps at ${four(j.at)}; the mount feels a knock. Smooth has no such steps.`,
        frame: j.at,
        remedies: [],
        kind: "note",
      });
  const p = proof.value?.revision === v.revision ? proof.value : null;
  for (const s of p?.soft ?? [])
    out.push({
      text: `${v.set.subject_name} is soft, ${four(s.from)}${s.to > s.from ? `–${four(s.to)}` : ""}: ${s.depth_m.toFixed(2)} m away at ${four(s.worst)}, sharp from ${s.near_m.toFixed(2)} to ${s.far_m >= 9999 ? "∞" : s.far_m.toFixed(2)} m, its blur ${s.blur_px.toFixed(1)} px.`,
      frame: s.worst,
      remedies: [],
      kind: "note",
    });
  if (p?.soft.length === 0 && v.focus_scale.length > 0)
    out.push({
      text: `${v.set.subject_name} is sharp wherever it is in the picture.`,
      frame: null,
      remedies: [],
      kind: "fine",
    });
  if (!out.some((f) => f.kind === "stop")) {
    for (const a of [...rep.axes].sort((p, q) => q.share - p.share))
      out.push({
        text: `${name(a.axis)} uses at most ${Math.ceil(a.share * 100)}% of its limits${a.share > 0 ? `, at ${four(Math.round(a.share_at))}` : ""}.`,
        frame: a.share > 0 ? a.share_at : null,
        remedies: [],
        kind: "fine",
      });
    const b = p?.braking;
    if (b)
      out.push({
        text: `Let go anywhere, the rig stops on its path within ${b.seconds} s, ${b.frames.toFixed(1)} frames${b.travel_m >= 0.005 ? ` and ${b.travel_m.toFixed(2)} m` : ""}, using at most ${Math.ceil(b.worst_share * 100)}% of a rated limit (${name(b.worst_axis)} at ${four(Math.round(b.worst_frame))}).`,
        frame: b.worst_frame,
        remedies: [],
        kind: "fine",
      });
    const ride = p?.riding;
    if (ride) {
      out.push({
        text: `${ride.centre ? "At its centre of mass" : "At the image plane"} the camera feels at most ${ride.worst_g < 0.0005 ? "nothing" : `${+ride.worst_g.toPrecision(2)} g`} beside its weight.`,
        frame: ride.worst_g > 0 ? ride.worst_g_at : null,
        remedies: [],
        kind: "fine",
      });
      if (ride.fastest_m_s > 0)
        out.push({
          text: `The fastest point is ${ride.fastest === "camera's front" ? "the camera’s front" : v.machines.length > 1 ? ride.fastest.replace("/", "’s ") : `the ${ride.fastest.split("/").pop()}`}, ${ride.fastest_m_s.toFixed(2)} m/s. Keep people out of its way.`,
          frame: ride.fastest_at,
          remedies: [],
          kind: "fine",
        });
      const k = Math.round(shot.frame) - shot.first;
      const here = ride.stop_m[k];
      if (here !== undefined && ride.worst_stop_m > 0)
        out.push({
          text: `Let go at ${four(shot.frame)}, its farthest-going point goes on for ${here.toFixed(3)} m; at most ${ride.worst_stop_m.toFixed(3)} m.`,
          frame: ride.worst_stop_at,
          remedies: [],
          kind: "fine",
        });
      const w = ride.shake;
      const as = w.known ? `${+w.hz.toPrecision(3)} Hz` : `not measured; taken as ${w.hz} Hz`;
      out.push({
        text:
          w.settle_frames > 0
            ? `After the last frame the picture sways by ${w.end_px.toFixed(2)} px; ${w.settle_frames} frames until it is below a quarter (${as}).`
            : `After the last frame the picture sways by less than a quarter of a pixel (${as}).`,
        frame: null,
        remedies: [],
        kind: w.settle_frames > 0 ? "note" : "fine",
      });
      for (const f of ride.flex.filter((x) => x.px >= 0.005))
        out.push({
          text: `Pass ${f.number} · ${f.name} at ${+f.fps.toFixed(2)} fps would lie ${f.px.toFixed(2)} px beside pass ${ride.against}, by bending alone (${as}).${f.px >= v.threshold_px ? " It would not stack." : ""}`,
          frame: f.frame,
          remedies: [],
          kind: f.px >= v.threshold_px ? "note" : "fine",
        });
      for (const f of ride.flex.filter((x) => x.turned_px >= 0.005))
        out.push({
          text: `Pass ${f.number} · ${f.name} runs another way than pass ${ride.against}: by the slack of its axes alone it would lie up to ${f.turned_px.toFixed(2)} px beside it.${f.turned_px >= v.threshold_px ? " It would not stack." : ""}`,
          frame: f.turned_at,
          remedies: [],
          kind: f.turned_px >= v.threshold_px ? "note" : "fine",
        });
    }
  }
  return out;
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
