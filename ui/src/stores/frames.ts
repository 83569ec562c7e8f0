import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { api, sentence, type Cell, type FrameLayer, type FramesView } from "../api/client";
import { useAsk } from "./ask";
import type { FieldChange } from "./documents";
import { useLive } from "./live";
import { useOutbox } from "./outbox";
import { four, useShot } from "./shot";

type Answer = { data?: FramesView; error?: unknown };

// A shoot that is taken frame by frame: what there is, what comes next, what is asked.
export const useFrames = defineStore("frames", () => {
  const shot = useShot();
  const live = useLive();
  const outbox = useOutbox();
  const ask = useAsk();
  const view = shallowRef<FramesView | null>(null);
  const of = ref("");
  // The cell that is looked at; none: the live picture.
  const selected = shallowRef<Cell | null>(null);
  const editing = ref(false); // the sheet of layers and frames is open
  const pressed = ref(false);
  // The sheet of Shoot that is open: the one that was chosen, else the shot's own way.
  const sheet = ref<"" | "passes" | "frames">("");
  const open = computed(
    () => (sheet.value || (shot.view?.frames ? "frames" : "passes")) === "frames",
  );

  const now = computed(() => (live.now?.frames && of.value === shot.id ? live.now.frames : null));
  const layer = (id: string): FrameLayer | undefined => view.value?.rows.find((r) => r.id === id);
  const name = (c: Cell | undefined | null): string =>
    c ? `${four(c.frame)} ${layer(c.layer)?.name ?? ""}` : "";
  const cell = (c: Cell | undefined | null) =>
    c ? layer(c.layer)?.cells[view.value?.frames.indexOf(c.frame) ?? -1] : undefined;
  // The rig stands at the pose of the cell that comes next, as this page has it, too.
  const there = computed(() => {
    const a = now.value?.next,
      b = view.value?.now;
    return (now.value?.at_pose ?? false) && a?.frame === b?.frame && a?.layer === b?.layer;
  });
  // The cell that is worked on, else the one that comes next.
  const current = computed(() =>
    now.value?.busy && now.value.phase !== "away" ? now.value.cell : view.value?.now,
  );
  // What somebody must look at; an exposure that is being taken is none of it.
  const unsure = computed(() =>
    (view.value?.uncertain ?? []).filter(
      (u) =>
        !(
          now.value?.busy &&
          u.fate === "asked" &&
          u.frame === now.value.cell.frame &&
          u.layer === now.value.cell.layer
        ),
    ),
  );
  // What the rig is doing, in few words that are read from two metres, and whether hands
  // may be in the set.
  const state = computed(() => {
    const f = now.value;
    if (!f || live.lost) return { big: "NOT SEEN", hands: false };
    switch (f.busy ? f.phase : there.value ? "still" : "away") {
      case "going":
        return { big: "MOVING · HANDS OUT", hands: false };
      case "settling":
        return { big: "SETTLING · HANDS OUT", hands: false };
      case "exposing":
      case "keeping":
        return { big: "EXPOSING · HANDS OUT", hands: false };
      case "still":
        return live.moving
          ? { big: "MOVING · HANDS OUT", hands: false }
          : { big: "STILL · HANDS IN", hands: true };
    }
    return live.moving
      ? { big: "MOVING · HANDS OUT", hands: false }
      : { big: "HOLDING · NOT AT A FRAME", hands: false };
  });
  // The sentence of the strip: what keeps the next press, else what it does.
  const says = computed(() => {
    const f = now.value,
      v = view.value;
    if (live.lost)
      return {
        ok: false,
        text: "The application does not answer. It is tried again all the time.",
      };
    if (!f || !v) return { ok: false, text: "Looking at the rig …" };
    if (f.busy)
      return {
        ok: true,
        text: {
          going: `Going to frame ${four(f.cell.frame)}. Hands out.`,
          settling: "Settling. Hands out.",
          still: "Still.",
          exposing: `Exposing ${name(f.cell)}. Hands out.`,
          keeping: `Keeping ${name(f.cell)}.`,
          away: "…",
        }[f.phase],
      };
    if (!f.ready.ok) return { ok: false, text: f.ready.sentence };
    if (!v.now)
      return {
        ok: true,
        text:
          unsure.value.length > 0
            ? "Every frame is taken, but some are uncertain. Look at them, then answer."
            : "Every frame is taken.",
      };
    if (there.value)
      return { ok: true, text: "The rig is still. Hands in; press N when the set is right." };
    return {
      ok: true,
      text:
        `Not at frame ${four(v.now.frame)} yet, ${f.travel_mm} mm from it. Press N to go ` +
        "there.",
    };
  });

  function take(r: Answer): boolean {
    if (r.data) {
      if (of.value !== shot.id || !view.value || r.data.version >= view.value.version)
        view.value = r.data;
      of.value = shot.id;
      return true;
    }
    shot.trouble = sentence(r.error);
    return false;
  }
  const nothing = (): Answer => ({});
  async function load(): Promise<void> {
    const id = shot.id;
    if (!id) return;
    const r = await api.GET("/api/shots/{id}/frames", { params: { path: { id } } }).catch(nothing);
    if (id !== shot.id) return;
    if (r.data) take(r);
    else if (of.value !== id) view.value = null;
  }
  watch(
    () => [shot.id, shot.view?.frames, live.now?.version] as const,
    ([id, frames], was) => {
      if (id !== was?.[0]) selected.value = null;
      if (id && frames) void load();
      else if (id !== of.value) view.value = null;
    },
    { immediate: true },
  );

  const path = () => ({ params: { path: { id: shot.id } } });
  // One press. A question comes back where the rig would move far.
  async function next(): Promise<void> {
    if (pressed.value || editing.value || ask.question || ask.keys || !view.value) return;
    pressed.value = true;
    selected.value = null;
    const cell = view.value.now;
    try {
      const r = await api.POST("/api/shots/{id}/frames/next", { ...path(), body: { cell } });
      if (!r.data) {
        shot.trouble = sentence(r.error);
        await load();
      } else if (r.data.question) {
        const q = r.data.question;
        const exposes = there.value && (view.value.press.length ?? 0) > 0;
        ask.ask({
          title: exposes
            ? `Expose, then move ${q.travel_mm} mm?`
            : `Move ${q.travel_mm} mm to frame ${four(q.frame)}?`,
          text:
            `${q.text} Esc slows the rig to a stop; only the hardware stop is ` +
            "an emergency stop.",
          yes: exposes ? "Expose, then go" : "Go there",
          act: async () => {
            const a = await api.POST("/api/shots/{id}/frames/next", {
              ...path(),
              body: { cell, confirmed: true },
            });
            return a.data ? "" : sentence(a.error);
          },
        });
      } else shot.trouble = "";
    } catch {
      shot.trouble = sentence(undefined);
    }
    pressed.value = false;
  }
  const command = async (
    op: "once more" | "back to" | "step over",
    at?: Cell,
    again = false,
  ): Promise<void> => {
    if (
      take(
        await api
          .POST("/api/shots/{id}/frames/commands", {
            ...path(),
            body: { op, frame: at?.frame, layer: at?.layer, again },
          })
          .catch(nothing),
      )
    )
      selected.value = null;
  };
  const undo = async (): Promise<void> => {
    const words = view.value?.undo;
    if (take(await api.POST("/api/shots/{id}/frames/undo", path()).catch(nothing)))
      shot.said = `Taken back: ${words}.`;
  };
  const answer = async (exposure: string, counts: boolean): Promise<void> => {
    if (
      take(
        await api
          .POST("/api/shots/{id}/frames/answers", { ...path(), body: { exposure, counts } })
          .catch(nothing),
      )
    )
      selected.value = null;
  };
  const goOn = async (version: number, go_on: boolean): Promise<void> => {
    take(
      await api
        .POST("/api/shots/{id}/frames/path", { ...path(), body: { version, go_on } })
        .catch(nothing),
    );
  };
  // A frame's note, one after another; seen is what was seen of it, or what this page made of that.
  let notes: Promise<unknown> = Promise.resolve();
  const own = new Map<number, { on: string; text: string }>();
  const note = (frame: number, text: string, seen: string): Promise<unknown> =>
    (notes = notes.then(async () => {
      const mine = own.get(frame);
      const r = await api
        .PUT("/api/shots/{id}/frames/notes/{frame}", {
          params: { path: { id: shot.id, frame } },
          body: { text, seen: mine?.on === seen ? mine.text : seen },
        })
        .catch(nothing);
      if (take(r)) own.set(frame, { on: seen, text });
    }));
  const begin = async (every: number): Promise<void> => {
    if (
      take(await api.POST("/api/shots/{id}/frames", { ...path(), body: { every } }).catch(nothing))
    )
      await shot.reload();
  };
  // Changes fields of the scheme; "ask" means that pictures would lose their cell: asked first.
  async function change(
    changes: FieldChange[],
    confirmed = false,
  ): Promise<{ said: string; ask: boolean; stale: boolean }> {
    const a = await outbox.amend("scheme", [shot.id], changes, {
      shot: shot.id,
      done: "Layers and frames are changed.",
      given: { confirmed },
    });
    if (a.data) take({ data: a.data });
    else if (a.stale) await load();
    return { said: a.text, ask: a.field === "confirmed", stale: a.stale };
  }
  return {
    view,
    selected,
    editing,
    there,
    current,
    unsure,
    pressed,
    sheet,
    open,
    now,
    state,
    says,
    layer,
    name,
    cell,
    load,
    next,
    command,
    undo,
    answer,
    goOn,
    note,
    begin,
    change,
  };
});
