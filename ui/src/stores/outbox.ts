import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, sentence, type Edit, type ShotView } from "../api/client";
import { windowKept } from "./prefs";

// An edit on its way: made on a revision that was seen, known by its deed, so that
// it is done once however often it is sent.
interface Waiting { deed: string; shot: string; revision: number; edit: Edit; done: string }
interface Refused { deed: string; shot: string; text: string; edit: Edit; done: string; again: boolean }

const pause = 1000; // ms between two tries
const most = 5; // how often an edit is sent that the application fails on

// Edits leave this window one after another, in order. Those that cannot be sent
// wait, over a reload too, and are sent when the application answers; those that
// are not accepted are kept with the reason until somebody has read it.
export const useOutbox = defineStore("outbox", () => {
  // A window is one over its reloads; a copy of it, or another address typed into
  // it, is another.
  const desk = windowKept("keenarc.window", "");
  if (desk.value === "" || (performance.getEntriesByType("navigation")[0] as PerformanceNavigationTiming | undefined)?.type !== "reload") desk.value = crypto.randomUUID();
  const waiting = windowKept<Waiting[]>("keenarc.waiting", []);
  const refused = windowKept<Refused[]>("keenarc.refused", []);
  const offline = ref(false);
  const sending = ref("");
  const count = computed(() => waiting.value.length);
  const answers = new Map<string, (v: ShotView | null) => void>();
  let running = false;

  // Sends an edit; the answer is the shot afterwards, or null where it was not made.
  function put(shot: string, revision: number, edit: Edit, done: string): Promise<ShotView | null> {
    const deed = crypto.randomUUID();
    const answer = new Promise<ShotView | null>((r) => answers.set(deed, r));
    waiting.value.push({ deed, shot, revision, edit, done });
    void run();
    return answer;
  }

  async function run(): Promise<void> {
    if (running) return;
    running = true;
    let failed = 0;
    for (let w = waiting.value[0]; w; w = waiting.value[0]) {
      sending.value = w.deed;
      const r = await api.POST("/api/shots/{id}/edits", { params: { path: { id: w.shot } }, body: { revision: w.revision, edit: w.edit, window: desk.value, deed: w.deed } })
        .catch(() => ({ data: undefined, error: undefined, response: undefined }));
      sending.value = "";
      const status = r.response?.status ?? 0;
      failed = !r.data && status === 500 ? failed + 1 : 0;
      if (!r.data && failed < most && (status === 0 || status >= 500)) {
        offline.value = true;
        await new Promise((go) => window.setTimeout(go, pause));
        continue;
      }
      offline.value = false;
      failed = 0;
      waiting.value = waiting.value.filter((q) => q.deed !== w.deed);
      if (!r.data) refused.value.push({ deed: w.deed, shot: w.shot, text: sentence(r.error), edit: w.edit, done: w.done, again: status === 409 });
      settle(w.deed, r.data ?? null);
    }
    running = false;
  }

  function settle(deed: string, v: ShotView | null): void {
    answers.get(deed)?.(v);
    answers.delete(deed);
  }

  // Takes the last edit back that was not sent yet; its words, or nothing.
  function withdraw(shot: string): string | null {
    const w = waiting.value.filter((q) => q.shot === shot && q.deed !== sending.value).pop();
    if (!w) return null;
    waiting.value = waiting.value.filter((q) => q.deed !== w.deed);
    settle(w.deed, null);
    return w.done || "An edit";
  }

  function read(deed: string): void {
    refused.value = refused.value.filter((q) => q.deed !== deed);
  }

  window.addEventListener("beforeunload", (e) => { if (waiting.value.length > 0) e.preventDefault(); });
  if (waiting.value.length > 0) void run(); // from before a reload
  return { desk, waiting, refused, offline, sending, count, put, withdraw, read };
});
