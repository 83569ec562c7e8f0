import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { api, sentence } from "../api/client";
import { four, useShot } from "../stores/shot";
import { useAsk } from "./ask";

// What moves a machine, or lets its drives go: each is asked and confirmed first.
export const useMoves = defineStore("moves", () => {
  const shot = useShot();
  const ask = useAsk();
  const caution = "Call the move. Nobody inside the moving zone. Esc slows the rig to a stop; only the hardware stop is an emergency stop.";

  const fails = (r: { error?: unknown }): string => (r.error ? sentence(r.error) : "");
  // The machine that a shot's questions are about: its first.
  const machine = (): string => shot.view?.machines[0]?.rig.id ?? "";
  // The machine that Rig up and Line up look at: the shot's, until another is chosen.
  const chosen = ref("");
  const looking = computed({ get: () => chosen.value || machine(), set: (id: string) => { chosen.value = id; } });
  watch(() => shot.id, () => { chosen.value = ""; });

  function goTo(frame?: number): void {
    const at = frame === undefined ? "the first frame" : four(frame);
    ask.ask({ title: `Send the rig to ${at}?`, text: `All axes move together, straight there, at half speed. ${caution}`, yes: `Go to ${at}`,
      act: async () => fails(await api.POST("/api/machines/{id}/goto", { params: { path: { id: machine() } }, body: { shot: shot.id, pass: shot.pass || undefined, frame } })) });
  }

  // Homes a machine's axes: all, or those that are named, under its own names.
  function home(of = looking.value, axes: { id: string; name: string }[] = [], times = 1): void {
    const what = axes.length > 0 ? axes.map((a) => a.name).join(", ") : "all axes";
    const moves = axes.length === 1 ? `${what} runs to its sensor, backs off and creeps` : axes.length > 0 ? "They run to their sensors, back off and creep" : "Every axis runs to its sensor, backs off and creeps";
    ask.ask({ title: times > 1 ? `Home ${what} ${times} times?` : `Home ${what}?`, text: `${moves} onto the edge${times > 1 ? `, ${times} times one after another` : ""}. Lock pins out, nothing in the way. ${caution}`, yes: "Home",
      act: async () => fails(await api.POST("/api/machines/{id}/home", { params: { path: { id: of } }, body: { shot: shot.id || undefined, axes: axes.map((a) => a.id), times } })) });
  }

  // Lets a drive go; what it held may fall or swing.
  function free(of: string, axis: { id: string; name: string }): void {
    ask.ask({ title: `Free ${axis.name}?`, text: `Its drive lets go: what it holds may fall, swing or run. Hold it, or support it, first. ${caution}`, yes: `Free ${axis.name}`,
      act: async () => fails(await api.POST("/api/machines/{id}/free", { params: { path: { id: of } }, body: { axis: axis.id } })) });
  }

  return { goTo, home, free, looking };
});
