import { computed, ref } from "vue";

// What was asked of the application and is not answered and drawn yet. The page is at rest
// where there is nothing: its main region says so (aria-busy), to people who do not see it, too.
const away = ref(0);
export const busy = computed(() => away.value > 0);

// begins says that something was asked; what it answers is called once, when it is answered or
// not wanted any more.
export function begins(): () => void {
  away.value++;
  let over = false;
  return () => {
    if (over) return;
    over = true;
    drawn(() => away.value--);
  };
}

export async function awaited<T>(answer: Promise<T>): Promise<T> {
  const ends = begins();
  try {
    return await answer;
  } finally {
    ends();
  }
}

// drawn calls f when what is there now has been drawn; a page that nobody sees draws nothing.
function drawn(f: () => void): void {
  let done = false;
  const once = (): void => {
    if (!done) f();
    done = true;
  };
  requestAnimationFrame(() => window.setTimeout(once));
  window.setTimeout(once, 250);
}
