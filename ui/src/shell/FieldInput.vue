<script setup lang="ts">
// An input whose text is not replaced under the hand: while it has the focus, what comes from
// elsewhere waits until it is left.
import { onMounted, ref, watch } from "vue";

const props = defineProps<{ value: string | number }>();
const el = ref<HTMLInputElement | null>(null);
let typed = false; // something was given and is not answered yet
let waits = false; // something came meanwhile

function lay(): void {
  const e = el.value;
  if (!e) return;
  if (document.activeElement === e) {
    waits = true;
    return;
  }
  waits = false;
  if (e.value !== String(props.value)) e.value = String(props.value);
}
onMounted(lay);
watch(() => props.value, () => { typed = false; lay(); }, { flush: "post" });
function left(): void {
  if (waits || !typed) lay();
}
</script>

<template>
  <input ref="el" @change="typed = true" @blur="left" />
</template>
