<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from "vue";
import FieldInput from "../../fields/FieldInput.vue";
import { useFrames } from "../../stores/frames";
import { four } from "../../stores/shot";

// For the hands: what to do in the set at this frame, and what the rig is doing.
const frames = useFrames();
const at = computed(() => frames.current);
const note = computed(() => (at.value ? (frames.view?.notes[at.value.frame] ?? "") : ""));
const later = computed(() => {
  const f = frames.view?.then?.frame;
  return f !== undefined && f !== at.value?.frame && frames.view?.notes[f]
    ? `next, ${four(f)}: ${frames.view.notes[f]}`
    : "";
});
const puppet = computed(() => (at.value ? frames.layer(at.value.layer)?.puppet : true));
const order = ["going", "settling", "still", "exposing", "keeping"] as const;
const phase = computed(() =>
  frames.now?.busy ? frames.now.phase : frames.there ? "still" : "away",
);
const settle = computed(() => {
  const s = frames.now?.settle_s ?? 0;
  return s > 0
    ? `settle, ${s < 0.1 ? s.toFixed(2) : s.toFixed(1)} s to ¼ px`
    : "settle, under ¼ px at once";
});
const steps = computed(() => {
  const ms = frames.layer(at.value?.layer ?? "")?.exposure_ms ?? 0;
  const words = [
    "approach from below",
    settle.value,
    "still, hands in",
    `expose ${(ms / 1000).toFixed(1)} s`,
    "kept by the camera",
  ];
  const i = order.indexOf(phase.value as (typeof order)[number]);
  return words.map((w, k) => ({ w, k, state: k < i ? "done" : k === i ? "on" : "" }));
});
// How long it has been so.
const tick = ref(Date.now());
const timer = window.setInterval(() => (tick.value = Date.now()), 500);
onBeforeUnmount(() => window.clearInterval(timer));
const since = computed(() => {
  const s = Math.max(0, (tick.value - (frames.now?.since_ms ?? 0)) / 1000);
  if (!frames.now?.since_ms || phase.value !== "still") return "";
  return s < 100 ? `${s.toFixed(0)} s` : `${Math.floor(s / 60)} min ${Math.floor(s % 60)} s`;
});
async function save(e: Event): Promise<void> {
  const box = e.target as HTMLTextAreaElement;
  if (at.value) await frames.note(at.value.frame, box.value.trim(), box.dataset.seen ?? "");
}
</script>

<template>
  <section class="box hands" aria-labelledby="hands-title">
    <div class="state" :class="{ in: frames.state.hands }" role="status" data-test="hands-state">
      {{ frames.state.big }}<span v-if="since" class="small">{{ since }}</span>
    </div>
    <h2 id="hands-title" class="cap">For the hands, frame {{ at ? four(at.frame) : "—" }}</h2>
    <p v-if="at && !puppet" class="out">Puppet out of the set.</p>
    <FieldInput
      :key="at?.frame"
      area
      class="note"
      :value="note"
      :disabled="!at"
      placeholder="a note for this frame"
      aria-label="Note for the hands at this frame"
      data-test="note"
      @change="save"
    />
    <p class="small quiet later">{{ later }}</p>
    <ol>
      <li v-for="s in steps" :key="s.k" :class="s.state">{{ s.w }}</li>
    </ol>
  </section>
</template>

<style scoped>
.hands {
  padding: var(--s10) var(--s14);
  display: flex;
  flex-direction: column;
  gap: var(--s6);
  overflow: auto;
}
.state {
  font: 600 var(--t24)/1.1 var(--head);
  letter-spacing: 0.04em;
  background: var(--ink);
  color: var(--sheet);
  margin: calc(-1 * var(--s10)) calc(-1 * var(--s14)) var(--s2);
  padding: var(--s8) var(--s14);
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: var(--s8);
}
.state.in {
  background: var(--good);
}
.state span {
  font-family: var(--text);
  letter-spacing: 0;
  white-space: nowrap;
}
.out {
  font: 600 var(--t16)/1.2 var(--head);
  margin: 0;
}
.note {
  flex: 1;
  min-height: 66px;
  font: 400 var(--t16)/1.4 var(--text);
  color: var(--ink);
  background: none;
  border: 1px solid transparent;
  resize: none;
  padding: var(--s2) var(--s4);
  margin: 0 calc(-1 * var(--s4));
}
.note:hover,
.note:focus {
  border-color: var(--rule);
}
.later {
  margin: 0;
}
ol {
  list-style: none;
  margin: var(--s4) 0 0;
  padding: 0;
  display: grid;
  gap: var(--s4);
}
li {
  padding-left: var(--s24);
  position: relative;
  color: var(--quiet);
}
html.paper li {
  color: var(--muted);
}
li::before {
  content: "";
  position: absolute;
  left: 3px;
  top: 4px;
  width: 8px;
  height: 8px;
  border: 1px solid var(--quiet);
  border-radius: 50%;
}
li::after {
  content: "";
  position: absolute;
  left: 7.5px;
  top: 15px;
  height: 10px;
  border-left: 1px solid var(--rule);
}
li:last-child::after {
  display: none;
}
li.done::before {
  background: var(--good);
  border-color: var(--good);
}
li.on {
  color: var(--ink) !important;
  font-weight: 700;
}
li.on::before {
  background: var(--now);
  border-color: var(--now);
  left: 1px;
  top: 2px;
  width: 12px;
  height: 12px;
}
</style>
