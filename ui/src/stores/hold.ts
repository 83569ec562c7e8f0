import { defineStore } from "pinia";
import { ref, watch } from "vue";
import type { HoldSays } from "../api/client";
import { heldSocket } from "./held";
import { four, useShot } from "./shot";

// The hold that keeps a pass rolling.
export const useHold = defineStore("hold", () => {
  const shot = useShot();
  const rolling = ref(false);
  const says = ref("");
  // The share of its whole speed that a live clock was last asked for, and what the rig took.
  const share = ref(1);
  let taken = 1;
  const asked = (): URLSearchParams =>
    new URLSearchParams({
      machine: shot.view?.machines[0]?.rig.id ?? "",
      shot: shot.id,
      pass: shot.pass,
    });
  const line = heldSocket(
    () => `/api/hold?${asked()}`,
    (m) => hear(m as HoldSays),
  );

  function hear(m: HoldSays): void {
    if (m.refused) {
      says.value = m.refused;
      line.release();
    } else if (m.unsteered) {
      says.value = m.unsteered;
      share.value = taken;
    } else if (m.steered) {
      taken = share.value;
    } else if (m.rolling) {
      rolling.value = true;
      share.value = taken = 1;
      says.value = "";
    } else if (m.ended) {
      rolling.value = false;
      says.value = m.ended.broken
        ? `Take ${m.ended.number} broken off at ${four(m.ended.frame)}: ${m.ended.why}.`
        : `Take ${m.ended.number} finished.`;
      line.release();
      void shot.reloadPasses();
    }
  }

  // What was said of a take is said of its pass: another's panel says nothing of it.
  watch(
    () => `${shot.id} ${shot.pass}`,
    () => (says.value = ""),
  );

  function press(): void {
    if (line.held.value || document.hidden) return;
    says.value = line.press({})
      ? ""
      : "The hold is not connected yet. Let go and try again in a moment.";
  }

  function steer(to: number, factor: { num: number; den: number }): void {
    share.value = to;
    line.say({ steer: factor });
  }

  return {
    held: line.held,
    rolling,
    says,
    share,
    steer,
    open: line.open,
    close: line.close,
    press,
    release: line.release,
  };
});
