import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type PowerNode, type PowerView } from "../api/client";
import { siteSheet } from "./site";

// The wiring of a shot's place, from the supply to every device. What was never kept is a
// proposal out of the rig book.
export const usePower = defineStore("power", () => {
  const site = siteSheet(
    "power",
    (id) => api.GET("/api/shots/{id}/power", { params: { path: { id } } }),
    (v) => v.power,
  );
  const { view, shot, picked } = site;
  const at = computed(() => ({ params: { path: { id: shot.value } } }));
  const nodes = computed<PowerNode[]>(() => view.value?.power.nodes ?? []);
  const node = computed(() => nodes.value.find((n) => n.id === picked.value));
  const write = (change: Partial<PowerView["power"]>, text = "Kept."): Promise<boolean> =>
    site.write({ ...(view.value as PowerView).power, ...change }, text);
  function change(n: PowerNode): Promise<boolean> {
    return write({
      nodes: nodes.value.some((x) => x.id === n.id)
        ? nodes.value.map((x) => (x.id === n.id ? n : x))
        : [...nodes.value, n],
    });
  }
  // What hung on what is taken out hangs on what fed it.
  async function remove(id: string): Promise<void> {
    const gone = nodes.value.find((n) => n.id === id);
    if (
      await write(
        {
          nodes: nodes.value
            .filter((n) => n.id !== id)
            .map((n) => (n.from === id ? { ...n, from: gone?.from } : n)),
        },
        "Taken out.",
      )
    )
      picked.value = "";
  }
  const back = (): Promise<boolean> =>
    site.ask(() => api.POST("/api/shots/{id}/power/back", at.value), "Taken back.");
  const limits = (): Promise<boolean> =>
    site.ask(
      () => api.POST("/api/shots/{id}/power/limits", at.value),
      "They are in today's line-up.",
    );
  return { ...site, nodes, node, write, change, remove, back, limits };
});
