import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { api, sentence } from "../api/client";
import { four, useShot } from "../stores/shot";
import type { paths } from "../api/schema";
import { machineOf, own } from "../stores/axes";
import { useLive } from "../stores/live";
import { useAsk } from "../stores/ask";

type Way = NonNullable<
  paths["/api/machines/{id}/home"]["post"]["requestBody"]["content"]["application/json"]["way"]
>;

// What moves a machine, or lets its drives go: each is asked and confirmed first.
export const useMoves = defineStore("moves", () => {
  const shot = useShot();
  const live = useLive();
  const ask = useAsk();
  const caution =
    "Call the move. Nobody inside the moving zone. Esc slows the rig to a stop; only the " +
    "hardware stop is an emergency stop.";

  const fails = (r: { error?: unknown }): string => (r.error ? sentence(r.error) : "");
  // The machine that a shot's questions are about: its first.
  const machine = (): string => shot.view?.machines[0]?.rig.id ?? "";
  // The machine that Rig up and Line up look at: the shot's, until another is chosen.
  const chosen = ref("");
  const looking = computed({
    get: () => chosen.value || machine(),
    set: (id: string) => {
      chosen.value = id;
    },
  });
  watch(
    () => shot.id,
    () => {
      chosen.value = "";
    },
  );

  function goTo(frame?: number): void {
    const at =
      frame === undefined ? `the ${live.now?.ready.starts_at ?? "first"} frame` : four(frame);
    const plan = frame !== undefined; // a framing needs no seal
    ask.ask({
      title: `Send the rig to ${at}?`,
      text: `All axes move together, straight there, at half speed. ${caution}`,
      yes: `Go to ${at}`,
      act: async () =>
        fails(
          await api.POST("/api/machines/{id}/goto", {
            params: { path: { id: machine() } },
            body: { shot: shot.id, pass: shot.pass || undefined, frame, plan },
          }),
        ),
    });
  }

  // Sends the shot's machines to a pose of theirs, each under its own names.
  function goPose(values: Record<string, number>, name: string): void {
    const of = (shot.view?.machines ?? [])
      .map((m) => ({
        m,
        to: Object.fromEntries(
          Object.entries(values)
            .filter(([a]) => machineOf(a) === m.name)
            .map(([a, v]) => [own(a), v + (shot.axes.find((x) => x.id === a)?.zero ?? 0)]),
        ),
      }))
      .filter((x) => Object.keys(x.to).length > 0);
    ask.ask({
      title: `Send ${of.map((x) => x.m.rig.name).join(" and ")} to “${name}”?`,
      text:
        "All axes move together, straight there, at a quarter of their working speeds. " + caution,
      yes: "Go there",
      act: async () => {
        for (const x of of) {
          const r = await api.POST("/api/machines/{id}/go", {
            params: { path: { id: x.m.rig.id } },
            body: { shot: shot.id, to: x.to, share: 0.25 },
          });
          if (r.error) return sentence(r.error);
        }
        return "";
      },
    });
  }

  // Homes a machine's axes: all, or those that are named, under its own names.
  function home(
    of = looking.value,
    axes: { id: string; name: string }[] = [],
    times = 1,
    way?: Way,
    says?: string,
  ): void {
    const what = axes.length > 0 ? axes.map((a) => a.name).join(", ") : "all axes";
    const how = says
      ? `${what}: ${says}`
      : "Every axis looks for its zero in its own way, all at once.";
    const again = times > 1 ? ` So ${times} times one after another.` : "";
    ask.ask({
      title: times > 1 ? `Home ${what} ${times} times?` : `Home ${what}?`,
      text: `${how}${again} Lock pins out, nothing in the way. ${caution}`,
      yes: "Home",
      act: async () =>
        fails(
          await api.POST("/api/machines/{id}/home", {
            params: { path: { id: of } },
            body: { shot: shot.id || undefined, axes: axes.map((a) => a.id), times, way },
          }),
        ),
    });
  }

  // Lets a drive go; what it held may fall or swing.
  function free(of: string, axis: { id: string; name: string }): void {
    ask.ask({
      title: `Free ${axis.name}?`,
      text:
        "Its drive lets go: what it holds may fall, swing or run. Hold it, or support it, " +
        `first. ${caution}`,
      yes: `Free ${axis.name}`,
      act: async () =>
        fails(
          await api.POST("/api/machines/{id}/free", {
            params: { path: { id: of } },
            body: { axis: axis.id, shot: shot.id || undefined },
          }),
        ),
    });
  }

  return { goTo, goPose, home, free, looking };
});
