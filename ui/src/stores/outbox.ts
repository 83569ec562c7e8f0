import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, sentence, type Edit, type ShotView } from "../api/client";
import {
  documents,
  touches,
  versionOf,
  type FieldChange,
  type Given,
  type Of,
  type What,
} from "./documents";
import { windowKept } from "./prefs";

// What is on its way: an edit of the plan, made on a revision that was seen, or fields of a
// document. It is known by its deed, so that it is done once however often it is sent.
interface Way {
  deed: string;
  shot: string;
  done: string;
}
interface EditSent extends Way {
  revision: number;
  edit: Edit;
}
interface FieldsSent extends Way {
  what: What;
  of: string[];
  changes: FieldChange[];
  given: Given;
}
type Waiting = EditSent | FieldsSent;
// What was not made: again, it may be done all the same, on the version that is there now.
type Refused = Waiting & { text: string; again: boolean; version?: number };
type Answer<V> = {
  data?: V;
  text: string;
  stale: boolean;
  told?: boolean;
  field?: string;
  choices?: string[];
};

const pause = 1000; // ms between two tries
const most = 5; // how often an edit is sent that the application fails on

const typing = (e: EventTarget | null): boolean =>
  e instanceof HTMLTextAreaElement ||
  (e instanceof HTMLInputElement && !["checkbox", "radio", "button", "range"].includes(e.type));

