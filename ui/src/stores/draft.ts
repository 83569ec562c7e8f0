import { getCurrentInstance, onBeforeUnmount, ref, watch, type Ref } from "vue";
import { differs, same, touches, type FieldChange } from "./documents";
import type { Kept } from "./site";

type Texts = Record<string, unknown>;
interface Draft<T extends Texts> {
  f: Ref<T>;
  // Sends what was typed: doc makes a document of the texts, and throws where it cannot.
  keep(doc: (f: T) => unknown, send: (changes: FieldChange[]) => Promise<Kept>): Promise<Kept>;
}

const copy = <X>(x: X): X => (x === undefined ? x : (JSON.parse(JSON.stringify(x)) as X));

// A form that is typed into and then kept. What is typed stays until it is kept, whatever comes
// from elsewhere; what is not, follows what comes from elsewhere, but not while somebody is in one
// of the form's fields. laid says how the form is filled, from which version of its document, and
// of which document: with another one it begins anew.
export function useDraft<T extends Texts>(
  laid: () => { form: T; version: number; of?: string } | undefined,
): Draft<T> {
  const first = laid();
  const f = ref(copy(first?.form ?? {})) as Ref<T>;
  let base: Texts = copy(first?.form ?? {}); // as each field was laid, and
  const seen: Record<string, number> = {}; //  from which version
  for (const k of Object.keys(base)) seen[k] = first?.version ?? 0;
  let sent: Record<string, number> = {}; // fields whose answer is awaited, and
  let asked: Texts = {}; //                 what was asked for
  let of = first?.of;
  const me = getCurrentInstance();
  let waits = false;
  const from = (k: string): unknown => (sent[k] ? asked[k] : base[k]);
  const mine = (k: string): boolean => !same(f.value[k], from(k));

  function lay(): void {
    const next = laid();
    if (!next) return;
    if (next.of !== of) {
      of = next.of;
      [base, sent, asked, f.value] = [{}, {}, {}, {} as T];
    }
    const here = document.activeElement,
      root = me?.subTree.el as Element | null;
    waits =
      here instanceof HTMLElement &&
      here.matches("input:not([type=checkbox]), textarea") &&
      (root?.contains(here) ?? false);
    for (const k of Object.keys(next.form)) {
      if (sent[k]) continue;
      if (k in base && mine(k) && !same(f.value[k], next.form[k])) continue;
      if (waits && k in base && !same(f.value[k], next.form[k])) continue;
      (f.value as Texts)[k] = copy(next.form[k]);
      base[k] = copy(next.form[k]);
      seen[k] = next.version;
    }
  }
  watch(() => JSON.stringify(laid()), lay);
  const left = (): void => {
    if (waits) window.setTimeout(lay, 0);
  };
  document.addEventListener("focusout", left, true);
  onBeforeUnmount(() => document.removeEventListener("focusout", left, true));

  async function keep(
    doc: (f: T) => unknown,
    send: (changes: FieldChange[]) => Promise<Kept>,
  ): Promise<Kept> {
    const typed = copy(f.value);
    const origin = Object.fromEntries(Object.keys(base).map((k) => [k, from(k)])) as T;
    const was = doc(origin),
      all = differs(was, doc(f.value));
    // Which version a part of the document was seen in: that of the fields it is made of.
    const parts = Object.keys(f.value)
      .filter(mine)
      .map((k) => {
        try {
          return { k, at: differs(was, doc({ ...origin, [k]: f.value[k] } as T)).map((c) => c.at) };
        } catch {
          return { k, at: all.map((c) => c.at) };
        }
      })
      // Of a form that is kept in parts, this one.
      .filter((p) => all.length === 0 || p.at.length > 0);
    const keys = parts.map((p) => p.k);
    const changes = all.map((c) => {
      const of = parts.filter((p) => p.at.some((at) => touches(at, c.at))).map((p) => p.k);
      return { ...c, seen: Math.min(...(of.length ? of : keys).map((k) => seen[k] ?? 0)) };
    });
    for (const k of keys) [sent[k], asked[k]] = [(sent[k] ?? 0) + 1, typed[k]];
    const its = sent;
    const answer = await send(changes);
    if (its !== sent) return answer; // another document was shown meanwhile
    for (const k of keys) if (--sent[k]! === 0) delete sent[k];
    const now = laid();
    if (now && answer !== "wrong") {
      for (const k of keys) {
        if (sent[k]) continue; // sent once more meanwhile
        if (answer === "kept" && same(f.value[k], typed[k]))
          (f.value as Texts)[k] = copy(now.form[k]);
        base[k] = copy(now.form[k]); // where it was changed by somebody else that was said
        seen[k] = now.version;
      }
    }
    lay();
    return answer;
  }
  return { f, keep };
}
