import { defineStore } from "pinia";
import { api } from "../api/client";
import { siteSheet } from "./site";

// How a shot's track lies: sections, packers, room behind, load on the floor.
export const useGround = defineStore("ground", () => {
  const site = siteSheet(
    "ground",
    (id) => api.GET("/api/shots/{id}/ground", { params: { path: { id } } }),
    (v) => v.ground,
  );
  const back = (): Promise<boolean> =>
    site.ask(
      () => api.POST("/api/shots/{id}/ground/back", { params: { path: { id: site.shot.value } } }),
      "Taken back.",
    );
  return { ...site, back };
});
