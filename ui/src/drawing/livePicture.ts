import { onBeforeUnmount, onMounted, ref, type Ref } from "vue";

// The camera's picture as it is, one after another, each asked for so long after the last
// came; none while the page is not seen.
export function useLivePicture(
  width: number,
  pause: () => number,
  there: () => boolean,
): { src: Ref<string>; why: Ref<string>; at: Ref<number> } {
  const src = ref("");
  const why = ref("");
  const at = ref(0);
  let over = false;
  async function once(): Promise<void> {
    if (document.hidden) return;
    if (!there()) {
      why.value = "No live picture: the camera is not there.";
      return;
    }
    try {
      const r = await fetch(`/api/camera/look?width=${width}`);
      if (!r.ok) {
        why.value = ((await r.json()) as { detail: string }).detail;
        return;
      }
      const old = src.value;
      src.value = URL.createObjectURL(await r.blob());
      at.value = Date.now();
      why.value = "";
      if (old) window.setTimeout(() => URL.revokeObjectURL(old), 2000);
    } catch {
      why.value = "No live picture: the application does not answer.";
    }
  }
  onMounted(async () => {
    while (!over) {
      await once();
      await new Promise((go) => window.setTimeout(go, pause()));
    }
  });
  onBeforeUnmount(() => {
    over = true;
  });
  return { src, why, at };
}
