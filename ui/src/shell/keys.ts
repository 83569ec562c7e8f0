import { own } from "../stores/axes";
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { stages } from "../router";
import { useFrames } from "../stores/frames";
import { releaseAll } from "../stores/held";
import { useHold } from "../stores/hold";
import { useNudge } from "../stores/nudge";
import { usePrefs } from "../stores/prefs";
import { usePlay } from "../stores/play";
import { useScore } from "../stores/score";
import { useShot } from "../stores/shot";
import { useSteer } from "../stores/steer";
import { useAsk } from "../stores/ask";
import { useMoves } from "./moves";

// All keys of the application. Esc stops from anywhere; no key here moves a
// rig without a question that is confirmed.
// A key that is pressed. What a letter does is said by Shift, not by Caps Lock.
interface Press {
  key: string;
  shiftKey: boolean;
  repeat: boolean;
}
function cased(e: KeyboardEvent): string {
  if (!/^\p{L}$/u.test(e.key)) return e.key;
  return e.shiftKey ? e.key.toUpperCase() : e.key.toLowerCase();
}

// A list that has the focus takes the letters with which an entry of it begins, and no others.
function passes(list: HTMLSelectElement, e: KeyboardEvent): boolean {
  if (!/^\p{L}$/u.test(e.key)) return e.ctrlKey || e.metaKey;
  return (
    e.ctrlKey ||
    e.metaKey ||
    ![...list.options].some((o) => o.text.trim().toLowerCase().startsWith(e.key.toLowerCase()))
  );
}

