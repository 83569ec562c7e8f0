import { hour } from "./dates";
import { ref, type Ref } from "vue";
import { api, type PathVersion, type ShotView } from "../api/client";
import { useAsk } from "./ask";
import { useOutbox } from "./outbox";

// Sends something that is no edit, after the edits that were made before it; what is said when it
// is done.
export type Line = (
  send: (v: ShotView) => Promise<{ data?: ShotView; error?: unknown }>,
  done?: string,
) => Promise<boolean>;

// Taking edits back, doing them again, and going back to paths that there were.
export function takingBackOf(
  id: Ref<string>,
  view: Ref<ShotView | null>,
  words: { trouble: Ref<string>; said: Ref<string> },
  saving: Ref<number>,
  line: Line,
  sent: () => Promise<unknown>, // until what is on its way has arrived
  dropTried: () => boolean, // what was tried last, if anything was
  openedAt: (shot: string) => number, // the revision that this window opened it at
) {
  const outbox = useOutbox();
  const { trouble, said } = words;

  // Taking back and doing again are done one after another, each on what the one before it left.
  const takingBack = ref(0);
  let steps: Promise<boolean> = Promise.resolve(true);
  function inTurn(step: () => Promise<boolean>): Promise<boolean> {
    takingBack.value++;
    const shot = id.value;
    steps = steps
      .catch(() => false)
      .then(() => (shot === id.value && !useAsk().question ? step() : false))
      .finally(() => takingBack.value--);
    return steps;
  }
  const undo = (): Promise<boolean> => inTurn(takeBack);
  const redo = (): Promise<boolean> => inTurn(doAgain);

  // The last edit that has not left yet goes first; then a framing that was only
  // tried, before anything that is stored.
  const takeBack = async (): Promise<boolean> => {
    const w = outbox.withdraw(id.value);
    if (w !== null) {
      said.value = `Taken back before it was sent: ${w}`;
      return true;
    }
    if (saving.value > 0) {
      // what is on its way is the last edit once it has arrived
      await sent();
      await new Promise((go) => window.setTimeout(go));
    }
    if (dropTried()) return true;
    const u = view.value?.undo_takes,
      v = view.value;
    if (!v || !u) return false;
    const words = v.undo_words ?? "an edit";
    const others =
      u.actor.id !== v.you.id || (u.made_in !== outbox.desk && u.revision > openedAt(v.id));
    const back = (): Promise<boolean> =>
      line(
        (q) =>
          api.POST("/api/shots/{id}/undo", {
            params: { path: { id: q.id } },
            body: { revision: v.revision, window: outbox.desk },
          }),
        `Taken back: ${words}${others ? `, by ${u.actor.name}` : ""}.`,
      );
    if (!others) return back();
    useAsk().ask({
      title: `Take back what ${u.actor.name} did?`,
      text: `The last edit is not of this window: ${words}, by ${u.actor.name}, ${hour(u.at)}.`,
      yes: "Take it back",
      act: async () => ((await back()) ? "" : trouble.value),
    });
    return true;
  };
  const doAgain = (): Promise<boolean> =>
    line(
      (v) =>
        api.POST("/api/shots/{id}/redo", {
          params: { path: { id: v.id } },
          body: { revision: v.revision, window: outbox.desk },
        }),
      "Done again.",
    );
  // Back to the path that was sealed last, as an edit that can be taken back.
  const resume = (): Promise<boolean> =>
    line(
      (v) =>
        api.POST("/api/shots/{id}/resume", {
          params: { path: { id: v.id } },
          body: { revision: v.revision, window: outbox.desk },
        }),
      `Back to sealed path ${view.value?.seal?.version ?? ""}.`,
    );
  const backTo = (v: PathVersion): Promise<boolean> =>
    line(
      (w) =>
        api.POST("/api/shots/{id}/versions/{number}/back", {
          params: { path: { id: w.id, number: v.number } },
          body: { revision: w.revision, window: outbox.desk },
        }),
      `Back to ${v.name}.`,
    );
  async function versions(): Promise<PathVersion[]> {
    const r = await api
      .GET("/api/shots/{id}/versions", { params: { path: { id: id.value } } })
      .catch(() => ({ data: undefined }));
    return r.data ?? [];
  }

  return { takingBack, undo, redo, resume, backTo, versions };
}
