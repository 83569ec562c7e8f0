import { ref, shallowRef, type Ref, type ShallowRef } from "vue";
import { sentence } from "../api/client";
import { differs, versionOf, type FieldChange, type Of } from "./documents";
import { useOutbox } from "./outbox";

// What the sheets of a place have in common: one document per shot, looked at anew when
// somebody changed it; its fields are changed one by one, in turn, and what was changed
// can be taken back.
type Said = { text: string; tone: string; field?: string; choices?: string[] };
type Answered<V> = Promise<{ data?: V; error?: unknown }>;

interface SiteSheet<V, D> {
  view: ShallowRef<V | null>;
  shot: Ref<string>;
  said: Ref<Said>;
  picked: Ref<string>;
  load(id: string): Promise<void>;
  ask(f: () => Answered<V>, text: string): Promise<boolean>;
  // Fields that were changed; or those in which a document differs from the one that is shown.
  amend(changes: FieldChange[], text?: string): Promise<Kept>;
  write(doc: D, text?: string): Promise<boolean>;
}
export type Kept = "kept" | "stale" | "wrong";

type Sheets = "order" | "ground" | "power" | "points";
export function siteSheet<W extends Sheets, D>(
  what: W,
  get: (id: string) => Answered<Of<W>>,
  doc: (v: Of<W>) => D,
): SiteSheet<Of<W>, D> {
  type V = Of<W>;
  const outbox = useOutbox();
  const view = shallowRef<V | null>(null) as ShallowRef<V | null>;
  const shot = ref("");
  const said = ref<Said>({ text: "", tone: "quiet" });
  const picked = ref("");
  // Of the looks: one that was overtaken by another is dropped, an older version never shown.
  let turn = 0;
  let line: Promise<unknown> = Promise.resolve();

  function take(id: string, v: V): void {
    if (id !== shot.value || (view.value && versionOf[what](v) < versionOf[what](view.value)))
      return;
    view.value = v;
    outbox.show(what, [id], versionOf[what](v));
  }
  async function load(id: string): Promise<void> {
    if (shot.value !== id) {
      view.value = null;
      picked.value = "";
      said.value = { text: "", tone: "quiet" };
    }
    shot.value = id;
    const mine = ++turn;
    const r = await get(id).catch(() => ({ data: undefined, error: undefined }));
    if (mine !== turn) return;
    if (r.data) take(id, r.data);
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  async function amend(changes: FieldChange[], text = "Kept."): Promise<Kept> {
    const id = shot.value;
    if (!id || !view.value) return "wrong";
    if (changes.length === 0 && (view.value as { kept?: boolean }).kept !== false) {
      said.value = { text, tone: "good" };
      return "kept";
    }
    const a = await outbox.amend(what, [id], changes, { shot: id, done: text });
    if (id !== shot.value) return a.data ? "kept" : "wrong";
    if (a.data) {
      take(id, a.data);
      said.value = { text, tone: "good" };
      return "kept";
    }
    said.value = {
      text: a.told ? "Not kept: see below." : a.text,
      tone: "over",
      field: a.field,
      choices: a.choices,
    };
    if (a.stale) {
      const s = said.value;
      await load(id);
      said.value = s;
    }
    return a.stale ? "stale" : "wrong";
  }
  async function write(d: D, text = "Kept."): Promise<boolean> {
    const v = view.value;
    if (!v) return false;
    const seen = outbox.seen(what, [shot.value]) ?? versionOf[what](v);
    return (
      (await amend(
        differs(doc(v), d).map((c) => ({ ...c, seen })),
        text,
      )) === "kept"
    );
  }
  // A command goes after what was typed before it.
  function ask(f: () => Answered<V>, text: string): Promise<boolean> {
    const id = shot.value;
    const next = line.then(async () => {
      if (!(await outbox.settled())) {
        said.value = {
          text:
            "The application does not answer; what was typed waits. This is not done: press " +
            "again when it does.",
          tone: "over",
        };
        return false;
      }
      const r = await f().catch(() => ({ data: undefined, error: undefined }));
      if (r.data) {
        take(id, r.data);
        said.value = { text, tone: "good" };
        return true;
      }
      const why = { text: sentence(r.error), tone: "over" };
      if (why.text.includes("in the meantime")) await load(shot.value);
      said.value = why;
      return false;
    });
    line = next.catch(() => undefined);
    return next;
  }
  return { view, shot, said, picked, load, ask, amend, write };
}
