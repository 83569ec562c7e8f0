import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import { sentence } from "../api/client";

interface Question {
  title: string;
  text: string;
  yes: string;
  act: () => Promise<string>;
  other?: { label: string; act: () => Promise<string> };
}

// Questions that must be confirmed: before a rig moves, or work is left behind.
export const useAsk = defineStore("ask", () => {
  const question = shallowRef<Question | null>(null);
  const busy = ref(false);
  const failed = ref("");
  const keys = ref(false);

  function ask(q: Question): void {
    failed.value = "";
    question.value = q;
  }

  async function confirm(other = false): Promise<void> {
    const q = question.value,
      act = other ? q?.other?.act : q?.act;
    if (!act || busy.value) return;
    busy.value = true;
    failed.value = await act().catch(() => sentence(undefined));
    busy.value = false;
    if (!failed.value && question.value === q) question.value = null; // another may be asked by now
  }

  return { question, busy, failed, keys, ask, confirm };
});
