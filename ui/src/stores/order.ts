import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, sentence, type OrderDoc, type OrderStep, type OrderView, type Setup } from "../api/client";

// The running order against the clock. It is asked for anew while it is looked at, since
// the clock goes on; every change is kept whole, and can be taken back.
export const useOrder = defineStore("order", () => {
  const view = shallowRef<OrderView | null>(null);
  const shot = ref("");
  const said = ref({ text: "", tone: "quiet" });
  const picked = ref(""); // the step that is looked at
  const step = computed<OrderStep | undefined>(() => view.value?.order?.steps.find((s) => s.id === picked.value));
  const at = computed(() => ({ params: { path: { id: shot.value } } }));
  let turn = 0;
  // What is asked for is done in turn, each on what came of the one before.
  let line: Promise<unknown> = Promise.resolve();
  function inTurn<T>(f: () => Promise<T>): Promise<T> {
    const next = line.then(() => { turn++; return f(); });
    line = next.catch(() => undefined);
    return next;
  }

  function take(r: { data?: OrderView; error?: unknown }, text = ""): boolean {
    if (r.data) { view.value = r.data; said.value = { text, tone: "good" }; }
    else said.value = { text: sentence(r.error), tone: "over" };
    return !!r.data;
  }
  async function load(id: string): Promise<void> {
    if (shot.value !== id) { view.value = null; picked.value = ""; said.value = { text: "", tone: "quiet" }; }
    shot.value = id;
    const mine = ++turn;
    const r = await api.GET("/api/shots/{id}/order", { params: { path: { id } } }).catch(() => ({ data: undefined, error: undefined }));
    if (mine !== turn) return;
    if (r.data) view.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  function write(change: Partial<OrderDoc>, text = "Kept."): Promise<boolean> {
    return inTurn(async () => {
      const v = view.value;
      if (!v?.order) return false;
      const r = await api.PUT("/api/shots/{id}/order", { params: { path: { id: shot.value }, query: { revision: v.revision } }, body: { ...v.order, ...change } })
        .catch(() => ({ data: undefined, error: undefined }));
      const ok = take(r, text);
      if (!ok && said.value.text.includes("in the meantime")) { const keep = said.value; await load(shot.value); said.value = keep; }
      return ok;
    });
  }
  // One step is changed, added (no such id yet) or taken out.
  function change(s: OrderStep): Promise<boolean> {
    const list = view.value?.order?.steps ?? [];
    const there = list.some((x) => x.id === s.id);
    return write({ steps: there ? list.map((x) => (x.id === s.id ? s : x)) : [...list, s] });
  }
  async function remove(id: string): Promise<void> {
    const list = view.value?.order?.steps ?? [];
    const gone = list.find((s) => s.id === id);
    // What waited for it waits for what it waited for.
    const after = (a: string[]): string[] => [...new Set(a.flatMap((x) => (x === id ? gone?.after ?? [] : [x])))];
    if (await write({ steps: list.filter((s) => s.id !== id).map((s) => ({ ...s, after: after(s.after ?? []) })) }, "Taken out.")) picked.value = "";
  }
  function press(id: string, what: "start" | "done" | "back"): Promise<boolean> {
    return inTurn(async () => take(await api.POST("/api/shots/{id}/order/press", { ...at.value, body: { step: id, what } }).catch(() => ({ data: undefined, error: undefined })), { start: "Begun.", done: "Done.", back: "Taken back." }[what]));
  }
  function back(): Promise<boolean> {
    return inTurn(async () => take(await api.POST("/api/shots/{id}/order/back", at.value).catch(() => ({ data: undefined, error: undefined })), "Taken back."));
  }
  function begin(date: string, start: string, setup: Setup, same: boolean): Promise<boolean> {
    return inTurn(async () => take(await api.POST("/api/shots/{id}/order", { ...at.value, body: { date, start, setup, same } }).catch(() => ({ data: undefined, error: undefined })), "Begun."));
  }
  return { view, shot, said, picked, step, load, write, change, remove, press, back, begin };
});
