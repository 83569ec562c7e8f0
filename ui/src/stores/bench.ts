import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, sentence, type BenchView, type CameraPackage, type Settled } from "../api/client";
import { differs, touches, type FieldChange } from "./documents";
import { useOutbox } from "./outbox";
import { useShot } from "./shot";
import type { Kept } from "./site";

// The balance bench: a camera package on a machine. Fields of its record are changed one by one,
// and what was changed can be taken back.
export const useBench = defineStore("bench", () => {
  const shot = useShot();
  const outbox = useOutbox();
  const packages = shallowRef<CameraPackage[]>([]);
  const view = shallowRef<BenchView | null>(null);
  const said = ref({ text: "", tone: "quiet" });
  const picked = ref("");
  const pack = computed(() => picked.value || shot.view?.package || packages.value[0]?.id || "");
  let asked = "";

  async function list(): Promise<void> {
    const r = await api.GET("/api/packages").catch(() => ({ data: undefined, error: undefined }));
    if (r.data) packages.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  async function open(machine: string, id: string): Promise<void> {
    if (!machine || !id) return;
    const key = (asked = machine + id);
    if (view.value && (view.value.machine !== machine || view.value.package.id !== id))
      view.value = null;
    const r = await api
      .GET("/api/machines/{id}/bench/{package}", { params: { path: { id: machine, package: id } } })
      .catch(() => ({ data: undefined, error: undefined }));
    if (asked !== key) return;
    if (r.data) take(r.data);
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  // What is shown is never older than what was.
  function take(v: BenchView): void {
    const was = view.value;
    if (
      was &&
      was.machine === v.machine &&
      was.package.id === v.package.id &&
      ((v.kept?.version ?? 0) < (was.kept?.version ?? 0) || v.package.version < was.package.version)
    )
      return;
    view.value = v;
    outbox.show("bench", [v.machine, v.package.id], v.kept?.version ?? 0);
    outbox.show("package", [v.package.id], v.package.version);
  }
  // One or the other field; or what comes of what there is then, for lists that one adds to.
  let line: Promise<unknown> = Promise.resolve();
  function keep(
    change: Partial<Settled> | ((was: Settled) => Partial<Settled>),
    text = "Kept.",
  ): Promise<boolean> {
    const write = async (c: Partial<Settled>): Promise<boolean> => {
      const v = view.value;
      if (!v) return false;
      const of = [v.machine, v.package.id],
        seen = outbox.seen("bench", of) ?? 0,
        wanted = { ...v.record, ...c };
      const changes = differs(v.record, wanted);
      // Back to what is shown, while another value is on its way.
      for (const k of Object.keys(c) as (keyof Settled)[]) {
        if (
          !changes.some((d) => d.at[0] === k) &&
          outbox.underway("bench", of).some((at) => at[0] === k)
        )
          changes.push(c[k] === undefined ? { at: [k] } : { at: [k], is: c[k] });
      }
      return (
        (await amend(
          changes.map((d) => ({ ...d, seen })),
          text,
        )) === "kept"
      );
    };
    if (typeof change !== "function") return write(change);
    const next = line.then(async () => {
      await outbox.settled();
      return view.value ? write(change(view.value.record)) : false;
    });
    line = next.catch(() => false);
    return next;
  }
  // One of the things to look after.
  function check(which: keyof Settled["checks"], on: boolean, text: string): Promise<Kept> {
    const v = view.value;
    return amend(
      [
        {
          at: ["checks", which],
          is: on,
          seen: v ? (outbox.seen("bench", [v.machine, v.package.id]) ?? 0) : 0,
        },
      ],
      text,
    );
  }
  let wrong = { at: [] as string[][], until: 0 };
  async function amend(changes: FieldChange[], text = "Kept."): Promise<Kept> {
    const v = view.value;
    if (!v) return "wrong";
    if (changes.length === 0 && v.kept) {
      said.value = { text, tone: "good" };
      return "kept";
    }
    const a = await outbox.amend("bench", [v.machine, v.package.id], changes, {
      done: text,
      given: { version: v.package.version },
    });
    const answer = a.data ? "kept" : a.stale ? "stale" : "wrong";
    if (view.value?.machine !== v.machine || view.value.package.id !== v.package.id) return answer;
    if (a.data) take(a.data);
    else await open(v.machine, v.package.id);
    // What was wrong with another field just before is to be read.
    if (
      a.data &&
      Date.now() < wrong.until &&
      !changes.some((c) => wrong.at.some((at) => touches(at, c.at)))
    )
      return answer;
    wrong = a.data
      ? { at: [], until: 0 }
      : { at: changes.map((c) => c.at), until: Date.now() + 4000 };
    said.value = a.data
      ? { text, tone: "good" }
      : { text: a.told ? "Not kept: see below." : a.text, tone: "over" };
    return answer;
  }
  // A command goes after what was typed before it.
  async function command(
    f: (p: {
      path: { id: string; package: string };
    }) => Promise<{ data?: BenchView; error?: unknown }>,
    text: string,
  ): Promise<void> {
    const v = view.value;
    if (!v) return;
    if (!(await outbox.settled())) {
      said.value = {
        text: "The application does not answer; what was typed waits. This is not done.",
        tone: "over",
      };
      return;
    }
    const r = await f({ path: { id: v.machine, package: v.package.id } }).catch(() => ({
      data: undefined,
      error: undefined,
    }));
    said.value = r.data ? { text, tone: "good" } : { text: sentence(r.error), tone: "over" };
    if (r.data) take(r.data);
  }
  const back = (): Promise<void> =>
    command(
      (params) => api.POST("/api/machines/{id}/bench/{package}/back", { params }),
      "Taken back.",
    );
  // The tilt's soft limit is drawn in to where the camera's bulk would touch.
  const trim = (): Promise<void> =>
    command(
      (params) => api.POST("/api/machines/{id}/bench/{package}/trim", { params }),
      "The soft limit is drawn in, in today's line-up.",
    );
  // An arm's wrist is read where it stands.
  const feel = (): Promise<void> =>
    command((params) => api.POST("/api/machines/{id}/bench/{package}/feel", { params }), "Read.");
  // Writes the package that is open, its fields that were changed; or a copy of it under another
  // name.
  async function write(changes: FieldChange[]): Promise<Kept> {
    const p = view.value?.package;
    if (!p) return "wrong";
    if (changes.length === 0) return "kept";
    const a = await outbox.amend("package", [p.id], changes, { done: "The package is written." });
    if (a.data) await written(a.data);
    else {
      await open(view.value?.machine ?? "", p.id);
      said.value = { text: a.text, tone: "over" };
    }
    return a.data ? "kept" : a.stale ? "stale" : "wrong";
  }
  async function copy(body: { name: string; load?: CameraPackage["load"] }): Promise<boolean> {
    const p = view.value?.package;
    if (!p) return false;
    const r = await api
      .POST("/api/packages", { body: { ...body, copy: p.id } })
      .catch(() => ({ data: undefined, error: undefined }));
    if (r.data) await written(r.data);
    else said.value = { text: sentence(r.error), tone: "over" };
    return !!r.data;
  }
  async function written(p: CameraPackage): Promise<void> {
    await list();
    picked.value = p.id;
    await open(view.value?.machine ?? "", p.id);
    said.value = { text: `${p.name}, version ${p.version}, is written.`, tone: "good" };
  }
  // The first package there is: the camera that the shot has.
  async function begin(): Promise<void> {
    const lens = shot.view?.lens;
    if (!lens) return;
    const r = await api
      .POST("/api/packages", { body: { name: lens.name, lens, load: { pieces: [] } } })
      .catch(() => ({ data: undefined, error: undefined }));
    if (!r.data) {
      said.value = { text: sentence(r.error), tone: "over" };
      return;
    }
    await list();
    picked.value = r.data.id;
  }
  return {
    packages,
    view,
    said,
    picked,
    pack,
    list,
    open,
    keep,
    check,
    amend,
    back,
    trim,
    feel,
    write,
    copy,
    begin,
  };
});
