import { ref, shallowRef, type Ref, type ShallowRef } from "vue";
import { sentence } from "../api/client";

// What the sheets of a place have in common: one document per shot, looked at anew when
// somebody changed it; every change is made in turn on what came of the one before, kept
// whole, and can be taken back.
export type Said = { text: string; tone: string };
export type Answered<V> = Promise<{ data?: V; error?: unknown }>;

export interface SiteSheet<V> {
  view: ShallowRef<V | null>;
  shot: Ref<string>;
  said: Ref<Said>;
  picked: Ref<string>;
  load(id: string): Promise<void>;
  ask(f: () => Answered<V>, text: string): Promise<boolean>;
}

export function siteSheet<V>(get: (id: string) => Answered<V>): SiteSheet<V> {
  const view = shallowRef<V | null>(null);
  const shot = ref("");
  const said = ref<Said>({ text: "", tone: "quiet" });
  const picked = ref("");
  let turn = 0;
  let line: Promise<unknown> = Promise.resolve();

  async function load(id: string): Promise<void> {
    if (shot.value !== id) { view.value = null; picked.value = ""; said.value = { text: "", tone: "quiet" }; }
    shot.value = id;
    const mine = ++turn;
    const r = await get(id).catch(() => ({ data: undefined, error: undefined }));
    if (mine !== turn) return;
    if (r.data) view.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  function ask(f: () => Answered<V>, text: string): Promise<boolean> {
    const next = line.then(async () => {
      turn++;
      const r = await f().catch(() => ({ data: undefined, error: undefined }));
      turn++;
      if (r.data) { view.value = r.data; said.value = { text, tone: "good" }; return true; }
      const why = { text: sentence(r.error), tone: "over" };
      if (why.text.includes("in the meantime")) await load(shot.value);
      said.value = why;
      return false;
    });
    line = next.catch(() => undefined);
    return next;
  }
  return { view, shot, said, picked, load, ask };
}
