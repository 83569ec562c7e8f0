<script setup lang="ts">
import WeaveDrawing from "../../drawing/WeaveDrawing.vue";
import { useFrames } from "../../stores/frames";
import { four, useShot } from "../../stores/shot";
import FrameHands from "./FrameHands.vue";
import FrameNext from "./FrameNext.vue";
import FramePicture from "./FramePicture.vue";
import SchemeDialog from "./SchemeDialog.vue";

const frames = useFrames();
const shot = useShot();
const pick = (c: { frame: number; layer: string }): void => {
  frames.selected =
    frames.selected?.frame === c.frame && frames.selected.layer === c.layer ? null : c;
};
</script>

<template>
  <div v-if="frames.view" class="frames">
    <FramePicture />
    <FrameHands />
    <FrameNext />
    <section class="box loom" aria-labelledby="weave-title">
      <header>
        <h2 id="weave-title" class="cap">The weave</h2>
        <span class="quiet small">frames across, exposures down</span>
        <button class="link small" data-test="scheme" @click="frames.editing = true">
          layers and frames …
        </button>
        <a class="link small" :href="`/api/shots/${shot.id}/frames.zip`" data-test="zip" download
          >pictures and poses, zip</a
        >
        <button
          v-if="frames.unsure[0]"
          class="link unsure"
          data-test="unsure"
          @click="pick(frames.unsure[0])"
        >
          {{ frames.name(frames.unsure[0]) }}: {{ frames.unsure[0].why || "not known yet" }}. Taken
          or not?{{ frames.unsure.length > 1 ? ` And ${frames.unsure.length - 1} more.` : "" }}
        </button>
      </header>
      <WeaveDrawing
        :view="frames.view"
        :now="frames.current"
        :busy="frames.now?.busy ?? false"
        :selected="frames.selected"
        @pick="pick"
      />
    </section>
    <SchemeDialog v-if="frames.editing" @close="frames.editing = false" />
  </div>
  <section v-else class="box none" data-test="no-frames">
    <h2>Frame by frame</h2>
    <template v-if="!shot.view?.frames">
      <p>
        This shot is not taken frame by frame yet.
        {{
          shot.view?.empty
            ? "Store keyframes on Compose first: its frames come from the move."
            : `Its move has the frames ${four(shot.first)} to ${four(shot.last - 1)}.`
        }}
      </p>
      <button class="btn" data-test="on-twos" :disabled="shot.view?.empty" @click="frames.begin(2)">
        Take it on twos
      </button>
      <button class="btn" data-test="on-ones" :disabled="shot.view?.empty" @click="frames.begin(1)">
        on ones
      </button>
    </template>
    <p v-else>Opening the weave …</p>
  </section>
</template>

<style scoped>
.frames {
  display: grid;
  grid-template: minmax(240px, 1fr) auto / minmax(0, 1fr) 272px 272px;
  gap: var(--s12);
  height: 100%;
  min-height: 520px;
}
.loom {
  grid-column: 1 / -1;
  padding: var(--s10) var(--s14) var(--s6);
  display: flex;
  flex-direction: column;
  min-width: 0;
}
header {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  min-width: 0;
}
header > * {
  white-space: nowrap;
}
.unsure {
  margin-left: auto;
  overflow: hidden;
  text-overflow: ellipsis;
  text-decoration: none;
}
.none {
  padding: var(--s24) var(--s24);
}
.none .btn {
  margin-right: var(--s10);
}
@media (max-width: 1100px) {
  .frames {
    grid-template-columns: minmax(0, 1fr) 232px 240px;
    gap: var(--s8);
  }
}
@media (max-width: 960px), (max-height: 620px) {
  .frames {
    grid-template: auto auto auto / minmax(0, 1fr) minmax(0, 1fr);
    height: auto;
  }
  .frames > :first-child {
    grid-column: 1 / -1;
    grid-row: 2;
    height: 300px;
  }
}
@media (max-width: 700px) {
  .frames {
    display: flex;
    flex-direction: column;
  }
}
</style>
