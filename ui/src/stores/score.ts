import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import type { Window } from "./window";
import { usePrefs } from "./prefs";
import { useShot } from "./shot";

export interface Post {
  axis: string;
  frame: number;
}
export type Timing = "frames" | "legs" | "ends";

// What the score shows and what is picked on it: kept for each shot and person, but for
// what is picked.
export const useScore = defineStore("score", () => {
  const shot = useShot();
  const prefs = usePrefs();
  const asked = shallowRef<{ by: number } | null>(null);
  const zoom = (by: number): void => {
    asked.value = { by };
  };
  const opened = ref<number | null>(null);
  const part = shallowRef<Window | null>(null);
  const timing = ref<Timing>("frames");
  const changes = ref(false);
  const picked = shallowRef<Post[]>([]);
  const same =
    (p: Post) =>
    (q: Post): boolean =>
      q.axis === p.axis && q.frame === p.frame;
  const has = (p: Post): boolean => picked.value.some(same(p));

  // Picks posts: these alone, or, added, those that were not yet and out with those that were.
  function pick(posts: Post[], add = false): void {
    if (!add) picked.value = posts;
    else if (posts.every(has))
      picked.value = picked.value.filter(
        (q) => !posts.some((p) => p.axis === q.axis && p.frame === q.frame),
      );
    else picked.value = [...picked.value, ...posts.filter((p) => !has(p))];
  }
  // What is picked is what is still there, or on its way elsewhere.
  const going = new Set<Post[]>();
  function look(): void {
    if (picked.value.length === 0) return;
    const tracks = shot.view?.path.tracks;
    const there = picked.value.filter(
      (p) =>
        [...going].some((posts) => posts.some(same(p))) ||
        tracks?.find((t) => t.axis === p.axis)?.keys.some((k) => k.frame === p.frame),
    );
    if (there.length !== picked.value.length) picked.value = there;
  }
  watch(() => shot.view?.path.tracks, look);

  // Posts that are moved by an edit stay picked where it puts them; what is picked and let go
  // meanwhile is, too.
  async function carry(posts: Post[], by: number, edit: Promise<boolean>): Promise<boolean> {
    going.add(posts);
    const done = await edit;
    going.delete(posts);
    if (done)
      picked.value = picked.value.map((p) =>
        posts.some(same(p)) ? { axis: p.axis, frame: p.frame + by } : p,
      );
    look();
    return done;
  }

  // Where one was on this shot comes back with it.
  let of = "";
  watch(
    () => `${shot.view ? shot.id : ""} ${shot.who}`,
    (now) => {
      if (now === of) return;
      of = now;
      picked.value = [];
      const w = prefs.score[now];
      opened.value = w?.opened ?? null;
      part.value = w?.part ?? null;
      timing.value = w?.timing ?? "frames";
      changes.value = w?.changes ?? false;
    },
    { immediate: true },
  );
  watch([opened, part, timing, changes], () => {
    if (shot.view && of.startsWith(shot.id))
      prefs.score[of] = {
        opened: opened.value,
        part: part.value,
        timing: timing.value,
        changes: changes.value,
      };
  });
  return { asked, zoom, opened, part, timing, changes, picked, has, pick, carry };
});
