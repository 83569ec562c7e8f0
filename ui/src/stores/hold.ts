import { defineStore } from "pinia";
import { ref } from "vue";
import type { HoldSays } from "../api/client";
import { beatMS } from "../api/rules";
import { four, useShot } from "./shot";

// The hold: a fresh press each time, then a beat every 50 ms from this page's
// own thread. Nothing else keeps the rig rolling.
export const useHold = defineStore("hold", () => {
  const shot = useShot();
  const held = ref(false);
  const rolling = ref(false);
  const says = ref("");
  let ws: WebSocket | null = null;
  let beat = 0;
  let n = 0;

  function open(): void {
    close();
    const q = new URLSearchParams({ shot: shot.id, pass: shot.pass });
    const mine = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/hold?${q}`);
    ws = mine;
    mine.onmessage = (e: MessageEvent<string>) => hear(JSON.parse(e.data) as HoldSays);
    mine.onclose = () => {
      if (ws !== mine) return;
      release();
      window.setTimeout(() => ws === mine && open(), 500);
    };
  }

  function hear(m: HoldSays): void {
    if (m.refused) {
      says.value = m.refused;
      release();
    } else if (m.rolling) {
      rolling.value = true;
      says.value = "";
    } else if (m.ended) {
      rolling.value = false;
      says.value = m.ended.broken
        ? `Take ${m.ended.number} broken off at ${four(m.ended.frame)}: ${m.ended.why}.`
        : `Take ${m.ended.number} finished.`;
      release();
      void shot.reloadPasses();
    }
  }

  function press(): void {
    if (held.value || document.hidden) return;
    if (!ws || ws.readyState !== WebSocket.OPEN) {
      says.value = "The hold is not connected yet. Let go and try again in a moment.";
      return;
    }
    held.value = true;
    says.value = "";
    ws.send(JSON.stringify({ press: true }));
    beat = window.setInterval(() => ws?.readyState === WebSocket.OPEN && ws.send(JSON.stringify({ beat: ++n })), beatMS);
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
    old?.close();
  }

  document.addEventListener("visibilitychange", () => document.hidden && release());
  window.addEventListener("blur", release);
  window.addEventListener("pagehide", release);
  return { held, rolling, says, open, close, press, release };
});
