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
  function passesAre(list: PassView[]): void {
    changes++;
    passes.value = list;
    void reloadPasses();
  }
  function looked(nth: number, since: number, list: PassView[]): boolean {
    if (since !== changes) return false;
    if (nth > newest) [newest, passes.value] = [nth, list];
    return true;
  }

  async function reloadPasses(): Promise<void> {
    const shot = id.value;
    for (let over = false; !over;) {
      const nth = ++looks,
        since = changes;
      const r = await api
        .GET("/api/shots/{id}/passes", { params: { path: { id: shot } } })
        .catch(() => ({ data: undefined }));
      over = !r.data || shot !== id.value || looked(nth, since, r.data);
    }
  }

  // A look that begins now: what has come with it is taken by seen().
  const look = (): { nth: number; since: number } => ({ nth: ++looks, since: changes });
  const seen = (at: { nth: number; since: number }, list: PassView[]): void => {
    if (!looked(at.nth, at.since, list)) void reloadPasses();
  };

  return { passes, passesAre, reloadPasses, look, seen };
}
