<script setup lang="ts">
import { computed } from "vue";
import type { Edit } from "../../api/client";
import { curves, ends as endings, laws, longestMove, symbols } from "../../api/rules";
import { four, useShot } from "../../stores/shot";
import { readNumber } from "../../fields/numbers";
import { answered } from "../../fields/typed";
import { useOutbox } from "../../stores/outbox";
import FieldInput from "../../fields/FieldInput.vue";

// How the selected axis is joined: the whole of it, the leg under the playhead, and what its
// keyframe there has.
type Kind = NonNullable<Edit["kind"]>;
type Bend = NonNullable<Edit["shape"]>;
const outbox = useOutbox();
const shot = useShot();
const track = computed(() => shot.view?.path.tracks.find((t) => t.axis === shot.selected?.id));
const ends = computed<readonly string[]>(() =>
  track.value ? endings[track.value.kind as keyof typeof endings] : [],
);
const segment = computed(() => {
  const k = track.value?.keys ?? [];
  return k.findIndex((q, n) => {
    const next = k[n + 1];
    return next !== undefined && shot.frame >= q.frame && shot.frame < next.frame;
  });
});
const segmentKind = computed(() =>
  segment.value < 0 ? "" : (track.value?.segments?.[String(segment.value)] ?? ""),
);
const legKind = computed(() => segmentKind.value || track.value?.kind);
const key = computed(() => track.value?.keys.find((k) => k.frame === shot.frame));
const unit = computed(() => symbols[shot.selected?.unit as keyof typeof symbols] ?? "");
// What the keyframe's own legs use: the one before it counts, too.
const kinds = computed(() => {
  const i = (track.value?.keys ?? []).findIndex((k) => k.frame === shot.frame);
  return [i - 1, i].map((n) => track.value?.segments?.[String(n)] ?? track.value?.kind);
});
const has = (k: Kind): boolean => key.value !== undefined && kinds.value.includes(k);
const ramp = computed(
  () =>
    (segment.value < 0 ? undefined : track.value?.ramps?.[String(segment.value)]) ??
    track.value?.ramp,
);
const short = (v: number | undefined): string => String(+(v ?? 0).toFixed(4));

// The keyframe's own frame, typed.
function setFrame(e: Event): void {
  const box = e.target as HTMLInputElement,
    k = key.value,
    to = readNumber(box.value);
  if (!k || (to === k.frame && outbox.count === 0)) return;
  if (!(Math.abs(to) <= longestMove)) {
    shot.trouble = `Keyframe: “${box.value}” is not a frame; give a number within ±${longestMove}.`;
    box.value = short(k.frame);
    return;
  }
  const gave = box.value;
  void shot
    .edit(
      { op: "move", axis: shot.selected?.id, frame: k.frame, to },
      `${shot.selected?.name}: ${four(k.frame)} moved to ${four(to)}.`,
    )
    .then((done) => {
      if (done) shot.go(to);
      else answered(box, gave, short(key.value?.frame));
    });
}
const set = (e: Edit, said: string): Promise<unknown> => shot.edit(e, said);
function setKind(e: Event): void {
  const kind = (e.target as HTMLSelectElement).value as Kind;
  void set({ op: "kind", axis: shot.selected?.id, kind }, `${shot.selected?.name} runs ${kind}.`);
}
function setEnds(e: Event): void {
  void set(
    {
      op: "kind",
      axis: shot.selected?.id,
      kind: track.value?.kind as Kind,
      ends: (e.target as HTMLSelectElement).value as Edit["ends"],
    },
    "Ends changed.",
  );
}
function setBlend(e: Event): void {
  const v = readNumber((e.target as HTMLInputElement).value);
  if (!(v >= 0)) {
    shot.trouble = "Blend: give a number of frames, zero or more.";
    return;
  }
  void set(
    { op: "kind", axis: shot.selected?.id, kind: "linear", blend: v },
    v > 0 ? `Corners blended over ${v} frames.` : "Corners as they are.",
  );
}
function setSegment(e: Event): void {
  const kind = (e.target as HTMLSelectElement).value as Kind | "";
  void set(
    { op: "segment", axis: shot.selected?.id, index: segment.value, kind: kind || undefined },
    "Segment changed.",
  );
}
// What was asked for and has not come back yet: the next change adds to it.
let asked: { place: string; ramp: { law: (typeof laws)[number]; in: string; out: string } } | null =
  null;
