import { shallowRef, type Ref } from "vue";
import { api, type PassView } from "../api/client";

// The passes of the open shot, as they were seen last.
export function passList(id: Ref<string>) {
  const passes = shallowRef<PassView[]>([]);

  // Passes have no version: what counts is the look that began last, after the last change made
  // here. A change's own answer may be older than what was seen since: then it is looked again.
  let changes = 0;
  let looks = 0;
  let newest = 0;
  let known = 0; // they are at least as new as this version of the shot
  function passesAre(list: PassView[]): void {
    changes++;
    passes.value = list;
    void reloadPasses();
  }
  function looked(nth: number, since: number, list: PassView[], version: number): boolean {
    if (since !== changes) return false;
    if (nth > newest) [newest, passes.value, known] = [nth, list, version];
    return true;
  }
  // Whoever does not say what they are as new as is not asked for more.
  const versionOf = (r: Response): number => Number(r.headers.get("Shot-Version") ?? Infinity);

  async function reloadPasses(): Promise<void> {
    const shot = id.value;
    for (let over = false; !over;) {
      const nth = ++looks,
        since = changes;
      const r = await api
        .GET("/api/shots/{id}/passes", { params: { path: { id: shot } } })
        .catch(() => null);
      over = !r?.data || shot !== id.value || looked(nth, since, r.data, versionOf(r.response));
    }
  }

  // A look that begins now: what has come with it is taken by seen().
  const look = (): { nth: number; since: number } => ({ nth: ++looks, since: changes });
  const seen = (at: { nth: number; since: number }, list: PassView[], from: Response): void => {
    if (!looked(at.nth, at.since, list, versionOf(from))) void reloadPasses();
  };
  // Another shot is opened: of its passes nothing is known.
  function forgetPasses(): void {
    [passes.value, known] = [[], 0];
  }
  // An edit of this window alone made one version of another: its passes are as they were.
  function goOn(from: number, to: number): void {
    if (known === from && to === from + 1) known = to;
  }
  // The shot is shown in a version that the passes may be older than: they were looked up before
  // it, beside it, or an edit of this window came after somebody else's change of a pass.
  let behind = false;
  async function upTo(version: number): Promise<void> {
    if (behind || known >= version) return;
    behind = true;
    await reloadPasses();
    if (known < version) await new Promise((go) => window.setTimeout(go, 1000)); // nothing answers
    behind = false;
  }

  return { passes, passesAre, reloadPasses, look, seen, forgetPasses, goOn, upTo };
}
