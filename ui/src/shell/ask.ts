import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import { api, sentence } from "../api/client";
import { four, useShot } from "../stores/shot";

interface Question { title: string; text: string; yes: string; act: () => Promise<string>; other?: { label: string; act: () => Promise<string> } }

// Questions that must be confirmed: before a rig moves, or work is left behind.
export const useAsk = defineStore("ask", () => {
  const shot = useShot();
  const question = shallowRef<Question | null>(null);
  const busy = ref(false);
  const failed = ref("");
  const keys = ref(false);

  function ask(q: Question): void {
    failed.value = "";
    question.value = q;
  }

  async function confirm(other = false): Promise<void> {
    const q = question.value, act = other ? q?.other?.act : q?.act;
    if (!act || busy.value) return;
    busy.value = true;
    failed.value = await act().catch(() => sentence(undefined));
    busy.value = false;
    if (!failed.value) question.value = null;
  }

  const caution = "Call the move. Nobody inside the moving zone. Esc slows the rig to a stop; only the hardware stop is an emergency stop.";

  function goTo(frame?: number): void {
    const at = frame === undefined ? "the first frame" : four(frame);
    ask({ title: `Send the rig to ${at}?`, text: `All axes move together, straight there, at half speed. ${caution}`, yes: `Go to ${at}`,
      act: async () => {
        const r = await api.POST("/api/rig/goto", { body: { shot: shot.id, frame } });
        return r.error ? sentence(r.error) : "";
      } });
  }

  function home(): void {
    ask({ title: "Home all axes?", text: `Every axis runs to its sensor, backs off and creeps onto the edge. Lock pins out, nothing in the way. ${caution}`, yes: "Home",
      act: async () => {
        const r = await api.POST("/api/rig/home", { body: { shot: shot.id } });
        return r.error ? sentence(r.error) : "";
      } });
  }

  return { question, busy, failed, keys, ask, confirm, goTo, home };
});
