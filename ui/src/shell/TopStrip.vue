<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import { useHold } from "../stores/hold";
import { useLive } from "../stores/live";
import { four, useShot } from "../stores/shot";
import { stopNow } from "./keys";

const shot = useShot();
const live = useLive();
const hold = useHold();
const route = useRoute();
const open = computed(() => route.name !== "shelf" && shot.view !== null);
const onRig = computed(() => route.name === "shoot" && live.connected && shot.view?.seal !== undefined && Object.values(live.now?.floor.state.homed ?? {}).every(Boolean));
const atFirst = computed(() => live.now?.ready.checks.some((c) => c.name === "at first" && c.ok) ?? false);
const frame = computed(() => (!onRig.value ? shot.frame : live.rolling || !atFirst.value ? Math.floor(live.now?.floor.state.frame ?? 0) : shot.start));
const length = computed(() => shot.last - shot.first);
const timecode = computed(() => {
  const v = shot.view;
  if (!v) return "";
  const fps = Math.max(1, Math.round(v.path.rate.num / v.path.rate.den));
  const n = ((frame.value + 36000 * fps) % (86400 * fps) + 86400 * fps) % (86400 * fps);
  const two = (x: number): string => Math.floor(x).toString().padStart(2, "0");
  return `${two(n / (3600 * fps))}:${two((n / (60 * fps)) % 60)}:${two((n / fps) % 60)}:${two(n % fps)}`;
});
const ready = computed(() => (live.lost ? null : live.now?.ready ?? null));
const words = computed(() => {
  if (live.lost) return "Can't roll yet: the application does not answer. It is tried again all the time.";
  return ready.value?.sentence ?? "Looking at the rig …";
});
</script>

<template>
  <header class="strip">
    <router-link to="/" class="brand" aria-label="Keen Arc, to the bookshelf">KEEN<br />ARC</router-link>
    <template v-if="open && shot.view">
      <div class="cell shot">
        <h1>{{ shot.view.code }} · {{ shot.view.title }}</h1>
        <div class="quiet small line">
          <template v-if="shot.view.seal && shot.view.sealed_as_is">path {{ shot.view.seal.version }} sealed {{ shot.view.seal.short }}</template>
          <template v-else>{{ shot.view.rig.name }} · draft {{ shot.view.revision }}, not sealed</template>
          · {{ +shot.view.fps.toFixed(2) }} fps · {{ length }} {{ length === 1 ? "frame" : "frames" }}
        </div>
        <div class="quiet small line" role="status" aria-live="polite">{{ shot.saving ? "saving …" : shot.said || "everything saved" }}</div>
      </div>
      <div class="cell count">
        <div class="big" data-test="counter" aria-live="off">{{ four(frame) }}</div>
        <div class="quiet small"><div>of {{ four(shot.last) }}</div><div>{{ timecode }}</div><div v-if="onRig" class="now">rig</div></div>
      </div>
      <div class="cell ready" data-test="ready">
        <div class="checks small">
          <span v-for="c in ready?.checks ?? []" :key="c.name" :class="c.ok ? 'good' : 'quiet'">{{ c.ok ? "✓" : "·" }} {{ c.name }}</span>
        </div>
        <strong :class="ready?.ok ? 'good' : 'now'" role="status">{{ words }}</strong>
      </div>
      <div class="cell drive" :data-drive="live.drive"><span class="small quiet">drives</span><b>{{ live.drive }}</b></div>
    </template>
    <div v-else class="cell ready"><strong>The bookshelf</strong><span class="quiet small">productions and their shots</span></div>
    <button class="stop" data-test="stop" @click="stopNow(hold.release, (t) => (shot.trouble = t))">STOP<span>Esc · not an E-stop</span></button>
  </header>
</template>

<style scoped>
.strip { display: flex; background: var(--sheet); border-bottom: 2px solid var(--ink); min-width: 0; }
html.blackout .strip { border-color: var(--rule); }
.brand { width: 92px; flex: none; font: 600 20px/1 var(--head); letter-spacing: .12em; padding: 10px 0 0 14px; color: var(--ink); text-decoration: none; box-sizing: border-box; }
.cell { border-left: 1px solid var(--rule); padding: 7px 14px 4px; min-width: 0; display: flex; flex-direction: column; justify-content: center; gap: 2px; overflow: hidden; }
.shot { width: 292px; flex: none; box-sizing: border-box; }
.line { white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.count { flex-direction: row; align-items: center; gap: 14px; justify-content: flex-start; flex: none; width: 208px; box-sizing: border-box; }
.big { font: 700 var(--t30)/1 var(--text); letter-spacing: .02em; }
.ready { flex: 1; gap: 4px; }
.checks { display: flex; gap: 9px; white-space: nowrap; overflow: hidden; }
.ready strong { font-weight: 700; line-height: 1.2; max-height: 2.4em; overflow: hidden; }
.drive { width: 74px; flex: none; align-items: center; text-align: center; padding: 4px; }
.drive b { font: 600 18px/1 var(--head); text-transform: uppercase; letter-spacing: .05em; }
.drive[data-drive="live"] { background: var(--ink); }
.drive[data-drive="live"] b, .drive[data-drive="live"] span { color: var(--sheet); }
.stop { width: 116px; padding: 0 2px; flex: none; background: var(--stop); color: var(--stopink); border: 0; font: 600 24px/1 var(--head); letter-spacing: .08em; cursor: pointer; }
.stop span { display: block; font: 400 var(--t11)/1.4 var(--text); letter-spacing: -.02em; white-space: nowrap; }
.stop:focus-visible { outline: 3px solid var(--ink); outline-offset: -6px; }
@media (max-width: 1100px) { .drive, .checks { display: none; } .shot { width: 220px; } .count { width: 190px; } }
@media (max-width: 700px) { .strip { flex-wrap: wrap; } .shot { display: none; } .ready { flex-basis: 100%; order: 5; border: 0; border-top: 1px solid var(--rule); } .stop { margin-left: auto; min-height: 60px; } }
</style>
