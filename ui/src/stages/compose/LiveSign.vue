<script setup lang="ts">
import { useAsk } from "../../stores/ask";
import { useLive } from "../../stores/live";
import { useSteer } from "../../stores/steer";

// The switch that lets nudges move the rig, and its sign.
const steer = useSteer();
const live = useLive();
const ask = useAsk();
function on(): void {
  const m = steer.machine;
  if (!m) return;
  ask.ask({
    title: `Steer ${m.rig.name} live?`,
    yes: "Live",
    text:
      `While it is on, a nudge moves ${m.rig.name} for as long as it is pressed, no point ` +
      "of it over 250 mm/s, slowly at first. It goes off after a minute untouched. Nobody " +
      `within ${m.rig.clear_m} m. Esc slows the rig to a stop; only the hardware stop is ` +
      "an emergency stop.",
    act: async () => {
      steer.turn(true);
      return "";
    },
  });
}
</script>

<template>
  <div v-if="steer.on" class="sign" role="status" data-test="live-sign">
    <b>LIVE</b
    ><span>{{
      steer.ready
        ? `nudges move ${steer.machine?.rig.name} while they are pressed · off in ${steer.left} s`
        : "connecting the hold …"
    }}</span>
    <label
      >at most
      <input
        v-model.number="steer.share"
        type="range"
        min="0.01"
        max="1"
        step="0.01"
        data-test="live-share"
        aria-label="Speed"
      />
      {{ Math.round(steer.share * 100) }} %</label
    >
    <button class="btn slim" data-test="live-off" @click="steer.turn(false)">off</button>
    <span v-if="steer.said" role="alert">{{ steer.said }}</span>
  </div>
  <button
    v-else
    class="btn slim"
    data-test="live-on"
    :disabled="!live.connected || live.rolling"
    @click="on"
  >
    Live …
  </button>
</template>

<style scoped>
.sign {
  max-width: 440px;
  display: flex;
  gap: var(--s10);
  align-items: center;
  background: var(--ink);
  color: var(--sheet);
  padding: var(--s4) var(--s10);
  flex-wrap: wrap;
}
.sign b {
  font: 600 var(--t30)/1 var(--head);
  letter-spacing: 0.06em;
}
.sign label {
  display: flex;
  align-items: center;
  gap: var(--s6);
}
.sign input {
  width: 80px;
}
</style>
