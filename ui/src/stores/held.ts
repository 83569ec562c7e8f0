import { ref } from "vue";
import { page } from "../api/page";
import { beatMS } from "../api/rules";

// All lines of this page on which something can be held. Esc and STOP end every one of them.
const lines = new Set<() => void>();
export function releaseAll(): void {
  for (const release of lines) release();
}

// What is held: a fresh press each time, with a name of its own, then a beat of that press
// every 50 ms from this page's own thread, over a socket of its own. Nothing else keeps a
// machine moving: letting go, a hidden tab, a lost focus, a frozen page, a lost socket, Esc and
// STOP all end it. Each word says when it was said, so that one that was held up on its way is
// not taken for a sign of life.
export function heldSocket(address: () => string, hear: (m: unknown) => void) {
  const held = ref(false);
  const ready = ref(false); // it could be passed on
  let ws: WebSocket | null = null;
  let beat = 0;
  let sign = 0;
  let n = 0;
  let press = ""; // the name of the press that is held

  const send = (word: object): void => ws?.send(JSON.stringify({ ...word, at: performance.now() }));

  function open(): void {
    close();
    const mine = new WebSocket(
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${address()}` +
        `&page=${page}`,
    );
    ws = mine;
    lines.add(release);
    mine.onmessage = (e: MessageEvent<string>) => hear(JSON.parse(e.data));
    mine.onopen = () => {
      if (ws !== mine) return;
      send({}); // how long a word takes on its way
      ready.value = true;
    };
    window.clearInterval(sign);
    sign = window.setInterval(() => {
      if (ws === mine && mine.readyState === WebSocket.OPEN) send({});
    }, 5000);
    mine.onclose = () => {
      if (ws !== mine) return;
      ready.value = false;
      release();
      window.setTimeout(() => ws === mine && open(), 500);
    };
  }

  // Presses, if it can be passed on; false says that it could not.
  function begin(word: object): boolean {
    if (held.value || document.hidden) return true;
    if (!ws || ws.readyState !== WebSocket.OPEN) return false;
    held.value = true;
    press = crypto.randomUUID();
    send({ ...word, press });
    beat = window.setInterval(
      () => ws?.readyState === WebSocket.OPEN && send({ beat: ++n, press }),
      beatMS,
    );
    return true;
  }

  // Says something more while it is held.
  function say(word: object): void {
    if (held.value && ws?.readyState === WebSocket.OPEN) send({ ...word, press });
  }

  function release(): void {
    window.clearInterval(beat);
    if (held.value && ws?.readyState === WebSocket.OPEN) send({ release: true, press });
    held.value = false;
  }

  function close(): void {
    release();
    lines.delete(release);
    window.clearInterval(sign);
    const old = ws;
    ws = null;
    ready.value = false;
    old?.close();
  }

  document.addEventListener("visibilitychange", () => document.hidden && release());
  window.addEventListener("blur", release);
  window.addEventListener("pagehide", release);
  return { held, ready, open, close, press: begin, say, release };
}