// A ramp is the axis's own, or, where the leg has a kind of its own, the leg's. What was refused
// stands there as it was.
function setRamp(what: "law" | "in" | "out", e: Event): void {
  const box = e.target as HTMLInputElement;
  const was = ramp.value,
    place = `${shot.id} ${shot.selected?.id} ${segment.value}`;
  const base =
    asked?.place === place
      ? asked.ramp
      : {
          law: was?.law ?? ("trapezoid" as const),
          in: String(was?.in ?? ""),
          out: String(was?.out ?? ""),
        };
  const next = { ...base, [what]: box.value };
  const mine = { place, ramp: next },
    gave = box.value;
  asked = mine;
  const own = segmentKind.value === "ramp";
  void set(
    own
      ? { op: "segment", axis: shot.selected?.id, index: segment.value, kind: "ramp", ramp: next }
      : { op: "kind", axis: shot.selected?.id, kind: "ramp", ramp: next },
    "Ramp changed.",
  ).then(() => {
    if (asked === mine) asked = null;
    answered(
      box,
      gave,
      what === "law" ? (ramp.value?.law ?? "trapezoid") : short(ramp.value?.[what] ?? third.value),
    );
  });
}
const third = computed(() => {
  const k = track.value?.keys ?? [];
  const a = k[segment.value],
    b = k[segment.value + 1];
  return a && b ? (b.frame - a.frame) / 3 : 0;
});
let bending: { place: string; bend: Partial<Bend> } | null = null; // asked for and not back yet
function setShape(change: Partial<Bend>, box: HTMLInputElement, was: () => string): void {
  const k = key.value;
  if (!k) return;
  if (
    Object.values(change).some((v) => (Array.isArray(v) ? v : [v]).some((x) => !Number.isFinite(x)))
  ) {
    shot.trouble = `"${box.value}" is not a number.`;
    box.value = was();
    return;
  }
  const { frame, value, ...bend } = k,
    place = `${shot.id} ${shot.selected?.id} ${frame}`,
    gave = box.value;
  const mine = { place, bend: { ...(bending?.place === place ? bending.bend : bend), ...change } };
  bending = mine;
  void set(
    { op: "shape", axis: shot.selected?.id, frame, shape: mine.bend },
    `Keyframe at ${frame} shaped.`,
  ).then(() => {
    if (bending === mine) bending = null;
    answered(box, gave, was());
  });
  void value;
}
function setOne(
  what: "tension" | "continuity" | "bias" | "slope" | "acceleration",
  e: Event,
): void {
  const box = e.target as HTMLInputElement;
  setShape({ [what]: readNumber(box.value) }, box, () => short(key.value?.[what]));
}
// A handle is typed as frames and value from the keyframe: "-8 2.5"; nothing: as usual.
function setHandle(what: "in" | "out", e: Event): void {
  const box = e.target as HTMLInputElement;
  const parts = box.value
    .trim()
    .split(/[\s;]+/)
    .filter(Boolean)
    .map(readNumber);
  const [dx = 0, dy = 0] = parts;
  setShape({ [what]: parts.length === 0 || parts.length === 2 ? [dx, dy] : [NaN, NaN] }, box, () =>
    handle(what),
  );
}
const handle = (what: "in" | "out"): string => {
  const h = key.value?.[what];
  return h && (h[0] || h[1]) ? `${short(h[0])} ${short(h[1])}` : "";
};
const blur = (e: KeyboardEvent): void => (e.target as HTMLInputElement).blur();
</script>

