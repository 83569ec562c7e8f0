<script setup lang="ts">
import { computed, watch } from "vue";
import { useRoute } from "vue-router";
import { useFrames } from "../stores/frames";
import { useOutbox } from "../stores/outbox";
import { usePrefs } from "../stores/prefs";
import { useLive } from "../stores/live";
import { four, useShot } from "../stores/shot";
import { useSteer } from "../stores/steer";
import { stopNow } from "./keys";
import { sound } from "./tones";

const shot = useShot();
const live = useLive();
const steer = useSteer();
const frames = useFrames();
const byFrames = computed(() => route.name === "shoot" && frames.open && frames.view !== null);
const outbox = useOutbox();
const prefs = usePrefs();
const route = useRoute();
// What was made here and where it is; never more than is known.
const kept = computed(() => {
  const n = outbox.count;
  if (outbox.offline)
    return {
      text: `${n} ${n === 1 ? "change waits" : "changes wait"}: the application does not answer`,
      tone: "over",
    };
  const long = live.now?.computing?.[0];
  if (long) {
    const done = long.share ? `, ${Math.floor(100 * long.share)} % done` : "";
    const since = `${Math.round((Date.now() - long.since_ms) / 1000)} s`;
    return {
      text: `working out ${long.says}, ${since}${long.waits ? ": waits for its turn" : done} …`,
      tone: "",
    };
  }
  if (n > 0 || shot.saving > 0) return { text: "saving …", tone: "" };
  const lost = outbox.refused.filter((q) => q.shot === shot.id || q.shot === "").length;
  if (lost > 0)
    return {
      text: `${lost} ${lost === 1 ? "change" : "changes"} not made: see below`,
      tone: "over",
    };
  if (shot.said) return { text: shot.said, tone: "" };
  if (live.lost) return { text: "the application does not answer", tone: "over" };
  const t = shot.tried.length;
  return {
    text:
      t > 0
        ? `stored edits saved; ${t} ${t === 1 ? "framing" : "framings"} only tried`
        : "everything saved",
    tone: "",
  };
});
const open = computed(
  () => route.name !== "shelf" && route.name !== "camera" && shot.view !== null,
);
// The rig's own frame, where it stands on the sealed path; else the plan's.
const onRig = computed(
  () =>
    route.name === "shoot" &&
    !byFrames.value &&
    live.connected &&
    (live.now?.ready.on_path ?? false),
);
const atFirst = computed(
  () =>
    live.now?.ready.checks.some((c) => c.name === `at ${live.now?.ready.starts_at}` && c.ok) ??
    false,
);
const frame = computed(() =>
  byFrames.value
    ? (frames.current?.frame ?? shot.frame)
    : !onRig.value
      ? shot.frame
      : live.rolling || !atFirst.value
        ? Math.floor(live.now?.floor.state.frame ?? 0)
        : live.now?.ready.starts_at === "last"
          ? shot.end
          : shot.start,
);
const length = computed(() => shot.last - shot.first);
const timecode = computed(() =>
  onRig.value && live.rolling ? (live.now?.at?.timecode ?? "") : shot.timecode(frame.value),
);
const ready = computed(() =>
  live.lost ? null : ((byFrames.value ? frames.now?.ready : live.now?.ready) ?? null),
);
const good = computed(() => (byFrames.value ? frames.says.ok : ready.value?.ok));
// The drives' state is also sounded, if wanted.
function audible(): void {
  prefs.audible = !prefs.audible;
  if (prefs.audible) sound(live.drive);
}
watch(
  () => live.drive,
  (d) => {
    if (prefs.audible) sound(d);
  },
);
// With letter keys off, the strip names what to press instead.
const buttons: Record<string, string> = {
  K: "“store all” on Compose",
  P: "Prove in the rail",
  S: "“seal” on Compose",
  F: "“go to first (or last) frame” on Shoot",
  "2": "Line up in the rail",
  "5": "Shoot in the rail",
};
const words = computed(() => {
  if (byFrames.value) return frames.says.text;
  if (live.lost)
    return "Can't roll yet: the application does not answer. It is tried again all the time.";
  const s = ready.value?.sentence ?? "Looking at the rig …";
  return prefs.letters
    ? s
    : s.replace(/Press ([KPSF25])\b/, (_, k: string) => `Use ${buttons[k] ?? k}`);
});
</script>

