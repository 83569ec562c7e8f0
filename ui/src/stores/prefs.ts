import { defineStore } from "pinia";
import { ref, watch, type Ref } from "vue";

function kept<T>(key: string, first: T) {
  const raw = localStorage.getItem(key);
  let start = first;
  if (raw !== null) {
    try {
      start = JSON.parse(raw) as T;
    } catch {
      localStorage.removeItem(key);
    }
  }
  const r = ref(start);
  // Written when the page has a moment, and before it goes: not with every frame.
  let soon = 0;
  const write = (): void => {
    window.clearTimeout(soon);
    soon = 0;
    localStorage.setItem(key, JSON.stringify(r.value));
  };
  watch(
    r,
    () => {
      soon ||= window.setTimeout(write, 200);
    },
    { deep: true },
  );
  window.addEventListener("pagehide", () => soon && write());
  return r;
}

// What the person at this desk prefers, kept in this browser.
export const usePrefs = defineStore("prefs", () => {
  const theme = kept<"paper" | "blackout">("keenarc.theme", "paper");
  const letters = kept<boolean>("keenarc.letters", true);
  const audible = kept<boolean>("keenarc.audible", false);
  // What is seen through the lens: the camera's own picture in place of the finder.
  const picture = kept<boolean>("keenarc.picture", false);
  const cross = kept<boolean>("keenarc.cross", true);
  const lines = kept<boolean>("keenarc.lines", true);
  const feet = kept<boolean>("keenarc.feet", false);
  const steps = kept<Record<string, number>>("keenarc.steps", {});
  const where = kept<Record<string, { frame: number; axis: number; pass: string; stage: string }>>(
    "keenarc.where",
    {},
  );
  // By shot and person: what the score showed, and where they were.
  const score = kept<
    Record<
      string,
      {
        opened: number | null;
        part: { from: number; to: number } | null;
        timing: "frames" | "legs" | "ends";
        changes: boolean;
      }
    >
  >("keenarc.score", {});
  // Playing a move on the sheet.
  const speed = kept<number>("keenarc.speed", 1);
  const loop = kept<boolean>("keenarc.loop", false);
  const you = kept<string>("keenarc.you", "");
  // Framings tried and not stored: by shot, in the order in which they were last touched.
  const tried = kept<Record<string, { frame: number; values: Record<string, number> }[]>>(
    "keenarc.tried",
    {},
  );
  return {
    theme,
    letters,
    audible,
    picture,
    cross,
    lines,
    feet,
    steps,
    where,
    score,
    speed,
    loop,
    you,
    tried,
  };
});

// What this window alone keeps, over a reload.
export function windowKept<T>(key: string, first: T) {
  let start = first;
  try {
    start = (JSON.parse(sessionStorage.getItem(key) ?? "null") as T) ?? first;
  } catch {
    sessionStorage.removeItem(key);
  }
  const r = ref(start) as Ref<T>;
  watch(r, (v) => sessionStorage.setItem(key, JSON.stringify(v)), { deep: true, flush: "sync" });
  return r;
}