export function useKeys(): {
  onKey: (e: KeyboardEvent) => void;
  onKeyUp: (e: KeyboardEvent) => void;
  onEscape: (e: KeyboardEvent) => void;
} {
  const shot = useShot();
  const prefs = usePrefs();
  const hold = useHold();
  const ask = useAsk();
  const moves = useMoves();
  const nudge = useNudge();
  const score = useScore();
  const play = usePlay();
  const frames = useFrames();
  const steer = useSteer();
  const route = useRoute();
  const router = useRouter();

  function onEscape(e: KeyboardEvent): void {
    if (e.key !== "Escape") return;
    steer.turn(false);
    if (!e.repeat) stopNow();
  }

  function onKey(e: KeyboardEvent): void {
    const t = e.target;
    const typing =
      t instanceof HTMLInputElement ||
      t instanceof HTMLSelectElement ||
      t instanceof HTMLTextAreaElement;
    if (
      (typing && !(t instanceof HTMLSelectElement && passes(t, e))) ||
      e.defaultPrevented ||
      ask.question
    )
      return;
    if (e.ctrlKey || e.metaKey) return withControl(e);
    if (e.altKey) return;
    if (e.key === " " && route.name === "shoot" && !byFrames()) {
      // Space rolls on the hold target only
      if (!(t instanceof HTMLButtonElement)) {
        hold.says = "Space rolls on the hold target only. Press H to go to it, then hold Space.";
        e.preventDefault();
      }
      return;
    }
    if (e.key.length === 1 && e.key !== " " && !prefs.letters) return;
    if (act({ key: cased(e), shiftKey: e.shiftKey, repeat: e.repeat })) e.preventDefault();
  }

  function withControl(e: KeyboardEvent): void {
    if (e.key.toLowerCase() === "a" && route.name === "compose" && shot.view) {
      // all of the selected axis, with Shift all there are
      e.preventDefault();
      score.pick(
        shot.view.path.tracks
          .filter((t) => e.shiftKey || t.axis === shot.selected?.id)
          .flatMap((t) => t.keys.map((k) => ({ axis: t.axis, frame: k.frame }))),
      );
      return;
    }
    if (e.key.toLowerCase() !== "z" || !shot.view) return;
    e.preventDefault();
    if (byFrames()) void frames.undo();
    // Held down: one at a time.
    else if (!e.repeat || !shot.takingBack) void (e.shiftKey ? shot.redo() : shot.undo());
  }

  function act(e: Press): boolean {
    if (e.key === "?") {
      ask.keys = !ask.keys;
      return true;
    }
    if (!shot.view || route.name === "shelf" || route.name === "camera") return false;
    const stage = stages.find((s) => s.key === e.key);
    if (stage) {
      void router.push({ name: stage.name, params: { id: shot.id } });
      return true;
    }
    return (byFrames() && frame(e)) || playhead(e) || (route.name === "compose" && compose(e));
  }

  const byFrames = (): boolean => route.name === "shoot" && frames.open;

  // For a person with full hands: each key once a press. N moves the rig only as far as
  // it is small and announced; else it asks.
  function frame(e: Press): boolean {
    if (frames.view === null || frames.editing || ask.keys) return false;
    const once = (f: () => void): true => {
      if (!e.repeat) f();
      return true;
    };
    switch (e.key) {
      case "n":
      case "N":
        return once(() => void frames.next());
      case "o":
      case "O":
        return once(() => void frames.command("once more"));
      case "v":
      case "V":
        return once(() => void frames.command("step over"));
      case "r":
      case "R":
        return once(() => document.querySelector<HTMLElement>('[data-test="back-to"]')?.click());
      case "b":
      case "B":
      case "m":
      case "M":
      case "h":
      case "H":
        return true; // the picture's own
    }
    return false;
  }

  function playhead(e: Press): boolean {
    const by = e.shiftKey ? 10 : 1;
    switch (e.key) {
      case "f":
      case "F":
        if (route.name === "shoot") moves.goTo();
        else shot.go(shot.first);
        return true;
      case "e":
      case "E":
        shot.go(shot.last);
        return true;
      case ",":
      case "<":
        shot.go(shot.frame - by);
        return true;
      case ".":
      case ">":
        shot.go(shot.frame + by);
        return true;
      case "g":
      case "G":
        moves.goTo(shot.frame);
        return true;
      case "h":
      case "H":
        if (route.name === "line-up") {
          moves.home();
          return true;
        }
        if (route.name !== "shoot") return false;
        document.querySelector<HTMLElement>('[data-test="hold"]')?.focus();
        return true;
      case "s":
      case "S":
        void shot.seal();
        return true;
      case "p":
      case "P":
        void router.push({ name: "prove", params: { id: shot.id } });
        return true;
    }
    return false;
  }

  function compose(e: Press): boolean {
    switch (e.key) {
      case "ArrowLeft":
      case "ArrowRight": {
        const dir = e.key === "ArrowLeft" ? -1 : 1;
        if (!steer.on) nudge.nudge(dir, e.repeat);
        else if (!e.repeat) steer.press(dir); // until it is let go
        return true;
      }
      case "ArrowUp":
        nudge.grow(1);
        return true;
      case "ArrowDown":
        nudge.grow(-1);
        return true;
      case "/":
        if (!steer.on) nudge.halfBack();
        else if (!e.repeat) steer.halfBack();
        return true;
      case "t":
      case "T":
        document
          .querySelector<SVGElement>(`[data-test="staff-${own(shot.selected?.id ?? "")}"]`)
          ?.focus();
        return true;
      case "+":
      case "=":
        score.zoom(1.6);
        return true;
      case "-":
        score.zoom(0.625);
        return true;
      case "0":
        score.zoom(0);
        return true;
      case "k":
        void (steer.on ? steer.store() : shot.store());
        return true;
      case "K":
        void (steer.on ? steer.store(shot.selected?.id) : shot.store(shot.selected?.id));
        return true;
      case "Delete":
      case "Backspace":
        if (score.picked.length > 0)
          void shot.edit(
            { op: "clear", moves: score.picked.map((p) => ({ axis: p.axis, frame: p.frame })) },
            `${score.picked.length} keyframes taken out.`,
          );
        else void nudge.remove(e.shiftKey);
        return true;
      case "r":
      case "R":
        play.start(e.shiftKey ? -1 : 1);
        return true;
      case "l":
      case "L":
        prefs.loop = !prefs.loop;
        return true;
      case "w":
      case "W":
        play.show(true);
        return true;
      case "d":
      case "D":
        score.changes = !score.changes;
        return true;
      case "x":
        pickHere(false);
        return true;
      case "X":
        pickHere(true);
        return true;
    }
    return false;
  }

  // Picks the selected axis's keyframe at the playhead, or all axes' there; or lets it be.
  function pickHere(all: boolean): void {
    const f = shot.frame,
      posts = shot.axes
        .filter((a) => (all || a.id === shot.selected?.id) && shot.keyAt(a.id, f))
        .map((a) => ({ axis: a.id, frame: f }));
    if (posts.length > 0) score.pick(posts, true);
  }

  // A nudge that moves the rig ends when its key is let go.
  function onKeyUp(e: KeyboardEvent): void {
    if (["ArrowLeft", "ArrowRight", "/"].includes(e.key)) steer.release();
  }

  return { onKey, onKeyUp, onEscape };
}

// Why the last stop did not reach everything; shown large, on every screen, until it is read.
export const missed = ref("");
// Stop needs no session, lease or answer from anything but the rig. What went
// wrong is said in large, since somebody must then reach for the hardware stop.
export function stopNow(): void {
  releaseAll();
  useAsk().question = null; // what was asked before it is asked again
  missed.value = "";
  fetch("/api/stop", { method: "POST", keepalive: true })
    .then(async (r) => {
      if (!r.ok)
        missed.value =
          ((await r.json()) as { detail?: string }).detail ??
          "STOP was not carried out. Use the hardware stop.";
    })
    .catch(() => {
      missed.value =
        "STOP could not be sent: the application does not answer. Use the hardware stop.";
    });
}
