<script setup lang="ts">
import { computed } from "vue";
import { stages } from "../router";
import { useLive } from "../stores/live";
import { usePrefs } from "../stores/prefs";
import { useFrames } from "../stores/frames";
import { four, useShot } from "../stores/shot";
import { useAsk } from "../stores/ask";

const shot = useShot();
const live = useLive();
const prefs = usePrefs();
const ask = useAsk();
const frames = useFrames();

const notes = computed<Record<string, string>>(() => {
  const v = shot.view;
  const st = live.now?.floor.state;
  const homed = st ? Object.values(st.axes).filter((a) => a.homed).length : 0;
  const keys = new Set((v?.path.tracks ?? []).flatMap((t) => t.keys.map((k) => k.frame))).size;
  const open = v?.analysis.sentences.length ?? 0;
  const i = shot.passes.findIndex((p) => p.id === shot.pass);
  return {
    "rig-up": live.connected ? `${shot.axes.length} axes seen` : "rig not seen",
    "line-up":
      homed === shot.axes.length && homed > 0
        ? "all homed"
        : `${homed} of ${shot.axes.length} homed`,
    compose: keys === 1 ? "1 keyframe" : `${keys} keyframes`,
    prove: v?.empty ? "nothing yet" : open ? `${open} to resolve` : "clear",
    shoot: v?.frames
      ? frames.view?.now
        ? `${four(frames.view.now.frame)} of ${frames.view.scheme.last}`
        : frames.view
          ? "all taken"
          : "frames"
      : shot.passes.length
        ? `pass ${i + 1} of ${shot.passes.length}`
        : "no pass",
    wrap: "log open",
  };
});
</script>

<template>
  <nav class="rail" aria-label="Stages">
    <router-link
      v-for="s in stages"
      :key="s.name"
      :to="{ name: s.name, params: { id: shot.id } }"
      class="stage"
      active-class="here"
      :data-test="'stage-' + s.name"
    >
      <span class="t">{{ s.title }}</span><span class="n small">{{ notes[s.name] }}</span>
    </router-link>
    <div class="foot">
      <button
        class="link small"
        data-test="theme"
        @click="prefs.theme = prefs.theme === 'paper' ? 'blackout' : 'paper'"
      >
        {{ prefs.theme === "paper" ? "blackout" : "paper" }}
      </button>
      <button class="link small" data-test="keys" @click="ask.keys = true">
        keys <kbd>?</kbd>
      </button>
    </div>
  </nav>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  padding-top: var(--s12);
  min-height: 0;
}
.stage {
  display: block;
  padding: var(--s8) var(--s4) var(--s8) var(--s14);
  border-left: 4px solid transparent;
  text-decoration: none;
  color: var(--quiet);
  min-height: 48px;
}
.t {
  display: block;
  font: 600 var(--t16)/1.15 var(--head);
  color: var(--quiet);
}
.n {
  display: block;
  color: var(--quiet);
  line-height: 1.25;
}
.stage:hover .t,
.here .t,
.here .n {
  color: var(--ink);
}
.here {
  background: var(--sheet);
  border-left-color: var(--now);
}
.foot {
  margin-top: auto;
  padding: 0 0 var(--s14) var(--s14);
  display: flex;
  flex-direction: column;
  gap: var(--s8);
  align-items: flex-start;
}
.foot .link {
  color: var(--quiet);
}
html.paper .t,
html.paper .n,
html.paper .foot .link {
  color: var(--muted);
}
html.paper .here .t,
html.paper .here .n {
  color: var(--ink);
}
@media (max-width: 700px) {
  .rail {
    flex-direction: row;
    overflow-x: auto;
    padding: 0;
  }
  .stage {
    border-left: 0;
    flex: none;
  }
  .foot {
    display: none;
  }
}
</style>
