import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from "vue";
import type { Axis, Track, ShotView } from "../api/client";
import { usePreview } from "../stores/preview";
import { useScore, type Post } from "../stores/score";
import { useShot } from "../stores/shot";
import { editOf, lifted, type Hand } from "./posts";

// One staff of the score, as it is laid out.
export interface Staff {
  a: Axis;
  i: number;
  y: number;
  h: number;
}

// Where the hand is: frames and values on the sheet.
interface Sheet {
  box: Ref<HTMLElement | null>;
  left: number;
  rows: Ref<Staff[]>;
  opened: Ref<number | null>;
  start: Ref<number>;
  end: Ref<number>;
  crowded: Ref<boolean>;
  tracks: Ref<Map<string, Track>>;
  keysOf: (axis: number) => number[];
  x: (frame: number) => number;
  frameAt: (px: number) => number;
  valueAt: (py: number) => number;
  write: (a: Axis, value: number) => string;
}

// Keyframes in the hand, by pointer and by keys, and what picks them: nothing is changed before it
// is let go.
export function useHand(
  shot: () => ShotView,
  sheet: Sheet,
  on: { go: (frame: number) => void; select: (axis: number) => void },
) {
  const { box, left, rows, opened, start, end, crowded, tracks, keysOf } = sheet;
  const { x, frameAt, valueAt, write } = sheet;
  const store = useShot();
  const score = useScore();
  const preview = usePreview();

  // What the pointer holds: keyframes, a band that picks, or the playhead.
  const hand = shallowRef<Hand | null>(null);
  const held = shallowRef<Hand | null>(null); // by keys
  const band = ref<{
    x: number;
    y: number;
    x2: number;
    y2: number;
    add: boolean;
    axis: number;
  } | null>(null);
  const near = ref<{ axis: number; x: number } | null>(null);
  let scrub = false;
  let busy = false; // what was let go is on its way
  const lift = computed(() => lifted(hand.value, shot().rig.axes));
  const pickedOf = computed(() => {
    const out = new Map<string, Set<number>>();
    for (const p of score.picked) out.set(p.axis, (out.get(p.axis) ?? new Set()).add(p.frame));
    return out;
  });
  const place = (e: PointerEvent): { x: number; y: number } => {
    const r = box.value?.getBoundingClientRect();
    return { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
  };
  const valueOf = (p: Post): number =>
    tracks.value.get(p.axis)?.keys.find((k) => k.frame === p.frame)?.value ?? 0;
  const withValue = (p: Post): Hand["held"] => ({ ...p, value: valueOf(p) });
  function take(e: PointerEvent, axis: number, held: Post, posts: Post[], all: boolean): void {
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    const at = place(e);
    hand.value = {
      posts: posts.map(withValue),
      all,
      axis,
      held: withValue(held),
      to: held.frame,
      dv: 0,
      at: { ...at, v: valueAt(at.y) },
    };
    preview.open();
  }
  function grab(e: PointerEvent, axis: number, frame: number): void {
    const post = { axis: shot().rig.axes[axis]?.id ?? "", frame };
    if (busy && !e.shiftKey) return;
    on.select(axis);
    if (e.shiftKey) return score.pick([post], true);
    take(e, axis, post, score.has(post) ? score.picked : [post], false);
  }
  function markDown(e: PointerEvent, frame: number): void {
    const posts = shot()
      .rig.axes.filter((_, i) => keysOf(i).includes(frame))
      .map((a) => ({ axis: a.id, frame }));
    if (e.shiftKey) return score.pick(posts, true);
    if (busy) return;
    const first = posts[0];
    if (first)
      take(
        e,
        shot().rig.axes.findIndex((a) => a.id === first.axis),
        first,
        posts,
        true,
      );
  }
  function at(e: PointerEvent): number {
    return Math.min(Math.max(frameAt(place(e).x), Math.ceil(start.value)), Math.floor(end.value));
  }
  function rulerDown(e: PointerEvent): void {
    scrub = true;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    on.go(at(e));
  }
  function bandDown(e: PointerEvent, axis: number): void {
    if (e.button !== 0) return;
    const p = place(e);
    if (p.x < left - 6) return;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    band.value = { x: p.x, y: p.y, x2: p.x, y2: p.y, add: e.shiftKey, axis };
  }
  function move(e: PointerEvent): void {
    if (scrub) return on.go(at(e));
    const p = place(e),
      h = hand.value;
    if (band.value) band.value = { ...band.value, x2: p.x, y2: p.y };
    else if (h && h !== held.value && !busy) {
      const to = frameAt(p.x),
        dv =
          !h.all && opened.value === h.axis && Math.abs(p.y - h.at.y) > 1
            ? valueAt(p.y) - h.at.v
            : 0;
      const frame = Math.abs(p.x - h.at.x) < 2 && h.to === h.held.frame ? h.held.frame : to;
      if (frame === h.to && dv === h.dv) return;
      hand.value = { ...h, to: frame, dv };
      const t = editOf(hand.value, shot(), write);
      if (t) preview.want({ edit: t.edit });
      else preview.clear();
    } else if (crowded.value) {
      const r = rows.value.find((q) => p.y >= q.y && p.y < q.y + q.h);
      near.value = r ? { axis: r.i, x: Math.round(p.x / 8) * 8 } : null;
    }
  }
  async function up(): Promise<void> {
    scrub = false;
    const b = band.value,
      h = hand.value;
    band.value = null;
    if (b && Math.hypot(b.x2 - b.x, b.y2 - b.y) > 5) {
      const [lo, hi] = [Math.min(b.x, b.x2), Math.max(b.x, b.x2)],
        [hiY, loY] = [Math.min(b.y, b.y2), Math.max(b.y, b.y2)];
      score.pick(
        rows.value
          .filter((r) => r.y < loY && r.y + r.h > hiY)
          .flatMap((r) =>
            keysOf(r.i)
              .filter((f) => x(f) >= lo && x(f) <= hi)
              .map((frame) => ({ axis: r.a.id, frame })),
          ),
        b.add,
      );
    } else if (b && !b.add) score.pick([]);
    if (!h || h === held.value || busy) return;
    const t = editOf(h, shot(), write);
    if (!t) {
      hand.value = null;
      preview.clear();
      if (!h.all && h.posts.length === 1) score.pick([]);
      return on.go(h.held.frame);
    }
    busy = true;
    await score.carry(h.posts, h.to - h.held.frame, store.edit(t.edit, t.said));
    busy = false;
    hand.value = null;
    preview.clear();
  }
  function drop(): void {
    hand.value = null;
    band.value = null;
    scrub = false;
    preview.clear();
  }
  // Who lets the pointer go elsewhere, or takes another shot, holds nothing.
  watch(() => shot().id, drop);
  // What was let go lies there with the answer: drawn once, not in the hand again.
  watch(
    () => shot().revision,
    () => {
      if (busy) hand.value = null;
    },
  );

  // A keyframe that is moved by key is held until the keys rest: presses add up
  // here and are sent as one move, whatever playhead and pointer do meanwhile.
  let resting = 0;
  function retime(axis: number, by: number, all: boolean): void {
    const id = shot().rig.axes[axis]?.id ?? "";
    if (!held.value) {
      const frame = store.frame,
        here = shot()
          .rig.axes.filter((_, i) => keysOf(i).includes(frame))
          .map((a) => ({ axis: a.id, frame }));
      const own = here.find((p) => p.axis === id),
        picks = !all && score.picked.length > 1;
      const first = picks ? score.picked[0] : all ? here[0] : own;
      if (!first) return;
      held.value = {
        posts: (picks ? score.picked : all ? here : [first]).map(withValue),
        all: all && !picks,
        axis,
        held: withValue(first),
        to: first.frame,
        dv: 0,
        at: { x: 0, y: 0, v: 0 },
      };
    } else if (
      held.value.all !== all ||
      (held.value.posts.length === 1 && held.value.held.axis !== id)
    ) {
      settle();
      return retime(axis, by, all);
    }
    held.value = { ...held.value, to: held.value.to + by };
    hand.value = held.value;
    const t = editOf(held.value, shot(), write);
    if (t) preview.want({ edit: t.edit });
    window.clearTimeout(resting);
    resting = window.setTimeout(settle, 400);
  }
  function settle(): void {
    window.clearTimeout(resting);
    const h = held.value;
    held.value = null;
    if (hand.value === h) hand.value = null;
    const t = h ? editOf(h, shot(), write) : null;
    if (!h || !t) return;
    void score
      .carry(h.posts, h.to - h.held.frame, store.edit(t.edit, t.said))
      .then(() => preview.clear());
    if (h.posts.length === 1 || h.all) on.go(h.to);
  }
  onBeforeUnmount(() => {
    settle();
    preview.clear();
  });

  return {
    hand,
    band,
    near,
    lift,
    pickedOf,
    grab,
    markDown,
    rulerDown,
    bandDown,
    move,
    up,
    drop,
    retime,
    settle,
  };
}
