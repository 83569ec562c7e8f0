<script setup lang="ts">
import { dayAndHour } from "../../stores/dates";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from "vue";
import { api, sentence, type Chain, type InStepNow, type MachineView } from "../../api/client";
import ChainDrawing from "../../drawing/ChainDrawing.vue";
import { useMoves } from "../../shell/moves";
import { useLive } from "../../stores/live";
import { useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";

// What starts together: how late the camera's takes start after the command, how much that
// spreads, and how its clock runs; measured, and kept in the day's line-up.
const live = useLive();
const moves = useMoves();
const shot = useShot();
const machine = shallowRef<MachineView>();
const now = ref<InStepNow>({ running: false, share: 0 });
const name = ref("start command to camera");
const tries = ref("10"),
  seconds = ref("60");
const said = ref({ text: "", tone: "quiet" });
let timer = 0;
async function load(): Promise<void> {
  const r = await api.GET("/api/machines").catch(() => ({ data: undefined, error: undefined }));
  machine.value = r.data?.find((m) => m.rig.id === moves.looking) ?? r.data?.[0];
}
async function look(): Promise<void> {
  window.clearTimeout(timer);
  const r = await api.GET("/api/camera/in-step").catch(() => ({ data: undefined }));
  if (r.data) now.value = r.data;
  timer = window.setTimeout(() => void look(), now.value.running ? 400 : 2000);
}
onMounted(() => {
  live.each++;
  void load();
  void look();
});
onBeforeUnmount(() => {
  live.each--;
  window.clearTimeout(timer);
});
async function begin(): Promise<void> {
  const [n, s] = [tries.value, seconds.value].map(readNumber);
  if (!Number.isInteger(n) || !Number.isFinite(s)) {
    said.value = { text: "How many tries, and how many seconds? Give numbers.", tone: "over" };
    return;
  }
  const r = await api.POST("/api/camera/in-step", {
    body: { name: name.value.trim(), tries: n!, seconds: s! },
  });
  said.value = r.error ? { text: sentence(r.error), tone: "over" } : { text: "", tone: "quiet" };
  if (r.data) now.value = r.data;
  void look();
}
async function off(): Promise<void> {
  await api.DELETE("/api/camera/in-step");
  void look();
}
async function keep(): Promise<void> {
  if (!machine.value) return;
  const r = await api.POST("/api/machines/{id}/chains", {
    params: { path: { id: machine.value.rig.id } },
  });
  said.value = r.error
    ? { text: sentence(r.error), tone: "over" }
    : { text: `Kept in ${machine.value.rig.name}'s line-up.`, tone: "good" };
  if (r.data) machine.value = r.data;
}
const kept = computed<Chain[]>(() => machine.value?.line_up?.line_up.chains ?? []);
const chain = computed<Chain | undefined>(
  () => now.value.chain ?? kept.value[kept.value.length - 1],
);
const big = computed(() => {
  const c = chain.value;
  if (now.value.running) return `${now.value.does} …`;
  if (!c) return "Nothing was measured yet.";
  return (
    `${c.delays.mean_ms.toFixed(1)} ms late, ${c.delays.frames.toFixed(2)} frames; its ` +
    `clock runs ${Math.abs(c.clock.ppm).toFixed(1)} ppm ` +
    `${c.clock.ppm >= 0 ? "fast" : "slow"}.`
  );
});
const minutes = (c: Chain): string =>
  !c.quarter_min
    ? "more than a day"
    : c.quarter_min > 600
      ? "more than ten hours"
      : `${c.quarter_min.toFixed(1)} minutes`; // until a quarter of a frame
</script>

<template>
  <div class="sync">
    <section class="box draw" aria-labelledby="sync-title">
      <h2 id="sync-title" class="cap">From the command to the first frame</h2>
      <p class="big" role="status" data-test="sync">{{ big }}</p>
      <ChainDrawing v-if="chain && !now.running" :chain="chain" />
      <div
        v-else-if="now.running"
        class="bar"
        role="progressbar"
        :aria-valuenow="Math.round(now.share * 100)"
        aria-valuemin="0"
        aria-valuemax="100"
      >
        <i :style="{ width: now.share * 100 + '%' }" />
      </div>
      <div v-if="chain && !now.running" class="sums">
        <p>
          {{ chain.delays.n }} {{ chain.delays.n === 1 ? "try" : "tries" }}: from
          {{ chain.delays.least_ms.toFixed(1) }} to {{ chain.delays.most_ms.toFixed(1) }} ms, σ
          {{ chain.delays.sigma_ms.toFixed(1) }} ms, known to {{ chain.within_ms.toFixed(2) }} ms.
          At {{ chain.fps }} fps that spreads over
          {{ chain.delays.spread_frames.toFixed(2) }} frames.
        </p>
        <p>
          Its clock: {{ chain.clock.ppm >= 0 ? "+" : "" }}{{ chain.clock.ppm.toFixed(2) }} ppm,
          known to ± {{ chain.clock.within_ppm.toFixed(2) }} after
          {{ chain.clock.over_s.toFixed(0) }} s. A quarter of a frame after {{ minutes(chain) }}.
        </p>
        <p v-if="chain.delays.spread_frames > 0.5" class="now">
          No two takes start within half a frame of each other: what must match to the frame needs a
          common trigger or timecode, not this chain.
        </p>
      </div>
    </section>
    <section class="box side">
      <h2 class="cap">Measure</h2>
      <label
        >what triggers what
        <input v-model="name" class="field" maxlength="40" data-test="chain-name"
      /></label>
      <label
        >tries <input v-model="tries" class="field n" inputmode="numeric" data-test="chain-tries"
      /></label>
      <label
        >seconds of its clock
        <input v-model="seconds" class="field n" inputmode="numeric" data-test="chain-seconds"
      /></label>
      <p class="quiet">
        Each try starts a take and stops it at its first frame. A minute of its clock gives the rate
        to 2 ppm. The rig does not move. Measured against the clock of this computer, from which the
        start command comes.
      </p>
      <div class="row">
        <button v-if="!now.running" class="btn lead" data-test="chain-begin" @click="begin">
          Measure</button
        ><button v-else class="btn" data-test="chain-off" @click="off">Break off</button>
        <button
          class="btn"
          data-test="chain-keep"
          :disabled="now.running || !now.chain"
          @click="keep"
        >
          Keep in {{ machine?.rig.name }}'s line-up
        </button>
      </div>
      <p v-if="now.why" class="over" role="alert" data-test="chain-why">{{ now.why }}</p>
      <p v-if="said.text" :class="said.tone" role="status" data-test="chain-said">
        {{ said.text }}
      </p>
      <h2 class="cap">Kept for {{ machine?.rig.name }}</h2>
      <table v-if="kept.length">
        <thead>
          <tr>
            <th>chain</th>
            <th>late</th>
            <th>spread</th>
            <th>clock</th>
            <th>measured</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in kept" :key="c.name" data-test="chain">
            <td>{{ c.name }}</td>
            <td>{{ c.delays.mean_ms.toFixed(1) }} ms</td>
            <td>{{ (c.delays.most_ms - c.delays.least_ms).toFixed(1) }} ms</td>
            <td>{{ c.clock.ppm.toFixed(1) }} ppm</td>
            <td>
              {{ dayAndHour(c.at) }}
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">
        No chain was measured for {{ machine?.rig.name ?? "this machine" }} yet.
        {{ shot.view?.code }} is started by hand until then.
      </p>
    </section>
  </div>
</template>

<style scoped>
.sync {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(340px, 1fr);
  gap: var(--s12);
  min-height: 0;
}
.draw,
.side {
  padding: var(--s12) var(--s16);
  overflow: auto;
}
.side {
  display: flex;
  flex-direction: column;
  gap: var(--s8);
}
.side label {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  align-items: center;
}
.n {
  width: 70px;
  text-align: right;
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
  margin: var(--s6) 0 var(--s12);
}
.row {
  display: flex;
  gap: var(--s10);
}
.bar {
  height: 14px;
  border: 1px solid var(--ink);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--now);
}
p {
  margin: var(--s4) 0;
}
h2 {
  margin-top: var(--s6);
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
@media (max-width: 900px) {
  .sync {
    grid-template-columns: 1fr;
  }
}
</style>
