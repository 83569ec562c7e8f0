import { computed, shallowRef, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { api, type View } from "../api/client";
import { usePrefs } from "./prefs";

type Values = Record<string, number>;
interface Tried {
  tried: ComputedRef<{ frame: number; values: Values }[]>;
  pending: ComputedRef<Values>;
  view: ShallowRef<View | null>;
  keep: (v: Values) => void;
  put: (frame: number, v: Values) => void;
  look: (values: Values) => Promise<void>;
  drop: (frame: number) => void;
  forget: (frame: number, axis: string, value: number) => void;
}

// What was tried out at each frame of a shot and is not stored yet, the newest last, and where
// the camera would be with what was tried at this one.
export function triedAt(id: Ref<string>, frame: Ref<number>): Tried {
  const prefs = usePrefs();
  const tried = computed(() => prefs.tried[id.value] ?? []);
  const pending = computed<Values>(
    () => tried.value.find((t) => t.frame === frame.value)?.values ?? {},
  );
  const view = shallowRef<View | null>(null);
  let wanted = 0;
  const put = (at: number, values: Values): void => {
    prefs.tried[id.value] = [...tried.value.filter((t) => t.frame !== at), { frame: at, values }];
  };
  async function look(values: Values): Promise<void> {
    if (Object.keys(pending.value).length === 0) return;
    const n = ++wanted;
    const r = await api
      .POST("/api/shots/{id}/pose", { params: { path: { id: id.value } }, body: { values } })
      .catch(() => ({ data: undefined }));
    if (n === wanted && r.data && Object.keys(pending.value).length > 0) view.value = r.data.view;
  }
  function drop(at: number): void {
    wanted++;
    const left = tried.value.filter((t) => t.frame !== at);
    if (left.length > 0) prefs.tried[id.value] = left;
    else delete prefs.tried[id.value];
    if (at === frame.value) view.value = null;
  }
  // Of one axis only, and only where it is still what was given.
  function forget(at: number, axis: string, value: number): void {
    const values = { ...tried.value.find((t) => t.frame === at)?.values };
    if (values[axis] !== value) return;
    delete values[axis];
    if (Object.keys(values).length > 0) put(at, values);
    else drop(at);
  }
  return {
    tried,
    pending,
    view,
    forget,
    keep: (v) => put(frame.value, { ...pending.value, ...v }),
    put,
    look,
    drop,
  };
}
