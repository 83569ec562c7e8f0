<script setup lang="ts">
import { useShot } from "../stores/shot";

// The sheets of a stage, as tabs; each is a place of its own.
defineProps<{ stage: string; sheets: readonly { name: string; title: string }[]; here: string }>();
const shot = useShot();
</script>

<template>
  <nav class="tabs" :aria-label="`Sheets of ${stage}`">
    <router-link
      v-for="s in sheets"
      :key="s.name"
      :to="{ name: stage, params: { id: shot.id, sheet: s.name } }"
      class="tab"
      :class="{ here: s.name === here }"
      :aria-current="s.name === here ? 'page' : undefined"
      :data-test="'sheet-' + s.name"
      >{{ s.title }}</router-link
    >
  </nav>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: var(--s24);
  height: 26px;
  flex: none;
}
.tab {
  font: 600 var(--t16)/1.2 var(--head);
  color: var(--quiet);
  text-decoration: none;
  border-bottom: 3px solid transparent;
}
.tab.here {
  color: var(--ink);
  border-color: var(--now);
}
html.paper .tab {
  color: var(--muted);
}
html.paper .tab.here {
  color: var(--ink);
}
</style>
