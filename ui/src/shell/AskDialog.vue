<script setup lang="ts">
import { nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { useAsk } from "../stores/ask";
const ask = useAsk();
const route = useRoute();
const safe = ref<HTMLButtonElement | null>(null);
let before: Element | null = null;

// The safe answer has the focus, each time. Afterwards it is back where it was,
// or on Shoot on the hold target, which is what comes next.
watch(
  () => ask.question,
  async (q, was) => {
    if (q && !was) before = document.activeElement;
    await nextTick();
    if (q) {
      window.setTimeout(() => safe.value?.focus(), 0);
      return;
    }
    const back =
      route.name === "shoot"
        ? document.querySelector<HTMLElement>('[data-test="hold"], [data-test="next"]')
        : before;
    window.setTimeout(() => back instanceof HTMLElement && back.isConnected && back.focus(), 0);
  },
);
</script>

<template>
  <v-dialog
    :model-value="ask.question !== null"
    @update:model-value="
      (v: boolean) => {
        if (!v) ask.question = null;
      }
    "
  >
    <section
      v-if="ask.question"
      class="sheet"
      role="alertdialog"
      aria-labelledby="ask-title"
      aria-describedby="ask-text"
    >
      <h2 id="ask-title">{{ ask.question.title }}</h2>
      <p id="ask-text">{{ ask.question.text }}</p>
      <p v-if="ask.failed" class="over" role="alert">{{ ask.failed }}</p>
      <div class="row">
        <button ref="safe" class="btn" data-test="ask-no" @click="ask.question = null">
          Leave it
        </button>
        <button
          v-if="ask.question.other"
          class="btn"
          data-test="ask-other"
          :disabled="ask.busy"
          @click="ask.confirm(true)"
        >
          {{ ask.question.other.label }}
        </button>
        <button class="btn lead" data-test="ask-yes" :disabled="ask.busy" @click="ask.confirm()">
          {{ ask.question.yes }}
        </button>
      </div>
    </section>
  </v-dialog>
</template>

<style scoped>
.row {
  display: flex;
  justify-content: flex-end;
  gap: var(--s12);
  margin-top: var(--s8);
}
h2 {
  font-size: var(--t24);
}
</style>
