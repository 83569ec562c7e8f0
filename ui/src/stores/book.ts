import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import { api, sentence, type RigLine, type RigSheet } from "../api/client";

import type { FieldChange } from "./documents";
import { useOutbox } from "./outbox";
import type { Kept } from "./site";

// The rig book: its machines, and the one that is open. Every change is a new version.
export const useBook = defineStore("book", () => {
  const outbox = useOutbox();
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
    const r = await api
      .GET("/api/rigs/{id}", { params: { path: { id } } })
      .catch(() => ({ data: undefined, error: undefined }));
    if (asked !== id) return;
    if (r.data) {
      if (!sheet.value || r.data.rig.version >= sheet.value.rig.version) sheet.value = r.data;
    } else said.value = { text: sentence(r.error), tone: "over" };
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
  // The next version: fields of it that were changed.
  async function amend(changes: FieldChange[], says: string): Promise<Kept> {
    const s = sheet.value;
    if (!s) return "wrong";
    if (changes.length === 0) {
      said.value = { text: "Nothing was changed.", tone: "quiet" };
      return "kept";
    }
    const a = await outbox.amend("rig", [s.rig.id], changes, {
      done: "The next version is written.",
      given: { says },
    });
    if (a.data) took({ data: a.data }, `Version ${a.data.rig.version} is written.`);
    else {
      if (a.stale) await open(s.rig.id);
      said.value = { text: a.text, tone: "over" };
    }
    return a.data ? "kept" : a.stale ? "stale" : "wrong";
  }
  async function back(): Promise<void> {
    const s = sheet.value;
    if (s && (await outbox.settled()))
      took(
        await api.POST("/api/rigs/{id}/back", {
          params: { path: { id: s.rig.id } },
          body: { base: s.rig.version },
        }),
        "Taken back: the version before is written anew.",
      );
  }
  async function begin(
    id: string,
    body: { name: string; kind?: string; copy?: string; given?: Record<string, number> },
  ): Promise<boolean> {
    return took(
      await api.POST("/api/rigs/{id}/begin", { params: { path: { id } }, body }),
      "It is in the book.",
    );
  }
  async function bring(id: string, doc: unknown, base: number): Promise<boolean> {
    return took(
      await api.POST("/api/rigs/{id}", {
        params: { path: { id } },
        body: { base, says: "read from a file", rig: doc as Record<string, never> },
      }),
      "Read from the file.",
    );
  }
  return { lines, sheet, said, list, open, amend, back, begin, bring };
});
