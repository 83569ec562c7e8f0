import { onBeforeUnmount, onMounted, ref, type Ref } from "vue";

// The inner size of an element, as it changes.
export function useElementSize(el: Ref<HTMLElement | null>): {
  width: Ref<number>;
  height: Ref<number>;
} {
  const width = ref(0);
  const height = ref(0);
  const ro = new ResizeObserver(([e]) => {
    if (!e) return;
    width.value = Math.floor(e.contentRect.width);
    height.value = Math.floor(e.contentRect.height);
  });
  onMounted(() => el.value && ro.observe(el.value));
  onBeforeUnmount(() => ro.disconnect());
  return { width, height };
}
