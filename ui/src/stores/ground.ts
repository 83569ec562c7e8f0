import { defineStore } from "pinia";
import { api, type GroundDoc, type GroundView } from "../api/client";
import { siteSheet } from "./site";

// How a shot's track lies: sections, packers, room behind, load on the floor.
export const useGround = defineStore("ground", () => {
  const site = siteSheet<GroundView>((id) => api.GET("/api/shots/{id}/ground", { params: { path: { id } } }));
  const { view, shot } = site;
  function write(change: Partial<GroundDoc>, text = "Kept."): Promise<boolean> {
    return site.ask(() => {
      const v = view.value as GroundView;
      return api.PUT("/api/shots/{id}/ground", { params: { path: { id: shot.value }, query: { revision: v.revision } }, body: { ...v.ground, ...change } });
    }, text);
  }
  const back = (): Promise<boolean> => site.ask(() => api.POST("/api/shots/{id}/ground/back", { params: { path: { id: shot.value } } }), "Taken back.");
  return { ...site, write, back };
});
