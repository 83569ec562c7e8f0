<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useLivePicture } from "../../drawing/livePicture";
import { useFrames } from "../../stores/frames";
import { four, useShot } from "../../stores/shot";

// The picture: live, or what was taken; the last one flickered against the live view while
// B is held, the last twelve played at rate while M is.
const frames = useFrames();
// A camera that is mounted upright sees its picture lying on its side.
const shot = useShot();
const upright = computed(() =>
  shot.view ? shot.view.lens.height_mm > shot.view.lens.width_mm : false,
);
const { src: live, why } = useLivePicture(
  640,
  () => (frames.now?.busy ? 500 : 1500),
  () => frames.now?.camera.connected ?? false,
);
const flick = ref(false); // B is held
const play = ref(false); // M is held
const turn = ref(0); // counts the flicker's and the player's changes
const source = computed(() => frames.view?.now?.layer ?? frames.view?.rows[0]?.id ?? "");
// What stands of a layer, by frame.
const taken = computed(() => {
  const v = frames.view,
    row = v?.rows.find((r) => r.id === source.value);
  return (v?.frames ?? []).flatMap((f, i) =>
    row?.cells[i]?.picture ? [{ frame: f, picture: row.cells[i].picture }] : [],
  );
});
const before = computed(() => {
  const at = frames.view?.now?.frame ?? Infinity;
  const list = taken.value.filter((t) => t.frame < at);
  return list[list.length - 1] ?? taken.value[taken.value.length - 1];
});
const reel = computed(() => {
  const at = before.value ? taken.value.indexOf(before.value) + 1 : taken.value.length;
  return taken.value.slice(Math.max(0, at - 12), at);
});
// How long a picture stands, in milliseconds: by the hold that the frames have.
const stands = computed(() => {
  const v = frames.view,
    r = reel.value;
  const span =
    r.length > 1 ? ((r[r.length - 1]?.frame ?? 0) - (r[0]?.frame ?? 0)) / (r.length - 1) : 1;
  return (1000 * span) / (v?.fps || 24);
});
const unsure = computed(() =>
  frames.unsure.find(
    (u) => u.frame === frames.selected?.frame && u.layer === frames.selected?.layer,
  ),
);
const shown = computed(() => {
  const name = frames.layer(source.value)?.name ?? "";
  const of = (h?: string): string => (h ? `/api/pictures/${h}` : "");
  if (play.value && reel.value.length > 0) {
    const t = reel.value[turn.value % reel.value.length];
    return {
      src: of(t?.picture),
      head: `frame ${four(t?.frame ?? 0)}, ${name}`,
      right: `the last ${reel.value.length}, ${+(1000 / stands.value).toFixed(2)} a second`,
    };
  }
  if (flick.value && before.value) {
    const still = turn.value % 2 === 0;
    return {
      src: still ? of(before.value.picture) : live.value,
      head: still ? `frame ${four(before.value.frame)}, ${name}` : "live",
      right: "every 0.4 s",
    };
  }
  const c = frames.selected;
  if (c) {
    const x = frames.cell(c),
      u = unsure.value;
    return {
      src: of(u ? u.picture : x?.picture),
      head:
        `frame ${frames.name(c)}` +
        `${u ? `, exposure ${u.number}` : (x?.number ?? 0) > 1 ? `, exposure ${x?.number}` : ""}`,
      right: u ? "uncertain" : (x?.state ?? ""),
    };
  }
  return { src: live.value, head: "live, from the camera", right: "" };
});

let ticking = 0;
watch([flick, play], ([f, p]) => {
  window.clearInterval(ticking);
  turn.value = 0;
  if (p) for (const t of reel.value) new Image().src = `/api/pictures/${t.picture}`;
  if (f || p) ticking = window.setInterval(() => turn.value++, p ? stands.value : 400);
});
function key(e: KeyboardEvent, down: boolean): void {
  const t = e.target;
  if (
    t instanceof HTMLInputElement ||
    t instanceof HTMLTextAreaElement ||
    t instanceof HTMLSelectElement ||
    e.ctrlKey ||
    e.metaKey ||
    e.altKey
  )
    return;
  const k = e.key.toLowerCase();
  if (k === "b") flick.value = down;
  if (k === "m") play.value = down;
}
const down = (e: KeyboardEvent): void => key(e, true);
const up = (e: KeyboardEvent): void => key(e, false);
const off = (): void => {
  flick.value = play.value = false;
};

