import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, sentence, type BenchView, type CameraPackage, type Settled } from "../api/client";
import { useShot } from "./shot";

// The balance bench: a camera package on a machine. Every change is kept whole, and can be
// taken back.
export const useBench = defineStore("bench", () => {
  const shot = useShot();
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
    if (view.value && (view.value.machine !== machine || view.value.package.id !== id)) view.value = null;
    const r = await api.GET("/api/machines/{id}/bench/{package}", { params: { path: { id: machine, package: id } } }).catch(() => ({ data: undefined, error: undefined }));
    if (asked !== key) return;
    if (r.data) view.value = r.data;
    else said.value = { text: sentence(r.error), tone: "over" };
  }
  // One change after another, each on what the one before came to.
  type Change = Partial<Settled> | ((was: Settled) => Partial<Settled>);
  let line: Promise<unknown> = Promise.resolve();
  function keep(change: Change, text = "Kept."): Promise<boolean> {
    const next = line.then(() => keepNow(change, text));
    line = next.catch(() => false);
    return next;
  }
  async function keepNow(of: Change, text: string): Promise<boolean> {
    const v = view.value;
    if (!v) return false;
    const change = typeof of === "function" ? of(v.record) : of;
    const r = await api.PUT("/api/machines/{id}/bench/{package}", { params: { path: { id: v.machine, package: v.package.id }, query: { after: v.kept?.at, version: v.package.version } }, body: { ...v.record, ...change } })
      .catch(() => ({ data: undefined, error: undefined }));
    said.value = r.data ? { text, tone: "good" } : { text: sentence(r.error), tone: "over" };
    if (r.data) view.value = r.data;
    else if (said.value.text.startsWith("Somebody else")) await open(v.machine, v.package.id);
    return !!r.data;
  }
  async function back(): Promise<void> {
    const v = view.value;
    if (!v) return;
    const r = await api.POST("/api/machines/{id}/bench/{package}/back", { params: { path: { id: v.machine, package: v.package.id } } }).catch(() => ({ data: undefined, error: undefined }));
    said.value = r.data ? { text: "Taken back.", tone: "good" } : { text: sentence(r.error), tone: "over" };
    if (r.data) view.value = r.data;
  }
  // The tilt's soft limit is drawn in to where the camera's bulk would touch.
  async function trim(): Promise<void> {
    const v = view.value;
    if (!v) return;
    const r = await api.POST("/api/machines/{id}/bench/{package}/trim", { params: { path: { id: v.machine, package: v.package.id } } }).catch(() => ({ data: undefined, error: undefined }));
    said.value = r.data ? { text: "The soft limit is drawn in, in today's line-up.", tone: "good" } : { text: sentence(r.error), tone: "over" };
    if (r.data) view.value = r.data;
  }
  // Writes the package that is open, or a copy of it under another name.
  async function write(body: { name: string; load?: CameraPackage["load"]; lens?: CameraPackage["lens"] }, copy: boolean): Promise<boolean> {
    const p = view.value?.package;
    if (!p) return false;
    const r = await api.POST("/api/packages", { body: copy ? { ...body, base: 0, copy: p.id } : { ...body, base: p.version, id: p.id } }).catch(() => ({ data: undefined, error: undefined }));
    if (!r.data) { said.value = { text: sentence(r.error), tone: "over" }; return false; }
    await list();
    picked.value = r.data.id;
    await open(view.value?.machine ?? "", r.data.id);
    said.value = { text: `${r.data.name}, version ${r.data.version}, is written.`, tone: "good" };
    return true;
  }
  // The first package there is: the camera that the shot has.
  async function begin(): Promise<void> {
    const lens = shot.view?.lens;
    if (!lens) return;
    const r = await api.POST("/api/packages", { body: { base: 0, name: lens.name, lens, load: { pieces: [] } } }).catch(() => ({ data: undefined, error: undefined }));
    if (!r.data) { said.value = { text: sentence(r.error), tone: "over" }; return; }
    await list();
    picked.value = r.data.id;
  }
  return { packages, view, said, picked, pack, list, open, keep, back, trim, write, begin };
});