<template>
  <label v-if="key"
    >keyframe at
    <FieldInput
      class="field num"
      :value="short(key.frame)"
      inputmode="decimal"
      data-test="key-frame"
      @change="setFrame"
      @keydown.enter="blur"
  /></label>
  <label
    ><span class="who" :title="shot.selected?.name">{{ shot.selected?.name }}</span> runs
    <select class="field" data-test="kind" :value="track?.kind" @change="setKind">
      <option v-for="k in curves" :key="k">{{ k }}</option>
    </select></label
  >
  <label v-if="ends.length"
    >ends
    <select class="field" :value="track?.ends || ends[0]" @change="setEnds">
      <option v-for="k in ends" :key="k">{{ k }}</option>
    </select></label
  >
  <label v-if="track?.kind === 'linear'"
    >blend
    <FieldInput
      class="field num"
      :value="track.blend ?? 0"
      inputmode="decimal"
      @change="setBlend"
    />
    frames</label
  >
  <label v-if="segment >= 0 && !track?.blend"
    >leg
    <select class="field" data-test="leg" :value="segmentKind" @change="setSegment">
      <option value="">as axis</option>
      <option v-for="k in curves" :key="k">{{ k }}</option>
    </select></label
  >
  <template v-if="segment >= 0 && legKind === 'ramp'">
    <label
      >by
      <select
        class="field"
        data-test="law"
        :value="ramp?.law ?? 'trapezoid'"
        @change="setRamp('law', $event)"
      >
        <option v-for="l in laws" :key="l">{{ l }}</option>
      </select></label
    >
    <label
      >ramp in
      <FieldInput
        class="field num"
        data-test="ramp-in"
        :value="short(ramp?.in ?? third)"
        :title="`frames, or as 0.5 s, or as 40 ${unit}/s²`"
        @change="setRamp('in', $event)"
        @keydown.enter="blur"
    /></label>
    <label
      >out
      <FieldInput
        class="field num"
        data-test="ramp-out"
        :value="short(ramp?.out ?? third)"
        :title="`frames, or as 0.5 s, or as 40 ${unit}/s²`"
        @change="setRamp('out', $event)"
        @keydown.enter="blur"
      />
      frames</label
    >
  </template>
  <template v-if="has('tcb')">
    <label v-for="w in ['tension', 'continuity', 'bias'] as const" :key="w"
      >{{ w }}
      <FieldInput
        class="field num"
        :data-test="w"
        :value="short(key?.[w])"
        inputmode="decimal"
        title="−1 to 1"
        @change="setOne(w, $event)"
        @keydown.enter="blur"
    /></label>
  </template>
  <template v-if="has('quintic')">
    <label
      >slope
      <FieldInput
        class="field num"
        data-test="slope"
        :value="short(key?.slope)"
        inputmode="decimal"
        @change="setOne('slope', $event)"
        @keydown.enter="blur"
      />
      {{ unit }}/frame</label
    >
    <label
      >bend
      <FieldInput
        class="field num"
        data-test="acceleration"
        :value="short(key?.acceleration)"
        inputmode="decimal"
        @change="setOne('acceleration', $event)"
        @keydown.enter="blur"
      />
      {{ unit }}/frame²</label
    >
  </template>
  <template v-if="has('handles')">
    <label
      >handle behind
      <FieldInput
        class="field pair"
        data-test="handle-in"
        :value="handle('in')"
        placeholder="usual"
        :title="`frames and ${unit} from the keyframe, as −8 2.5; empty: a third of the leg`"
        @change="setHandle('in', $event)"
        @keydown.enter="blur"
    /></label>
    <label
      >ahead
      <FieldInput
        class="field pair"
        data-test="handle-out"
        :value="handle('out')"
        placeholder="usual"
        :title="`frames and ${unit} from the keyframe, as 8 2.5; empty: a third of the leg`"
        @change="setHandle('out', $event)"
        @keydown.enter="blur"
    /></label>
  </template>
</template>

<style scoped>
.field {
  font-size: var(--t13);
  min-height: 24px;
  margin-left: var(--s2);
}
.num {
  width: 44px;
}
.pair {
  width: 74px;
}
.who {
  display: inline-block;
  width: 42px;
  text-align: right;
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: middle;
}
</style>