<template>
  <header class="strip">
    <router-link to="/" class="brand" aria-label="Keen Arc, to the bookshelf"
      >KEEN<br />ARC</router-link
    >
    <template v-if="open && shot.view">
      <div class="cell shot">
        <h1 class="line" :title="shot.view.title">{{ shot.view.code }} · {{ shot.view.title }}</h1>
        <div class="quiet small line">
          <template v-if="shot.view.seal && shot.view.sealed_as_is"
            >path {{ shot.view.seal.version }} sealed {{ shot.view.seal.short }}</template
          >
          <template v-else
            >{{ shot.view.rig.name }} · draft {{ shot.view.revision }}, not sealed</template
          >
          · {{ +shot.view.fps.toFixed(2) }} fps · {{ length }}
          {{ length === 1 ? "frame" : "frames" }}
        </div>
        <div
          class="small line"
          :class="kept.tone || 'quiet'"
          role="status"
          aria-live="polite"
          data-test="kept"
          :title="kept.text"
        >
          {{ kept.text }}
        </div>
      </div>
      <div class="cell count">
        <div class="big" data-test="counter" aria-live="off">{{ four(frame) }}</div>
        <div class="quiet small">
          <div>of {{ four(shot.last) }}</div>
          <div v-if="byFrames">
            {{
              frames.current
                ? `${frames.layer(frames.current.layer)?.name}${frames.now?.busy ? "" : " next"}`
                : "all taken"
            }}
          </div>
          <div v-else>{{ timecode }}</div>
          <div v-if="onRig" class="now">rig</div>
        </div>
      </div>
      <div class="cell ready" data-test="ready">
        <div v-if="live.whose" class="small line whose" :title="live.whose" data-test="whose">
          {{ live.whose }}
        </div>
        <div v-else class="checks small" data-test="whose">
          <span v-for="c in ready?.checks ?? []" :key="c.name" :class="c.ok ? 'good' : 'quiet'"
            >{{ c.ok ? "✓" : "·" }} {{ c.name }}</span
          >
        </div>
        <strong :class="good ? 'good' : 'now'" role="status">{{ words }}</strong>
      </div>
      <button
        class="cell drive"
        :data-drive="live.drive"
        :aria-pressed="prefs.audible"
        data-test="drive"
        :title="
          prefs.audible ? 'changes are sounded; press for silence' : 'press to have changes sounded'
        "
        @click="audible"
      >
        <span class="small quiet">drives {{ prefs.audible ? "· heard" : "" }}</span
        ><b>{{ live.drive }}</b>
      </button>
    </template>
    <div v-else class="cell ready">
      <strong>{{ route.name === "camera" ? "Camera" : "The bookshelf" }}</strong><span
        class="quiet small"
        data-test="whose"
        >{{
          live.whose
            ? live.whose
            : route.name === "camera"
              ? "live, from where the rig stands"
              : "productions and their shots"
        }}</span
      >
    </div>
    <button
      class="stop"
      data-test="stop"
      @click="
        steer.turn(false);
        stopNow();
      "
    >
      STOP<span>Esc · not an E-stop</span>
    </button>
  </header>
</template>

