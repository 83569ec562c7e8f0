<script setup lang="ts">
import { useAsk } from "./ask";
const ask = useAsk();
</script>

<template>
  <v-dialog :model-value="ask.question !== null" @update:model-value="(v: boolean) => { if (!v) ask.question = null; }">
    <section v-if="ask.question" class="sheet" role="alertdialog" aria-labelledby="ask-title" aria-describedby="ask-text">
      <h2 id="ask-title">{{ ask.question.title }}</h2>
      <p id="ask-text">{{ ask.question.text }}</p>
      <p v-if="ask.failed" class="over" role="alert">{{ ask.failed }}</p>
      <div class="row">
        <button class="btn" data-test="ask-no" @click="ask.question = null">Leave it</button>
        <button class="btn lead" data-test="ask-yes" autofocus :disabled="ask.busy" @click="ask.confirm()">{{ ask.question.yes }}</button>
      </div>
    </section>
  </v-dialog>
</template>

<style scoped>
.row { display: flex; justify-content: flex-end; gap: 12px; margin-top: 8px; }
h2 { font-size: 22px; }
</style>
