import { ref } from "vue";
import { beatMS } from "../api/rules";

// What is held: a fresh press each time, then a beat every 50 ms from this page's own
// thread, over a socket of its own. Nothing else keeps a machine moving: letting go, a
// hidden tab, a lost focus, a frozen page and a lost socket all end it.
export function heldSocket(address: () => string, hear: (m: unknown) => void) {
  const held = ref(false);
  const ready = ref(false); // it could be passed on
  let ws: WebSocket | null = null;
  let beat = 0;
  let n = 0;

  function open(): void {
    close();
    const mine = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${address()}`);
    ws = mine;
    mine.onmessage = (e: MessageEvent<string>) => hear(JSON.parse(e.data));
    mine.onopen = () => { if (ws === mine) ready.value = true; };
    mine.onclose = () => {
      if (ws !== mine) return;
      ready.value = false;
      release();
      window.setTimeout(() => ws === mine && open(), 500);
    };
  }

  // Presses, if it can be passed on; false says that it could not.
  function press(word: object): boolean {
    if (held.value || document.hidden) return true;
    if (!ws || ws.readyState !== WebSocket.OPEN) return false;
    held.value = true;
    ws.send(JSON.stringify({ press: true, ...word }));
    beat = window.setInterval(() => ws?.readyState === WebSocket.OPEN && ws.send(JSON.stringify({ beat: ++n })), beatMS);
    return true;
  }

  // Says something more while it is held.
  function say(word: object): void {
    if (held.value && ws?.readyState === WebSocket.OPEN) ws.send(JSON.stringify(word));
  }

  function release(): void {
    window.clearInterval(beat);
    if (held.value && ws?.readyState === WebSocket.OPEN) ws.send(JSON.stringify({ release: true }));
    held.value = false;
  }

  function close(): void {
    release();
    const old = ws;
    ws = null;
    ready.value = false;
    old?.close();
  }

  document.addEventListener("visibilitychange", () => document.hidden && release());
  window.addEventListener("blur", release);
  window.addEventListener("pagehide", release);
  return { held, ready, open, close, press, say, release };
}