<style scoped>
.strip {
  display: flex;
  background: var(--sheet);
  border-bottom: 2px solid var(--ink);
  min-width: 0;
}
html.blackout .strip {
  border-color: var(--rule);
}
.brand {
  width: 92px;
  flex: none;
  font: 600 var(--t16)/1 var(--head);
  letter-spacing: 0.12em;
  padding: var(--s10) 0 0 var(--s14);
  color: var(--ink);
  text-decoration: none;
  box-sizing: border-box;
}
.whose {
  font-weight: 700;
}
.cell {
  border-left: 1px solid var(--rule);
  padding: var(--s6) var(--s14) var(--s4);
  min-width: 0;
  display: flex;
  flex-direction: column;
  justify-content: center;
  gap: var(--s2);
  overflow: hidden;
}
.shot {
  width: 270px;
  flex: none;
  box-sizing: border-box;
  padding: var(--s2) var(--s14) var(--s2);
  gap: var(--s1);
}
h1.line {
  line-height: 1.3;
}
.line {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.count {
  contain: strict;
  flex-direction: row;
  align-items: center;
  gap: var(--s14);
  justify-content: flex-start;
  flex: none;
  width: 208px;
  box-sizing: border-box;
}
.big {
  font: 700 var(--t30)/1 var(--text);
  letter-spacing: 0.02em;
}
.ready {
  flex: 1;
  gap: var(--s4);
  padding-right: var(--s8);
}
.checks {
  display: flex;
  gap: var(--s4);
  white-space: nowrap;
  overflow: hidden;
}
.ready strong {
  font-weight: 700;
  line-height: 1.2;
  max-height: 2.4em;
  overflow: hidden;
}
.drive {
  width: 118px;
  flex: none;
  align-items: center;
  text-align: center;
  padding: var(--s2) var(--s4);
  background: var(--sheet);
  color: var(--ink);
  border: 0;
  border-left: 1px solid var(--rule);
  cursor: pointer;
  font: inherit;
}
.drive b {
  font: 600 var(--t30)/1 var(--head);
  text-transform: uppercase;
  letter-spacing: 0.02em;
  white-space: nowrap;
}
.drive[data-drive="not seen"] b {
  font-size: var(--t24);
}
.drive[data-drive="free"] {
  background: repeating-linear-gradient(45deg, var(--sheet) 0 8px, var(--tint) 8px 16px);
}
.drive[data-drive="live"] {
  background: var(--ink);
}
.drive[data-drive="live"] b,
.drive[data-drive="live"] span {
  color: var(--sheet);
}
.stop {
  width: 116px;
  padding: 0 var(--s2);
  flex: none;
  background: var(--stop);
  color: var(--stopink);
  border: 0;
  font: 600 var(--t24)/1 var(--head);
  letter-spacing: 0.08em;
  cursor: pointer;
}
.stop span {
  display: block;
  font: 400 var(--t11)/1.4 var(--text);
  letter-spacing: -0.02em;
  white-space: nowrap;
}
.stop:focus-visible {
  outline: 3px solid var(--ink);
  outline-offset: -6px;
}
@media (max-width: 1100px) {
  .checks {
    display: none;
  }
  .shot {
    width: 210px;
  }
  .count {
    width: 178px;
    padding-left: var(--s10);
    gap: var(--s8);
  }
  .drive {
    width: 104px;
  }
  .drive b {
    font-size: var(--t24);
  }
}
@media (max-width: 900px) {
  .brand {
    width: 60px;
    padding-left: var(--s8);
    font-size: var(--t16);
  }
  .shot {
    width: 150px;
  }
  .count {
    width: 150px;
  }
  .big {
    font-size: var(--t24);
  }
  .stop {
    width: 104px;
  }
  .stop span {
    white-space: normal;
    line-height: 1.1;
  }
}
@media (max-width: 700px) {
  .strip {
    flex-wrap: wrap;
  }
  .shot {
    display: none;
  }
  .drive {
    flex: 1;
  }
  .drive b {
    font-size: var(--t30);
  }
  .ready {
    flex-basis: 100%;
    order: 5;
    border: 0;
    border-top: 1px solid var(--rule);
  }
  .stop {
    margin-left: auto;
    min-height: 60px;
  }
}
</style>
