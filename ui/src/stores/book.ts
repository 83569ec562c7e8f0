import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import { api, sentence, type RigDoc, type RigLine, type RigSheet } from "../api/client";

// The rig book: its machines, and the one that is open. Every change is a new version.
export const useBook = defineStore("book", () => {
  const lines = shallowRef<RigLine[]>([]);
  const sheet = shallowRef<RigSheet | null>(null);
  const said = ref({ text: "", tone: "quiet" });
  let asked = "";

  async function list(): Promise<void> {
    const r = await api.GET("/api/rigs").catch(() => ({ data: undefined, error: undefined }));
    if (r.data) lines.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  async function open(id: string): Promise<void> {
    if (!id) return;
    asked = id;
    if (sheet.value?.rig.id !== id) sheet.value = null;
    const r = await api.GET("/api/rigs/{id}", { params: { path: { id } } }).catch(() => ({ data: undefined, error: undefined }));
    if (asked !== id) return;
    if (r.data) sheet.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  // What an answer made: shown, or why it was not made.
  function took(r: { data?: RigSheet; error?: unknown }, text: string): boolean {
    said.value = r.error ? { text: sentence(r.error), tone: "over" } : { text, tone: "good" };
    if (!r.data) return false;
    sheet.value = r.data;
    asked = r.data.rig.id;
    void list();
    return true;
  }
  async function write(rig: RigDoc, says: string): Promise<boolean> {
    const s = sheet.value;
    if (!s) return false;
    const r = await api.POST("/api/rigs/{id}", { params: { path: { id: s.rig.id } }, body: { base: s.rig.version, says, rig } });
    return took(r, `Version ${s.rig.version + 1} is written.`);
  }
  async function back(): Promise<void> {
    const s = sheet.value;
    if (s) took(await api.POST("/api/rigs/{id}/back", { params: { path: { id: s.rig.id } }, body: { base: s.rig.version } }), "Taken back: the version before is written anew.");
  }
  async function begin(id: string, body: { name: string; kind?: string; copy?: string; given?: Record<string, number> }): Promise<boolean> {
    return took(await api.POST("/api/rigs/{id}/begin", { params: { path: { id } }, body }), "It is in the book.");
  }
  async function bring(id: string, doc: unknown, base: number): Promise<boolean> {
    return took(await api.POST("/api/rigs/{id}", { params: { path: { id } }, body: { base, says: "read from a file", rig: doc as Record<string, never> } }), "Read from the file.");
  }
  return { lines, sheet, said, list, open, write, back, begin, bring };
});
