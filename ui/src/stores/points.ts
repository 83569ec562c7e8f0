import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type Fixed } from "../api/client";
import { siteSheet } from "./site";

// Fixed points on the set: sighted with the rig itself, and again on another day.
export const usePoints = defineStore("points", () => {
  const site = siteSheet(
    "points",
    (id) => api.GET("/api/shots/{id}/points", { params: { path: { id } } }),
    (v) => ({ fixed: v.survey.fixed }),
  );
  const { shot } = site;
  const at = computed(() => ({ params: { path: { id: shot.value } } }));
  const name = (fixed: Fixed[], text = "Kept."): Promise<boolean> => site.write({ fixed }, text);
  const sight = (point: string): Promise<boolean> =>
    site.ask(
      () => api.POST("/api/shots/{id}/points/sight", { ...at.value, body: { point } }),
      "Sighted.",
    );
  const again = (): Promise<boolean> =>
    site.ask(() => api.POST("/api/shots/{id}/points/round", at.value), "Another round.");
  const back = (): Promise<boolean> =>
    site.ask(() => api.POST("/api/shots/{id}/points/back", at.value), "Taken back.");
  return { ...site, name, sight, again, back };
});
