import type { ShotView, View } from "../api/client";
import type { Answer, Ask, Mark } from "./finderWorker";

// One picture is drawn at a time, the newest wanted next. While the camera moves
// and drawing is slow, at a lower resolution and a few times a second, so that the
// processors are left to the drawings; in full once it rests.
const goodMS = 16;

interface Wanted {
  view: View;
  width: number;
  height: number;
}

// The finder's canvas and the thread that draws on it. Making them takes seconds on
// a slow machine, so there is one of each, handed from view to view.
class Host {
  readonly canvas = document.createElement("canvas");
  failed = false;
  drawn = 0;
  private hear: (m: Mark | null) => void = () => {};
  private turn = 0; // counted up with every view: answers for one before are not heard
  private askedIn = 0;
  private worker: Worker | null = null;
  private set = "";
  private ready = false;
  private busy = false;
  private pausing = false;
  private wanted: Wanted | null = null;
  private last: Wanted | null = null;
  private asked = 1;
  private cost = 0;
  private changed = 0;
  private rest = 0;

  private start(set: ShotView["set"]): void {
    try {
      const c = this.canvas.transferControlToOffscreen();
      this.worker = new Worker(new URL("./finderWorker.ts", import.meta.url), { type: "module" });
      this.worker.onmessage = (e: MessageEvent<Answer>) => this.answer(e.data);
      this.worker.postMessage(
        { canvas: c, set, ratio: Math.min(window.devicePixelRatio, 2) } satisfies Ask,
        [c],
      );
    } catch {
      this.failed = true;
    }
  }

  // Takes the canvas into a view, which hears where the subject stands.
  enter(into: HTMLElement, hear: (m: Mark | null) => void): number {
    into.append(this.canvas);
    this.hear = hear;
    this.pausing = false;
    this.wanted = null;
    this.changed = 0;
    return ++this.turn;
  }

  leave(turn: number): void {
    if (turn !== this.turn) return; // another view has it already
    this.turn++;
    this.wanted = this.last = null;
    this.hear = () => {};
    this.canvas.remove();
  }

  // Shows a set, if it is another than before.
  show(set: ShotView["set"]): void {
    const what = JSON.stringify(set);
    if (what === this.set || this.failed) return;
    this.set = what;
    if (this.worker) this.worker.postMessage({ set } satisfies Ask);
    else this.start(set);
  }

  want(w: Wanted): void {
    // A view's first picture is whole.
    if (this.askedIn === this.turn) this.changed = performance.now();
    this.wanted = w;
    if (!this.pausing) this.draw();
  }

  private draw(): void {
    const w = this.wanted;
    if (!this.worker || !this.ready || this.busy || !w) return;
    window.clearTimeout(this.rest);
    this.pausing = false;
    const moving = performance.now() - this.changed < 200 && this.drawn > 0;
    const scale =
      moving && this.cost > goodMS
        ? Math.max(0.3, Math.round(Math.sqrt(goodMS / this.cost) * 10) / 10)
        : 1;
    this.wanted = null;
    this.last = w;
    this.askedIn = this.turn;
    this.busy = true;
    this.asked = scale;
    this.worker.postMessage({ ...w, scale } satisfies Ask);
  }

  private answer(m: Answer): void {
    if ("failed" in m) {
      this.failed = true;
      this.hear(null);
      return;
    }
    if ("ready" in m) this.ready = true;
    else {
      this.busy = false;
      this.drawn++;
      // The first makes shaders, too.
      if (this.drawn > 1) this.cost = (this.cost + m.ms / (this.asked * this.asked)) / 2;
      if (this.askedIn === this.turn) this.hear(m.mark);
      if (this.wanted && this.cost > goodMS) {
        this.pausing = true;
        this.rest = window.setTimeout(
          () => {
            this.pausing = false;
            this.draw();
          },
          Math.min(Math.max(60, 2 * m.ms), 400),
        );
        return;
      }
      if (this.asked < 1 && !this.wanted)
        this.rest = window.setTimeout(() => {
          this.wanted ??= this.last;
          this.draw();
        }, 220);
    }
    this.draw();
  }
}

export const finder = new Host();
