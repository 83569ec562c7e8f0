import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { api, sentence, type Edit, type ShotView, type Track, type View } from "../api/client";
import { awaited } from "../api/busy";
import { longestMove } from "../api/rules";
import { isFocus } from "./axes";
import { keep } from "./keep";
import { useOutbox } from "./outbox";
import { passList } from "./passList";
import { usePrefs, windowKept } from "./prefs";
import { sealingOf } from "./sealing";
import { takingBackOf } from "./takingBack";
import { timecodes } from "./timecodes";
import { triedAt } from "./tried";

// The playhead may stand beyond the keyframes: that is where the next one goes.
const farthest = longestMove;

interface Taken {
  shot: ShotView;
  said: string;
  others: Track[];
}
interface Offer {
  text: string;
  label: string;
  accept: () => Promise<unknown>;
}

// The open shot: its plan as the server knows it, the playhead, the selected
// axis, and nudges that are not stored yet.
export const useShot = defineStore("shot", () => {
  const prefs = usePrefs();
  const outbox = useOutbox();
  // The revision each shot was opened at.
  const firstSeen = windowKept<Record<string, number>>("keenarc.seen", {});
  const id = ref("");
  const who = computed(() => prefs.you);
  const view = shallowRef<ShotView | null>(null);
  const { passes, passesAre, reloadPasses, look, seen, forgetPasses, goOn, upTo } = passList(id);
  const trouble = ref("");
  const said = ref("");
  const saving = ref(0);
  const frame = ref(0);
  const gone = ref(0); // how often the playhead was sent somewhere
  const axis = ref(0);
  const pass = ref("");
  const { tried, pending, view: pendingView, ...trial } = triedAt(id, frame);
  const offer = shallowRef<Offer | null>(null);
  const exact = shallowRef<{ frame: number; values: Record<string, number>; view: View } | null>(
    null,
  );
  let queue: Promise<unknown> = Promise.resolve();
  let unread = ""; // the last trouble with loading

  const axes = computed(() => view.value?.rig.axes ?? []);
  const selected = computed(() => axes.value[axis.value]);
  const first = computed(() => view.value?.first ?? 0);
  const last = computed(() => view.value?.last ?? 0);
  const start = computed(() => view.value?.plot.start ?? 0);
  const end = computed(() => (view.value ? view.value.last + view.value.path.run_out : 0));
  const index = computed(() => {
    const v = view.value;
    if (!v) return 0;
    return Math.min(
      Math.max(Math.round((frame.value - v.plot.start) / v.plot.step), 0),
      v.plot.views.length - 1,
    );
  });
  // What was typed on a keyframe and is on its way to the plan: what is done next is done with it.
  const onItsWay = shallowRef<Record<number, Record<string, number>>>({});
  function sets(at: number, axisId: string, value: number): void {
    onItsWay.value = { ...onItsWay.value, [at]: { ...onItsWay.value[at], [axisId]: value } };
  }
  function isSet(at: number, axisId: string, value: number): void {
    if (onItsWay.value[at]?.[axisId] !== value) return;
    const left = { ...onItsWay.value[at] };
    delete left[axisId];
    onItsWay.value = { ...onItsWay.value, [at]: left };
  }
  const values = computed<Record<string, number>>(() => {
    const out: Record<string, number> = {};
    const e = exact.value?.frame === frame.value ? exact.value.values : null;
    axes.value.forEach(
      (a, i) =>
        (out[a.id] =
          onItsWay.value[frame.value]?.[a.id] ??
          pending.value[a.id] ??
          e?.[a.id] ??
          view.value?.plot.values[i]?.[index.value] ??
          0),
    );
    return out;
  });
  const camera = computed<View | null>(
    () =>
      pendingView.value ??
      (exact.value?.frame === frame.value ? exact.value.view : null) ??
      view.value?.plot.views[index.value] ??
      null,
  );
  const timecode = timecodes(view);
  const isPending = computed(() => Object.keys(pending.value).length > 0);

  // What an edit of this window has made.
  function takeOwn(v: ShotView): void {
    if (view.value?.id === v.id) goOn(view.value.version, v.version);
    take(v);
  }

  function take(v: ShotView): void {
    if (v.id !== id.value) return; // another shot was opened meanwhile
    // An answer that was overtaken.
    if (view.value?.id === v.id && v.version < view.value.version) return;
    if (v.revision !== view.value?.revision) offer.value = null;
    firstSeen.value[v.id] ??= v.revision;
    if (v.you.id !== who.value) {
      // somebody else sits here: where they were
      prefs.you = v.you.id;
      place(v.id);
    }
    view.value = view.value?.id === v.id ? keep(view.value, v) : v;
    outbox.show("shot", [v.id], v.revision);
    exact.value = null;
    lookExactly();
  }

  // Where the plot has no sample of its own (long moves, keyframes between
  // frames), the pose at the playhead is asked for.
  // It waits until the playhead rests: while it is dragged the plot is near enough.
  let resting = 0;
  function lookExactly(): void {
    window.clearTimeout(resting);
    const v = view.value,
      f = frame.value;
    if (!v || v.empty || (v.plot.step === 1 && Number.isInteger(f))) return;
    resting = window.setTimeout(() => void exactly(v, f), 60);
  }
  async function exactly(v: ShotView, f: number): Promise<void> {
    const r = await api
      .GET("/api/shots/{id}/pose", { params: { path: { id: v.id }, query: { frame: f } } })
      .catch(() => ({ data: undefined }));
    if (r.data && frame.value === f && view.value?.revision === v.revision)
      exact.value = { frame: f, ...r.data };
  }

  // Where this person was on a shot.
  function place(shot: string): void {
    const w = prefs.where[`${shot} ${who.value}`] ?? prefs.where[shot];
    frame.value = w?.frame ?? 0;
    axis.value = w?.axis ?? 0;
    pass.value = w?.pass ?? "";
  }

  async function load(shot: string): Promise<void> {
    if (id.value !== shot) {
      view.value = null;
      forgetPasses();
      offer.value = null;
      trouble.value = "";
      said.value = "";
      onItsWay.value = {};
      place(shot);
    }
    id.value = shot;
    await reload();
    void lookTried();
  }

  // Asked for again while it is on its way, it is asked for once more afterwards.
  let loading: { shot: string; done: Promise<void>; more: boolean } | null = null;
  function reload(): Promise<void> {
    if (loading?.shot === id.value) {
      loading.more = true;
      return loading.done;
    }
    const mine = { shot: id.value, done: Promise.resolve(), more: false };
    loading = mine;
    mine.done = (async () => {
      do {
        mine.more = false;
        await fetchShot(mine.shot);
      } while (mine.more && mine.shot === id.value);
      if (loading === mine) loading = null;
    })();
    return mine.done;
  }

  async function fetchShot(shot: string): Promise<void> {
    const at = look();
    const [a, b] = await Promise.all([
      api
        .GET("/api/shots/{id}", { params: { path: { id: shot } } })
        .catch(() => ({ data: undefined, error: undefined })),
      api
        .GET("/api/shots/{id}/passes", { params: { path: { id: shot } } })
        .catch(() => ({ data: undefined, error: undefined, response: new Response() })),
    ]);
    if (shot !== id.value) return;
    if (!a.data || !b.data) {
      trouble.value = unread = sentence(a.error ?? b.error);
      return;
    }
    if (trouble.value === unread) trouble.value = ""; // what else was said stays until it is read
    take(a.data);
    seen(at, b.data, b.response);
    if (!b.data.some((p) => p.id === pass.value)) pass.value = b.data[0]?.id ?? "";
  }

  // The shot has come to a version: asked for, unless the answer to an edit that is on its
  // way brings it.
  let heard = 0;
  let catching = false;
  async function catchUp(version: number): Promise<void> {
    heard = version;
    if (catching || !view.value) return;
    if (version <= view.value.version) {
      void upTo(version);
      return;
    }
    catching = true;
    const shot = id.value,
      pause = (ms: number): Promise<unknown> => new Promise((go) => window.setTimeout(go, ms));
    try {
      if (saving.value > 0) {
        await Promise.race([queue, pause(1000)]);
        await pause(0);
      }
      if (shot === id.value && heard > view.value.version) await reload();
    } finally {
      catching = false;
    }
  }

  // After the connection was gone: whatever comes next is newer.
  function doubt(): void {
    if (view.value && view.value.version !== -1) view.value = { ...view.value, version: -1 };
  }

  // What is not an edit goes one after another, after the edits that were made
  // before it, and is not kept: where nothing answers it is not done.
  function line(
    send: (v: ShotView) => Promise<{ data?: ShotView; error?: unknown }>,
    done = "",
  ): Promise<boolean> {
    if (outbox.offline) {
      trouble.value =
        "The application does not answer. This is not done; press again when it does.";
      return Promise.resolve(false);
    }
    saving.value++;
    const wrong = trouble.value;
    const next = queue.then(async () => {
      try {
        const v = view.value;
        if (!v) return false;
        const r = await send(v);
        if (r.data) {
          if (v.id === id.value && trouble.value === wrong) trouble.value = "";
          takeOwn(r.data);
          said.value = done;
          return true;
        }
        said.value = "";
        trouble.value = sentence(r.error);
        if (
          typeof r.error === "object" &&
          r.error &&
          "status" in r.error &&
          r.error.status === 409
        ) {
          const t = trouble.value;
          await reload();
          trouble.value = t;
        }
        return false;
      } catch {
        trouble.value =
          "The application does not answer. Whether this was done shows when it does; then " +
          "press again if it was not.";
        return false;
      } finally {
        saving.value--;
      }
    });
    queue = next.catch(() => false);
    return next;
  }

  async function edit(e: Edit, done = ""): Promise<boolean> {
    const shot = id.value,
      before = view.value,
      wrong = trouble.value;
    if (!before) return false;
    saving.value++;
    const sent = outbox.put(shot, before.revision, e, done);
    queue = queue.then(() => sent).catch(() => false);
    const v = await sent;
    saving.value--;
    if (shot !== id.value) return v !== null;
    if (!v) {
      said.value = "";
      await reload();
      return false;
    }
    if (trouble.value === wrong) trouble.value = ""; // what went wrong since is to be read
    takeOwn(v);
    said.value =
      v.over > 0 ? `${done || "Stored."} The plan was changed in another window, too.` : done;
    if (before.sealed_as_is && !v.sealed_as_is && before.seal)
      said.value = `${done} Opens sealed path ${before.seal.version}.`.trim();
    if (e.op === "factor") await offerSlower();
    return true;
  }

  // Tries an edit once more that another window's edit had overtaken.
  async function again(deed: string): Promise<void> {
    const q = outbox.refused.find((w) => w.deed === deed);
    outbox.read(deed);
    if (q && "edit" in q && q.shot === id.value) await edit(q.edit, q.done);
  }

  // A plan that was slowed leaves its passes faster than it: they can follow.
  async function offerSlower(): Promise<void> {
    await reloadPasses();
    const fast = passes.value.filter((p) => p.too_fast);
    const clock = view.value?.clock;
    if (fast.length === 0 || !clock) return;
    const names = fast.map((p) => p.number).join(", ");
    offer.value = {
      text:
        `${fast.length === 1 ? `Pass ${names} is` : `Passes ${names} are`} faster than the ` +
        "plan now.",
      label: `slow ${fast.length === 1 ? "it" : "them"} too`,
      accept: async () => {
        for (const p of fast) {
          const r = await api.PUT("/api/passes/{id}", {
            params: { path: { id: p.id } },
            body: { shot: id.value, clock, seen: p.clock_spec },
          });
          if (r.data) passesAre(r.data);
          else trouble.value = sentence(r.error);
        }
        offer.value = null;
        said.value = "The passes are slowed, too.";
      },
    };
  }
  function dropTried(): boolean {
    const t = tried.value[tried.value.length - 1];
    if (!t) return false;
    drop(t.frame);
    if (t.frame !== frame.value) go(t.frame);
    said.value = `What was tried at ${four(t.frame)} is taken back.`;
    return true;
  }
  const { takingBack, undo, redo, resume, backTo, versions } = takingBackOf(
    id,
    view,
    { trouble, said },
    saving,
    line,
    () => queue,
    dropTried,
    (shot) => firstSeen.value[shot] ?? 0,
  );
  const { seal, signSeal } = sealingOf(view, passes, trouble, line, reload, resume);

  // Only the axes in the file change; the answer says which stayed, and the
  // others can be taken out, too.
  async function upload(file: File): Promise<boolean> {
    let answer: Taken | null = null;
    const ok = await line(async (v) => {
      const r = await awaited(
        fetch(`/api/shots/${v.id}/keys?revision=${v.revision}&window=${outbox.desk}`, {
          method: "POST",
          body: file,
        }),
      );
      const b: unknown = await r.json();
      if (!r.ok) return { error: b };
      answer = b as Taken;
      return { data: answer.shot };
    }, `Keyframes taken from ${file.name}.`);
    const t = answer as Taken | null;
    if (ok && t) {
      said.value = t.said;
      if (t.others.length > 0)
        offer.value = {
          text: t.said,
          label: "the others out too",
          accept: () => edit({ op: "replace", tracks: t.others }, "The others are out, too."),
        };
    }
    return ok;
  }

  function go(f: number): void {
    const onKey = axes.value.some((a) => keyAt(a.id, f));
    const to = Math.min(
      Math.max(onKey ? f : Math.round(f), start.value - farthest),
      start.value + farthest,
    );
    frame.value = to;
    gone.value++;
    remember();
    if (pendingView.value) pendingView.value = null;
    lookExactly();
    void lookTried();
  }

  function select(i: number): void {
    axis.value = (i + axes.value.length) % Math.max(1, axes.value.length);
    remember();
  }

  function choosePass(p: string): void {
    pass.value = p;
    remember();
  }

  function remember(stage?: string): void {
    if (!id.value) return;
    const key = `${id.value} ${who.value}`,
      old = prefs.where[key] ?? prefs.where[id.value];
    prefs.where[key] = prefs.where[id.value] = {
      frame: frame.value,
      axis: axis.value,
      pass: pass.value,
      stage: stage ?? old?.stage ?? "compose",
    };
  }

  // A value that is tried out: shown at once, stored by K or, on a keyframe, by itself.
  async function tryValues(v: Record<string, number>): Promise<void> {
    for (const axisId of Object.keys(v))
      isSet(frame.value, axisId, onItsWay.value[frame.value]?.[axisId] ?? NaN);
    trial.keep(v);
    await lookTried();
  }
  const lookTried = (): Promise<void> => trial.look(values.value);

  async function ringFor(distance: number): Promise<number | null> {
    const r = await api.POST("/api/shots/{id}/pose", {
      params: { path: { id: id.value } },
      body: { values: values.value, focus_m: distance },
    });
    if (!r.data) {
      trouble.value = sentence(r.error);
      return null;
    }
    const ring = axes.value.find(isFocus);
    return ring ? (r.data.values[ring.id] ?? null) : null;
  }

  // Forgets what was tried at a frame: this one where none is named; or of one axis what it is.
  const drop = (at = frame.value): void => trial.drop(at);
  const forget = (at: number, axisId: string, value: number): void =>
    trial.forget(at, axisId, value);

  function keyAt(axisId: string, f: number): boolean {
    return (
      view.value?.path.tracks.find((t) => t.axis === axisId)?.keys.some((k) => k.frame === f) ??
      false
    );
  }

  // The frame that is stored at: a keyframe less than half a frame away is the one that is meant.
  function nearest(ids: string[]): number {
    const keys =
      view.value?.path.tracks
        .filter((t) => ids.includes(t.axis))
        .flatMap((t) => t.keys.map((k) => k.frame)) ?? [];
    const near = keys
      .filter((k) => Math.abs(k - frame.value) < 0.5)
      .sort((a, b) => Math.abs(a - frame.value) - Math.abs(b - frame.value));
    return near[0] ?? frame.value;
  }

  // What is typed and not a value yet, as a distance that becomes a place of the ring: a command
  // waits for it.
  let typing: Promise<unknown> = Promise.resolve();
  const typed = (p: Promise<unknown>): void => {
    typing = Promise.allSettled([typing, p]);
  };

  async function store(only?: string): Promise<void> {
    const where = frame.value;
    await typing;
    if (frame.value !== where) {
      // what was typed there lies there, tried
      trouble.value =
        `Nothing was stored at ${four(where)}: the playhead had left it. ` + "Go back and press K.";
      return;
    }
    const v: Record<string, number> = {};
    for (const a of axes.value) if (!only || a.id === only) v[a.id] = values.value[a.id] ?? 0;
    const word = only ? (axes.value.find((a) => a.id === only)?.name ?? only) : "All axes";
    const at = frame.value,
      to = nearest(Object.keys(v));
    if (!(await edit({ op: "set", frame: to, values: v }, `${word} stored at ${four(to)}.`)))
      return;
    const rest = only
      ? Object.entries(tried.value.find((t) => t.frame === at)?.values ?? {}).filter(
          ([axis]) => axis !== only,
        )
      : [];
    drop(at);
    if (rest.length > 0) trial.put(at, Object.fromEntries(rest));
  }

  // Passing words leave after a while.
  let passing = 0;
  watch(said, (text) => {
    window.clearTimeout(passing);
    if (text)
      passing = window.setTimeout(() => {
        said.value = "";
      }, 10_000);
  });

  return {
    id,
    who,
    view,
    passes,
    trouble,
    said,
    saving,
    takingBack,
    frame,
    gone,
    axis,
    pass,
    tried,
    pending,
    offer,
    axes,
    selected,
    first,
    last,
    start,
    end,
    index,
    values,
    camera,
    isPending,
    timecode,
    load,
    reload,
    catchUp,
    doubt,
    reloadPasses,
    passesAre,
    edit,
    again,
    undo,
    redo,
    resume,
    backTo,
    versions,
    seal,
    signSeal,
    upload,
    go,
    select,
    choosePass,
    remember,
    tryValues,
    ringFor,
    typed,
    sets,
    isSet,
    drop,
    forget,
    keyAt,
    nearest,
    store,
  };
});

export function four(f: number): string {
  const whole = Math.trunc(Math.abs(f));
  const part = +(Math.abs(f) - whole).toFixed(2);
  const n =
    whole.toString().padStart(4, "0") + (part > 0 && part < 1 ? part.toString().slice(1) : "");
  return f < 0 ? `-${n}` : n;
}
