// What the interface works out by itself, for tests to call with tables of theirs.
import { createPinia, setActivePinia } from "pinia";
import { nextTick, ref } from "vue";
import { fixed } from "./stores/axes";
import { said } from "./drawing/lengths";
import { stroke } from "./drawing/pen";
import { panned, zoomed } from "./stores/window";
import { needNumber, readNumber } from "./fields/numbers";
import { differs, same, touches } from "./stores/documents";
import { useDraft } from "./stores/draft";
import { keep } from "./stores/keep";
import { useOutbox } from "./stores/outbox";

setActivePinia(createPinia());
Object.assign(window, {
  probe: {
    differs,
    fixed,
    keep,
    needNumber,
    nextTick,
    panned,
    readNumber,
    ref,
    said,
    same,
    stroke,
    touches,
    useDraft,
    useOutbox,
    zoomed,
  },
});
