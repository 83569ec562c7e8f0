<script setup lang="ts">
import { api, sentence } from "../api/client";
import { useLive } from "../stores/live";
import { useShot } from "../stores/shot";
import { missed } from "./keys";

// What is said loudly, on every screen: a stop that did not reach everything, until it is
// read; soft limits that do not hold, until they do again.
const live = useLive();
const shot = useShot();
async function on(machine: string, axis: string): Promise<void> {
  const r = await api.POST("/api/machines/{id}/suspend", {
    params: { path: { id: machine } },
    body: { axis, seconds: 0 },
  });
  if (r.error) shot.trouble = sentence(r.error);
}
</script>

<template>
  <div
    v-if="missed || live.now?.suspended?.length"
    class="band"
    role="alert"
    :data-test="missed ? 'stop-missed' : 'limits-off'"
  >
    <p v-if="missed">
      <b>STOP</b> {{ missed.replace(/^STOP /, "") }}
      <button class="btn slim" data-test="stop-read" @click="missed = ''">Read</button>
    </p>
    <p v-for="s in live.now?.suspended ?? []" :key="s.machine + s.axis">
      <b>SOFT LIMITS OFF</b> {{ s.name }}, {{ s.axis }}: only its hard ends stop it ·
      <b>{{ s.seconds }} s</b>
      <button class="btn slim" data-test="limits-on" @click="on(s.machine, s.axis)">
        put them back on
      </button>
    </p>
  </div>
  <div v-else class="band none"></div>
</template>

<style scoped>
.band {
  position: relative;
  z-index: 9998;
  background: var(--ink);
  color: var(--sheet);
  border-bottom: 4px solid var(--now);
  font-size: var(--t16);
}
.none {
  display: none;
}
p {
  margin: 0;
  padding: var(--s8) var(--s14);
  display: flex;
  gap: var(--s14);
  align-items: center;
  flex-wrap: wrap;
}
b {
  font: 600 var(--t24)/1 var(--head);
  letter-spacing: 0.04em;
}
.btn {
  margin-left: auto;
}
</style>
