import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { page } from "../api/page";
import type { LiveMessage } from "../api/client";
import { useShot } from "./shot";

// The rig as it is, over a socket that keeps trying. Newest message only.
export const useLive = defineStore("live", () => {
  const shot = useShot();
  const now = shallowRef<LiveMessage | null>(null);
  const at = ref(0);
  const lost = ref(false);
  let ws: WebSocket | null = null;
  let want = "";
  const each = ref(0); // how many screens show every machine by itself
  let again = 0;

  // What a message says again stays the object that it was, so that nothing is
  // drawn again for it.
  function keep(m: LiveMessage): void {
    const old = now.value;
    if (old) {
      if (same(m.view, old.view)) m.view = old.view;
      if (same(m.ready, old.ready)) m.ready = old.ready;
      m.n = old.n;
      m.floor.state.n = old.floor.state.n;
      m.floor.state.tick = old.floor.state.tick;
      for (const x of m.machines ?? []) {
        const o = old.machines?.find((y) => y.machine === x.machine);
        if (o) [x.state.n, x.state.tick] = [o.state.n, o.state.tick];
      }
      if (same(m, old)) return;
    }
    now.value = m;
  }
  const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

  function open(): void {
    window.clearTimeout(again);
    ws?.close();
    if (!want) return;
    const mine = new WebSocket(
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/live?${want}`,
    );
    ws = mine;
    mine.onmessage = (e: MessageEvent<string>) => {
      if (ws !== mine) return;
      const m = JSON.parse(e.data) as LiveMessage;
      void shot.catchUp(m.version);
      if (now.value?.trouble && !m.trouble) void shot.reload();
      keep(m);
      at.value = Date.now();
      lost.value = false;
    };
    mine.onclose = () => {
      if (ws !== mine) return;
      shot.doubt();
      again = window.setTimeout(open, 400);
    };
  }

  watch(
    () => [shot.id, shot.pass, each.value > 0] as const,
    ([id, pass, all]) => {
      const q = id
        ? new URLSearchParams({ shot: id, pass, ...(all ? { machines: "all" } : {}) }).toString()
        : "shot="; // without a shot: what every screen has to say
      if (q !== want) {
        want = q;
        now.value = null;
        open();
      }
    },
    { immediate: true },
  );
  window.setInterval(() => {
    lost.value = Date.now() - at.value > 1500 && want !== "" && shot.id !== "";
  }, 300);

  const mode = computed(() => now.value?.floor.state.mode ?? "");
  const connected = computed(() => !lost.value && (now.value?.floor.connected ?? false));
  const moving = computed(() => connected.value && !["idle", "armed", ""].includes(mode.value));
  const rolling = computed(
    () => connected.value && (mode.value === "rolling" || mode.value === "braking"),
  );
  const drive = computed(() =>
    connected.value ? (now.value?.floor.state.drive ?? "free") : "not seen",
  );
  // What goes on with machines, and whose press it is: this page's, another's, or what another
  // program does with the shot's machine.
  const whose = computed(() => {
    const m = now.value;
    if (lost.value || !m) return "";
    const said = m.doing.map((d) => {
      const name = d.machine && d.machine !== m.floor.machine ? `${d.name}, ` : "";
      const other = d.page ? `${d.who.name}, other page` : d.who.name;
      return `${name}${d.page === page ? "this page" : other}: ${d.says}`;
    });
    if (said.length === 0 && m.floor.state.who) said.push(`elsewhere, ${m.floor.state.who}`);
    return said.join(" · ");
  });
  // Something else is still being carried out: a press that rolls would be refused.
  const busy = computed(
    () =>
      now.value?.doing.some((d) => d.machine === now.value?.floor.machine && d.kind !== "pass") ??
      false,
  );
  return { now, each, lost, mode, connected, moving, rolling, drive, whose, busy };
});
