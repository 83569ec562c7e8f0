import { defineStore } from "pinia";
import { shallowRef } from "vue";

// What keys ask of the score: to show more or fewer frames, or all (0).
export const useScore = defineStore("score", () => {
  const asked = shallowRef<{ by: number } | null>(null);
  const zoom = (by: number): void => { asked.value = { by }; };
  return { asked, zoom };
});
