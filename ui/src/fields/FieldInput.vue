<script setup lang="ts">
// An input whose text is not replaced under the hand: while it has the focus, what comes from
// elsewhere waits until it is left; what becomes of what was given in it is shown, unless more
// was typed since.
import { onMounted, ref, watch } from "vue";

const props = defineProps<{ value: string | number; area?: boolean }>();
const el = ref<HTMLInputElement | HTMLTextAreaElement | null>(null);
let typed = false; // something was given and is not answered yet
let gave: string | undefined; // as it was given
let waits = false; // something came meanwhile

function lay(): void {
  const e = el.value;
  if (!e) return;
  if (document.activeElement === e && e.value !== gave) {
    waits = true;
    return;
  }
  waits = false;
  if (e.value !== String(props.value)) e.value = String(props.value);
  e.dataset.seen = e.value; // what is changed, when it is
}
onMounted(lay);
watch(
  () => props.value,
  () => {
    typed = false;
    lay();
    gave = undefined;
  },
  { flush: "post" },
);
function give(): void {
  typed = true;
  gave = el.value?.value;
}
function left(): void {
  if (waits || !typed) lay();
}
</script>

<template>
  <textarea v-if="area" ref="el" @change="give" @blur="left" />
  <input v-else ref="el" @change="give" @blur="left" />
</template>
