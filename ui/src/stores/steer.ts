import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { machineOf, own } from "./axes";
import { heldSocket } from "./held";
import { useLive } from "./live";
import { useShot } from "./shot";

// Live: while it is on, a nudge that is pressed moves the rig for as long as it is pressed.
// It is switched on deliberately, and off by itself: a minute untouched, a hidden page, a
// lost rig, Stop, or another screen.
const liveSeconds = 60;

export const useSteer = defineStore("steer", () => {
  const shot = useShot();
  const live = useLive();
  const on = ref(false);
  const left = ref(0); // seconds until it is off by itself
  const said = ref("");
  const share = ref(1); // of the full jogging speed
  let touched = 0;
  // A nudge that is not at rest yet, and where it began.
  let went: { axis: string; from: number } | null = null;
  let last: { axis: string; by: number } | null = null; // how far the last one went, signed
  let letGo = 0,
    seen = false; // whether it was seen to move

  const machine = computed(() => {
    const name = machineOf(shot.selected?.id ?? "");
    return shot.view?.machines.find((m) => m.name === name);
  });
  const pos = (id: string): number =>
    live.now?.floor.state.axes[id]?.asked ?? live.now?.floor.state.axes[id]?.pos ?? 0;
  const line = heldSocket(
    () => `/api/jog?${new URLSearchParams({ machine: machine.value?.rig.id ?? "" })}`,
    (m) => {
      const w = m as { refused?: string; ended?: string };
      said.value = w.refused ?? w.ended ?? "";
      line.release();
    },
  );
  const touch = (): void => {
    touched = Date.now();
  };

  function turn(to: boolean): void {
    said.value = "";
    on.value = to && machine.value !== undefined;
    if (on.value) {
      touch();
      line.open();
    } else line.close();
  }
  function press(dir: number, until?: number): void {
    const a = shot.selected;
    if (!on.value || !a || line.held.value) return;
    touch();
    went = { axis: a.id, from: pos(a.id) };
    seen = false;
    said.value = line.press({ axis: own(a.id), way: dir < 0 ? -1 : 1, share: share.value, until })
      ? ""
      : "The hold is not connected yet. Let go and try again in a moment.";
  }
  // Half as far the other way as the last nudge went, on the axis that it was on: as long as it
  // is held and no farther.
  function halfBack(): void {
    if (!on.value || line.held.value) return;
    const a = shot.selected;
    if (went) said.value = "It is not at rest yet. Half back when it is.";
    else if (!last)
      said.value = "Nothing was nudged since it was sent here: there is no half back.";
    else if (a?.id !== last.axis)
      said.value =
        "The last nudge was on " +
        `${shot.axes.find((x) => x.id === last?.axis)?.name ?? "another axis"}. Select it to ` +
        "go half back.";
    else press(last.by > 0 ? -1 : 1, pos(a.id) - last.by / 2);
  }
  // How far a nudge went is known once it is at rest; what moves the rig otherwise makes it void.
  watch(
    () => live.now,
    () => {
      if (live.mode === "jogging") seen = true;
      else if (live.mode !== "idle") last = null;
      if (!went || line.held.value || live.mode !== "idle" || (!seen && Date.now() - letGo < 600))
        return;
      const by = pos(went.axis) - went.from;
      if (by !== 0) last = { axis: went.axis, by };
      went = null;
    },
  );
  watch(line.held, (h) => {
    if (!h) letGo = Date.now();
  });
  function release(): void {
    if (line.held.value) touch();
    line.release();
  }
  watch(
    () => machine.value?.rig.id,
    () => {
      if (on.value) line.open();
    },
  );
  watch(
    () => live.connected,
    (c) => {
      if (!c) turn(false);
    },
  );
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
    return Object.fromEntries(
      shot.axes.map((a) => [
        a.id,
        Number(((s.axes[a.id]?.asked ?? s.axes[a.id]?.pos ?? 0) - (a.zero ?? 0)).toFixed(4)),
      ]),
    );
  });
  async function store(only?: string): Promise<void> {
    const v = stands.value;
    if (!v) return;
    touch();
    const values = only ? { [only]: v[only] ?? 0 } : v;
    await shot.edit(
      { op: "set", frame: shot.nearest(Object.keys(values)), values },
      `Stored where ${live.now?.floor.name} stands.`,
    );
  }
  return {
    on,
    left,
    said,
    share,
    held: line.held,
    ready: line.ready,
    stands,
    machine,
    turn,
    press,
    release,
    halfBack,
    store,
  };
});
