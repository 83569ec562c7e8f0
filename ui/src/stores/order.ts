import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type OrderDoc, type OrderStep, type Setup } from "../api/client";
import { siteSheet } from "./site";

// The running order against the clock. It is asked for anew while it is looked at, since
// the clock goes on.
export const useOrder = defineStore("order", () => {
  const site = siteSheet(
    "order",
    (id) => api.GET("/api/shots/{id}/order", { params: { path: { id } } }),
    (v) => v.order,
  );
  const { view, shot, picked } = site; // picked: the step that is looked at
  const step = computed<OrderStep | undefined>(() =>
    view.value?.order?.steps?.find((s) => s.id === picked.value),
  );
  const at = computed(() => ({ params: { path: { id: shot.value } } }));
  const write = (change: Partial<OrderDoc>, text = "Kept."): Promise<boolean> =>
    site.write({ ...(view.value?.order as OrderDoc), ...change }, text);
  // One step is changed, added (no such id yet) or taken out.
  function change(s: OrderStep): Promise<boolean> {
    const list = view.value?.order?.steps ?? [];
    return write({
      steps: list.some((x) => x.id === s.id)
        ? list.map((x) => (x.id === s.id ? s : x))
        : [...list, s],
    });
  }
  async function remove(id: string): Promise<void> {
    const list = view.value?.order?.steps ?? [];
    const gone = list.find((s) => s.id === id);
    // What waited for it waits for what it waited for.
    const after = (a: string[]): string[] => [
      ...new Set(a.flatMap((x) => (x === id ? (gone?.after ?? []) : [x]))),
    ];
    if (
      await write(
        {
          steps: list
            .filter((s) => s.id !== id)
            .map((s) => ({ ...s, after: after(s.after ?? []) })),
        },
        "Taken out.",
      )
    )
      picked.value = "";
  }
  const press = (id: string, what: "start" | "done" | "back"): Promise<boolean> =>
    site.ask(
      () => api.POST("/api/shots/{id}/order/press", { ...at.value, body: { step: id, what } }),
      { start: "Begun.", done: "Done.", back: "Taken back." }[what],
    );
  const back = (): Promise<boolean> =>
    site.ask(() => api.POST("/api/shots/{id}/order/back", at.value), "Taken back.");
  const begin = (date: string, start: string, setup: Setup, same: boolean): Promise<boolean> =>
    site.ask(
      () => api.POST("/api/shots/{id}/order", { ...at.value, body: { date, start, setup, same } }),
      "Begun.",
    );
  return { ...site, step, write, change, remove, press, back, begin };
});