onMounted(() => {
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", off);
});
onBeforeUnmount(() => {
  window.clearInterval(ticking);
  window.removeEventListener("keydown", down);
  window.removeEventListener("keyup", up);
  window.removeEventListener("blur", off);
});
</script>

<template>
  <section class="box picture" aria-label="Picture" data-test="picture">
    <header>
      <span data-test="picture-of">{{ shown.head }}</span><span v-if="shown.right">{{
        shown.right
      }}</span
      ><a v-else class="link small" :href="upright ? '/camera?turned' : '/camera'" target="_blank"
        >in a window of its own</a
      >
    </header>
    <div class="view" :class="{ up: upright }">
      <img v-if="shown.src" :src="shown.src" :alt="shown.head" draggable="false" />
      <p v-else class="none">
        {{
          frames.selected ? "There is no picture of it here." : why || "Waiting for the camera …"
        }}
      </p>
    </div>
    <footer v-if="unsure" class="answer">
      <span>{{ unsure.why || "It is not known yet what became of it." }}</span>
      <button
        class="btn slim"
        data-test="answer-yes"
        :disabled="!unsure.picture"
        @click="frames.answer(unsure.exposure, true)"
      >
        it counts
      </button>
      <button class="btn slim" data-test="answer-no" @click="frames.answer(unsure.exposure, false)">
        it does not
      </button>
      <button class="link" @click="frames.selected = null">live</button>
    </footer>
    <footer v-else-if="frames.selected" class="answer">
      <button
        class="btn slim"
        data-test="go-back"
        @click="frames.command('back to', frames.selected)"
      >
        go to it
      </button>
      <button
        v-if="frames.cell(frames.selected)?.picture"
        class="btn slim"
        data-test="take-again"
        @click="frames.command('back to', frames.selected, true)"
      >
        take it once more
      </button>
      <button class="link" data-test="to-live" @click="frames.selected = null">live</button>
    </footer>
    <footer v-else>
      <button
        class="hold"
        data-test="flicker"
        :disabled="!before"
        @pointerdown="flick = true"
        @pointerup="flick = false"
        @pointerleave="flick = false"
      >
        hold <kbd>B</kbd>: {{ before ? `${four(before.frame)} against live` : "nothing taken yet" }}
      </button>
      <button
        class="hold"
        data-test="reel"
        :disabled="reel.length < 2"
        @pointerdown="play = true"
        @pointerup="play = false"
        @pointerleave="play = false"
      >
        hold <kbd>M</kbd>: last {{ reel.length }} at rate
      </button>
    </footer>
  </section>
</template>

<style scoped>
.picture {
  display: grid;
  grid-template-rows: 32px minmax(0, 1fr) 36px;
  background: var(--dark);
  color: var(--light);
  min-width: 0;
}
header,
footer {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: var(--s12);
  padding: 0 var(--s14);
  min-width: 0;
}
.answer {
  justify-content: flex-start;
}
.answer span {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.view {
  min-height: 0;
  display: flex;
  justify-content: center;
}
img {
  width: 100%;
  height: 100%;
  object-fit: contain;
  display: block;
}
.view.up {
  container-type: size;
  align-items: center;
  overflow: hidden;
}
.view.up > img {
  width: 100cqh;
  height: 100cqw;
  flex: none;
  transform: rotate(90deg);
}
.none {
  align-self: center;
  padding: var(--s20);
}
.hold {
  background: none;
  border: 0;
  color: var(--light);
  font: inherit;
  cursor: pointer;
  padding: var(--s4) 0;
  touch-action: none;
  user-select: none;
}
.hold:disabled {
  opacity: 0.7;
  cursor: default;
}
.hold kbd {
  border-color: var(--light);
}
.picture .btn {
  background: none;
  color: var(--light);
  border-color: var(--light);
}
.picture .btn:disabled {
  opacity: 0.6;
}
.picture .link {
  color: var(--lightnow);
}
</style>
