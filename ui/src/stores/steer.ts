import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { machineOf, own } from "../drawing/axes";
import { heldSocket } from "./held";
import { useLive } from "./live";
import { useShot } from "./shot";

// Live: while it is on, a nudge that is pressed moves the rig for as long as it is pressed.
// It is switched on deliberately, and off by itself: a minute untouched, a hidden page, a
// lost rig, Stop, or another screen.
export const liveSeconds = 60;

export const useSteer = defineStore("steer", () => {
  const shot = useShot();
  const live = useLive();
  const on = ref(false);
  const left = ref(0); // seconds until it is off by itself
  const said = ref("");
  const share = ref(1); // of the full jogging speed
  let touched = 0;
  let from = 0;   // where the axis was when the press began
  let last = 0;   // how far the last one went, signed
  let axis = "";

  const machine = computed(() => {
    const name = machineOf(shot.selected?.id ?? "");
    return shot.view?.machines.find((m) => m.name === name);
  });
  const pos = (id: string): number => live.now?.floor.state.axes[id]?.asked ?? live.now?.floor.state.axes[id]?.pos ?? 0;
  const line = heldSocket(() => `/api/jog?${new URLSearchParams({ machine: machine.value?.rig.id ?? "" })}`, (m) => {
    const w = m as { refused?: string; ended?: string };
    said.value = w.refused ?? w.ended ?? "";
    line.release();
  });
  const touch = (): void => { touched = Date.now(); };

  function turn(to: boolean): void {
    said.value = "";
    on.value = to && machine.value !== undefined;
    if (on.value) { touch(); line.open(); } else line.close();
  }
  function press(dir: number, until?: number): void {
    const a = shot.selected;
    if (!on.value || !a || line.held.value) return;
    touch();
    [axis, from] = [a.id, pos(a.id)];
    said.value = line.press({ axis: own(a.id), way: dir < 0 ? -1 : 1, share: share.value, until }) ? "" : "The hold is not connected yet. Let go and try again in a moment.";
  }
  // Half as far the other way, as long as it is held and no farther.
  function halfBack(): void {
    if (!on.value || !last || line.held.value) return;
    const by = -last / 2;
    press(by, pos(shot.selected?.id ?? "") + by);
  }
  function release(): void {
    if (!line.held.value) return;
    touch();
    line.release();
    const was = from, id = axis;
    window.setTimeout(() => { last = pos(id) - was; }, 400);
  }
  watch(() => machine.value?.rig.id, () => { if (on.value) line.open(); });
  watch(() => live.connected, (c) => { if (!c) turn(false); });
  document.addEventListener("visibilitychange", () => document.hidden && turn(false));
  window.setInterval(() => {
    if (!on.value) return;
    if (line.held.value) touch();
    left.value = Math.ceil(liveSeconds - (Date.now() - touched) / 1000);
    if (left.value <= 0) turn(false);
  }, 250);

  // Where the rig stands, under the names that axes have in the shot.
  const stands = computed<Record<string, number> | null>(() => {
    if (!on.value || !live.now) return null;
    const s = live.now.floor.state;
    return Object.fromEntries(shot.axes.map((a) => [a.id, Number(((s.axes[a.id]?.asked ?? s.axes[a.id]?.pos ?? 0) - (a.zero ?? 0)).toFixed(4))]));
  });
  async function store(only?: string): Promise<void> {
    const v = stands.value;
    if (!v) return;
    touch();
    const values = only ? { [only]: v[only] ?? 0 } : v;
    await shot.edit({ op: "set", frame: shot.nearest(Object.keys(values)), values }, `Stored where ${live.now?.floor.name} stands.`);
  }
  return { on, left, said, share, held: line.held, ready: line.ready, stands, machine, turn, press, release, halfBack, store };
});