// Edits leave this window one after another, in order. Those that cannot be sent
// wait, over a reload too, and are sent when the application answers; those that
// are not accepted are kept with the reason until somebody has read it.
export const useOutbox = defineStore("outbox", () => {
  // A window is one over its reloads; a copy of it, or another address typed into
  // it, is another.
  const desk = windowKept("keenarc.window", "");
  if (
    desk.value === "" ||
    (performance.getEntriesByType("navigation")[0] as PerformanceNavigationTiming | undefined)
      ?.type !== "reload"
  )
    desk.value = crypto.randomUUID();
  const waiting = windowKept<Waiting[]>("keenarc.waiting", []);
  const refused = windowKept<Refused[]>("keenarc.refused", []);
  const offline = ref(false);
  const sending = ref("");
  const count = computed(() => waiting.value.length);
  const answers = new Map<string, (a: Answer<unknown>) => void>();
  let running = false;

  // Versions of documents as this window shows them; what they were when the field that has the
  // focus got it, since its text is of then; and which version this window itself has given a
  // field, which it has seen, too.
  const shows = new Map<string, number>();
  let held: Map<string, number> | null = null;
  const made = new Map<string, { at: string[]; version: number }[]>();
  document.addEventListener(
    "focusin",
    (e) => {
      held = typing(e.target) ? new Map(shows) : null;
    },
    true,
  );
  document.addEventListener(
    "focusout",
    () => {
      held = null;
    },
    true,
  );
  const key = (what: string, of: string[]): string => [what, ...of].join(" ");
  function show(what: string, of: string[], version: number): void {
    shows.set(key(what, of), version);
  }
  const seen = (what: string, of: string[]): number | undefined =>
    held?.get(key(what, of)) ?? shows.get(key(what, of));

  // Sends an edit; the answer is the shot afterwards, or null where it was not made.
  async function put(
    shot: string,
    revision: number,
    edit: Edit,
    done: string,
  ): Promise<ShotView | null> {
    const a = await push<ShotView>({
      deed: crypto.randomUUID(),
      shot,
      revision: Math.min(revision, seen("shot", [shot]) ?? revision),
      edit,
      done,
    });
    return a.data ?? null;
  }
  // Sends fields of a document; the answer is what is shown of it afterwards.
  function amend<W extends What>(
    what: W,
    of: string[],
    changes: FieldChange[],
    with_: { shot?: string; done?: string; given?: Given } = {},
  ): Promise<Answer<Of<W>>> {
    return push<Of<W>>({
      deed: crypto.randomUUID(),
      shot: with_.shot ?? "",
      done: with_.done ?? "",
      what,
      of,
      changes,
      given: with_.given ?? {},
    });
  }
  function push<V>(w: Waiting): Promise<Answer<V>> {
    const answer = new Promise<Answer<V>>((r) =>
      answers.set(w.deed, r as (a: Answer<unknown>) => void),
    );
    waiting.value.push(JSON.parse(JSON.stringify(w)) as Waiting);
    void run();
    return answer;
  }

  async function send(
    w: Waiting,
  ): Promise<{ data?: unknown; error?: unknown; response?: Response }> {
    if ("edit" in w)
      return api.POST("/api/shots/{id}/edits", {
        params: { path: { id: w.shot } },
        body: { revision: w.revision, edit: w.edit, window: desk.value, deed: w.deed },
      });
    if (!(w.what in documents))
      return {
        error: {
          detail: "It was typed in another version of Keen Arc, and cannot be kept any more.",
        },
        response: new Response(null, { status: 422 }),
      };
    const own = made.get(key(w.what, w.of)) ?? [];
    w.changes = w.changes.map((c) => ({
      ...c,
      seen: Math.max(c.seen, ...own.filter((m) => touches(m.at, c.at)).map((m) => m.version)),
    }));
    return documents[w.what](w.of, w.changes, w.given);
  }
  function took(w: FieldsSent, data: unknown): void {
    const version = versionOf[w.what](data as never),
      k = key(w.what, w.of);
    made.set(k, [
      ...(made.get(k) ?? []).filter((m) => !w.changes.some((c) => c.at.join() === m.at.join())),
      ...w.changes.map((c) => ({ at: c.at, version })),
    ]);
  }

  // What was typed, where it is one thing that can be said.
  function gave(w: FieldsSent): string {
    const is = w.changes.length === 1 ? w.changes[0]?.is : undefined;
    return typeof is === "string" && is !== ""
      ? ` (“${is}”)`
      : typeof is === "number"
        ? ` (${is})`
        : "";
  }
  async function run(): Promise<void> {
    if (running) return;
    running = true;
    let failed = 0;
    for (let w = waiting.value[0]; w; w = waiting.value[0]) {
      sending.value = w.deed;
      const r = await send(w).catch(() => ({
        data: undefined,
        error: undefined,
        response: undefined,
      }));
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
      const { deed } = w;
      waiting.value = waiting.value.filter((q) => q.deed !== deed);
      if (r.data && !("edit" in w)) took(w, r.data);
      const text = r.data ? "" : sentence(r.error),
        p = r.error as { version?: number; field?: string; choices?: string[] | null } | undefined;
      let told = false; // beside the form, until somebody has read it
      const stale = status === 409 && ("edit" in w || p?.version !== undefined);
      // A form that is still there says itself what is wrong with what was typed.
      if (
        !r.data &&
        ("edit" in w || (status === 409 && p?.field !== "confirmed") || !answers.has(deed))
      ) {
        refused.value.push({
          ...w,
          text: "edit" in w ? text : `Not kept${gave(w)}: ${text}`,
          again: stale,
          version: p?.version,
        });
        told = true;
      }
      settle(deed, {
        data: r.data,
        text,
        stale,
        told,
        field: p?.field,
        choices: p?.choices ?? undefined,
      });
    }
    running = false;
  }

  function settle(deed: string, a: Answer<unknown>): void {
    answers.get(deed)?.(a);
    answers.delete(deed);
  }

  // Fields of a document whose answer is awaited: what is shown of them is not what was asked for.
  const underway = (what: What, of: string[]): string[][] =>
    waiting.value.flatMap((w) =>
      "edit" in w || key(w.what, w.of) !== key(what, of) ? [] : w.changes.map((c) => c.at),
    );

  // What is not a change of fields goes after those that were made before it; false: they
  // cannot be sent now, and it is not to be done later, unseen.
  async function settled(): Promise<boolean> {
    while (waiting.value.length > 0 && !offline.value)
      await new Promise((go) => window.setTimeout(go, 5));
    return waiting.value.length === 0;
  }

  // Takes the last edit back that was not sent yet; its words, or nothing.
  function withdraw(shot: string): string | null {
    const w = waiting.value
      .filter((q) => q.shot === shot && "edit" in q && q.deed !== sending.value)
      .pop();
    if (!w) return null;
    waiting.value = waiting.value.filter((q) => q.deed !== w.deed);
    settle(w.deed, { text: "", stale: false });
    return w.done || "An edit";
  }

  function read(deed: string): void {
    refused.value = refused.value.filter((q) => q.deed !== deed);
  }
  // Fields that somebody else had changed are given what was typed all the same.
  async function insist(deed: string): Promise<void> {
    const q = refused.value.find((x) => x.deed === deed);
    read(deed);
    if (q && !("edit" in q))
      await amend(
        q.what,
        q.of,
        q.changes.map((c) => ({ ...c, seen: q.version ?? c.seen })),
        q,
      );
  }

  window.addEventListener("beforeunload", (e) => {
    if (waiting.value.length > 0) e.preventDefault();
  });
  if (waiting.value.length > 0) void run(); // from before a reload
  return {
    desk,
    waiting,
    refused,
    offline,
    sending,
    count,
    show,
    seen,
    put,
    amend,
    underway,
    settled,
    withdraw,
    read,
    insist,
  };
});
