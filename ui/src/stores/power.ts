import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, sentence, type PowerNode, type PowerView } from "../api/client";

// The wiring of a shot's place, from the supply to every device. What was never kept is a
// proposal out of the rig book.
export const usePower = defineStore("power", () => {
  const view = shallowRef<PowerView | null>(null);
  const shot = ref("");
  const said = ref({ text: "", tone: "quiet" });
  const picked = ref("");
  const nodes = computed<PowerNode[]>(() => view.value?.power.nodes ?? []);
  const node = computed(() => nodes.value.find((n) => n.id === picked.value));
  function take(r: { data?: PowerView; error?: unknown }, text: string): boolean {
    if (r.data) { view.value = r.data; said.value = { text, tone: "good" }; }
    else said.value = { text: sentence(r.error), tone: "over" };
    return !!r.data;
  }
  async function load(id: string): Promise<void> {
    if (shot.value !== id) { view.value = null; picked.value = ""; said.value = { text: "", tone: "quiet" }; }
    shot.value = id;
    const r = await api.GET("/api/shots/{id}/power", { params: { path: { id } } }).catch(() => ({ data: undefined, error: undefined }));
    if (r.data) view.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  let line: Promise<unknown> = Promise.resolve();
  function inTurn<T>(f: () => Promise<T>): Promise<T> {
    const next = line.then(f);
    line = next.catch(() => undefined);
    return next;
  }
  function write(change: Partial<PowerView["power"]>, text = "Kept."): Promise<boolean> {
    return inTurn(async () => {
      const v = view.value;
      if (!v) return false;
      const r = await api.PUT("/api/shots/{id}/power", { params: { path: { id: shot.value }, query: { revision: v.revision } }, body: { ...v.power, ...change } }).catch(() => ({ data: undefined, error: undefined }));
      const ok = take(r, text);
      if (!ok && said.value.text.includes("in the meantime")) { const keep = said.value; await load(shot.value); said.value = keep; }
      return ok;
    });
  }
  function change(n: PowerNode): Promise<boolean> {
    return write({ nodes: nodes.value.some((x) => x.id === n.id) ? nodes.value.map((x) => (x.id === n.id ? n : x)) : [...nodes.value, n] });
  }
  // What hung on what is taken out hangs on what fed it.
  async function remove(id: string): Promise<void> {
    const gone = nodes.value.find((n) => n.id === id);
    if (await write({ nodes: nodes.value.filter((n) => n.id !== id).map((n) => (n.from === id ? { ...n, from: gone?.from } : n)) }, "Taken out.")) picked.value = "";
  }
  const at = computed(() => ({ params: { path: { id: shot.value } } }));
  const back = (): Promise<boolean> => inTurn(async () => take(await api.POST("/api/shots/{id}/power/back", at.value).catch(() => ({ data: undefined, error: undefined })), "Taken back."));
  const limits = (): Promise<boolean> => inTurn(async () => take(await api.POST("/api/shots/{id}/power/limits", at.value).catch(() => ({ data: undefined, error: undefined })), "They are in today's line-up."));
  return { view, shot, said, picked, nodes, node, load, write, change, remove, back, limits };
});
