import type { Ref } from "vue";
import { api, type PassView, type ShotView } from "../api/client";
import { useAsk } from "./ask";
import type { Line } from "./takingBack";

// Sealing the path, and what is asked before it.
export function sealingOf(
  view: Ref<ShotView | null>,
  passes: Ref<PassView[]>,
  trouble: Ref<string>,
  line: Line,
  reload: () => Promise<void>,
  resume: () => Promise<boolean>,
) {
  const signSeal = (over: string): Promise<boolean> =>
    line(
      (v) =>
        api.POST("/api/shots/{id}/seal", {
          params: { path: { id: v.id } },
          body: { revision: v.revision, over },
        }),
      "Sealed, and signed for.",
    );
  const sealNow = (): Promise<boolean> =>
    line(
      (v) =>
        api.POST("/api/shots/{id}/seal", {
          params: { path: { id: v.id } },
          body: { revision: v.revision },
        }),
      "Sealed.",
    );

  // Where passes are finished on the path that was sealed, a new one leaves them
  // behind: that is asked first.
  async function seal(): Promise<boolean> {
    if (view.value?.sealed_as_is) await reload(); // what was lined up meanwhile may have opened it
    const v = view.value;
    if (!v || v.empty || v.sealed_as_is) return false;
    const left = passes.value.filter((p) =>
      p.takes.some((t) => t.id === p.chosen && !t.broken && !t.older),
    );
    if (!v.seal || left.length === 0) return sealNow();
    const old = v.seal.version,
      names = left.map((p) => `${p.number} · ${p.name}`).join(", ");
    useAsk().ask({
      title: "Seal a new path?",
      text:
        `${left.length === 1 ? "Pass" : "Passes"} ${names} ` +
        `${left.length === 1 ? "is" : "are"} finished on path ${old}. What is rolled on a ` +
        `new path need not lie over ${left.length === 1 ? "it" : "them"}; to stack, ` +
        `${left.length === 1 ? "it has" : "they have"} to be rolled again.`,
      yes: "Seal the new path",
      act: async () => ((await sealNow()) ? "" : trouble.value),
      other: {
        label: `Back to path ${old}`,
        act: async () => ((await resume()) ? "" : trouble.value),
      },
    });
    return true;
  }

  return { seal, signSeal };
}
