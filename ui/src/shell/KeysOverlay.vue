<script setup lang="ts">
import { usePrefs } from "../stores/prefs";
import { useAsk } from "../stores/ask";
const ask = useAsk();
const prefs = usePrefs();
const keys: [string, string][] = [
  ["Space", "hold to roll, on the hold target only"],
  ["H", "on Line up: home all axes, asks first; on Shoot: to the hold target"],
  ["Esc", "stop, from anywhere; not an emergency stop"],
  [
    "F  E",
    "the first picture, and the pose at the end; on Shoot, F asks to send the rig to the first",
  ],
  [",  .", "one frame back, on; with Shift ten"],
  ["T", "to the selected staff of the score"],
  ["Tab", "next staff; Shift+Tab the one before"],
  ["←  →", "nudge the selected axis; longer held, further"],
  ["+  −  0", "the score: fewer frames, more, all; the wheel does it, too"],
  ["/", "half back: half as far, the other way"],
  ["↑  ↓", "larger, smaller step"],
  [
    "K",
    "store a keyframe on all axes, or change one less than half a frame away; Shift+K on " +
      "the selected axis",
  ],
  ["Delete", "take the keyframe out; with Shift on the selected axis"],
  [
    "R  L  W",
    "on Compose: play on the sheet, with Shift backward; over and over; the picture " +
      "alone over the window",
  ],
  [
    "X",
    "on Compose: pick the keyframe here, with Shift all axes'; Ctrl+A all of the axis. " +
      "Delete, Alt+← → and Ctrl+C, X, V are then for all that are picked",
  ],
  ["D", "on Compose: how much the picture changes from frame to frame"],
  ["Enter", "on a staff: open it into its value curve, and close it"],
  ["[  ]", "on a staff: to the keyframe before, after; with Shift they are picked on the way"],
  [
    "Alt+←  →",
    "on a staff: move its keyframe a frame earlier, later; with Shift all axes' keyframes there",
  ],
  [
    "N",
    "on Frames: expose what comes next and go on, or go to its pose; a long way is asked " +
      "about first",
  ],
  ["O  R  V", "on Frames: once more, back to a frame, step over"],
  ["B  M", "on Frames, held: the last picture against live, the last twelve at rate"],
  ["G", "send the rig to this frame; asks first"],
  ["S", "seal the path"],
  ["P", "prove"],
  ["1 – 6", "the stages"],
  ["Ctrl+Z", "take back; with Shift do again"],
  ["?", "this sheet"],
];
</script>

<template>
  <v-dialog v-model="ask.keys" max-width="640">
    <section class="sheet" aria-labelledby="keys-title">
      <h2 id="keys-title">Keys</h2>
      <p class="quiet">No key moves a machine without the hold or a question that you confirm.</p>
      <table>
        <tbody>
          <tr v-for="[k, t] in keys" :key="k">
            <td class="k">
              <kbd>{{ k }}</kbd>
            </td>
            <td>{{ t }}</td>
          </tr>
        </tbody>
      </table>
      <label class="switch"
        ><input v-model="prefs.letters" type="checkbox" /> letter, number and punctuation keys act
        on their own</label
      >
      <div class="row"><button class="btn" @click="ask.keys = false">Close</button></div>
    </section>
  </v-dialog>
</template>

<style scoped>
td {
  padding: var(--s2) var(--s8) var(--s2) 0;
}
.k {
  white-space: nowrap;
  width: 90px;
}
.switch {
  display: block;
  margin: var(--s12) 0;
}
.row {
  display: flex;
  justify-content: flex-end;
}
</style>
