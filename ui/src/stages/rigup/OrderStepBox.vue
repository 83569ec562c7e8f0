<script setup lang="ts">
import { computed, ref } from "vue";
import type { OrderStep, OrderView } from "../../api/client";
import { useDraft } from "../../stores/draft";
import { useOrder } from "../../stores/order";
import { readNumber } from "../../fields/numbers";

// One step of the running order: how long, after what, with whom; begun and done.
const props = defineProps<{
  step: OrderStep;
  steps: OrderStep[];
  sheet: NonNullable<OrderView["sheet"]>;
}>();
const order = useOrder();
const doings: [OrderStep["does"], string][] = [
  ["agree", "agreeing on the place"],
  ["unload", "unloading"],
  ["lay", "laying rails or placing"],
  ["level", "levelling"],
  ["build", "building the rig"],
  ["head", "the head"],
  ["cable", "cables"],
  ["boot", "power and boot"],
  ["camera", "building the camera"],
  ["weigh", "weighing"],
  ["fit", "hanging accessories"],
  ["mount", "mounting"],
  ["line", "safety line, nothing dangles"],
  ["pins", "transport pins out"],
  ["pin in", "mounting pin in"],
  ["pin out", "mounting pin out"],
  ["isolate", "power off, locked off"],
  ["release", "power on again"],
  ["weights", "counterweights"],
  ["balance", "balancing"],
  ["tell", "the arm's payload"],
  ["home", "homing"],
  ["lens", "lens marks"],
  ["other", "something else"],
];
const draft = useDraft(() => {
  const s = props.step;
  return {
    version: order.view?.revision ?? 0,
    form: {
      name: s.name,
      thread: s.thread,
      does: s.does as string,
      minutes: String(s.minutes),
      p80: String(s.p80_minutes),
      people: String(s.people),
      owner: s.owner ?? "",
      latest: s.latest ?? "",
      shares: s.shares ?? false,
      after: [...(s.after ?? [])],
    },
  };
});
const f = draft.f;
type Form = typeof f.value;
const slot = computed(() => props.sheet.course.slots?.find((c) => c.id === props.step.id));
// What past days say of it, and how many that rests on.
const learnt = computed(() => order.view?.learnt?.find((l) => l.does === props.step.does));
const rests = computed(() =>
  learnt.value
    ? `${learnt.value.p50_minutes.toFixed(0)} min, four days in five under ` +
      `${learnt.value.p80_minutes.toFixed(0)}: ${learnt.value.rests}`
    : "nobody has timed this here yet: a rule of thumb",
);
const threads = computed(() => [...new Set(props.steps.map((s) => s.thread))]);
const others = computed(() => props.steps.filter((s) => s.id !== props.step.id));
const wrong = ref("");
const stepOf = (f: Form): OrderStep => ({
  ...props.step,
  name: f.name.trim(),
  thread: f.thread.trim(),
  does: f.does as OrderStep["does"],
  minutes: readNumber(f.minutes),
  p80_minutes: readNumber(f.p80),
  people: Math.round(readNumber(f.people)),
  owner: f.owner.trim() || undefined,
  latest: f.latest.trim() || undefined,
  shares: f.shares || undefined,
  after: f.after,
});
async function keep(): Promise<void> {
  wrong.value = "";
  for (const [what, t] of [
    ["It takes", f.value.minutes],
    ["One time in five over", f.value.p80],
    ["People", f.value.people],
  ] as const)
    if (!Number.isFinite(readNumber(t))) {
      wrong.value = `“${what}” is not a number.`;
      return;
    }
  await draft.keep(
    (f) => ({ steps: [stepOf(f)] }),
    (changes) => order.amend(changes),
  );
}
const at = (t?: string): string => (t ? new Date(t).toTimeString().slice(0, 5) : "");
</script>

<template>
  <section class="box one" aria-labelledby="step-title">
    <div class="top">
      <h2 id="step-title" class="cap">{{ step.name }}</h2>
      <button class="link small" data-test="step-close" @click="order.picked = ''">
        to the whole
      </button>
    </div>
    <p class="big" data-test="step-says">
      {{
        step.ended
          ? `Done at ${at(step.ended)}.`
          : step.began
            ? `Begun at ${at(step.began)}.`
            : slot?.critical
              ? "It decides when you are ready."
              : `${Math.round(slot?.slack_min ?? 0)} minutes to spare.`
      }}
    </p>
    <div class="press">
      <button
        v-if="!step.began"
        class="btn slim lead"
        data-test="step-start"
        @click="order.press(step.id, 'start')"
      >
        start
      </button>
      <button
        v-if="!step.ended"
        class="btn slim"
        :class="{ lead: !!step.began }"
        data-test="step-done"
        @click="order.press(step.id, 'done')"
      >
        done
      </button>
      <button
        v-if="step.began"
        class="btn slim"
        data-test="step-back"
        @click="order.press(step.id, 'back')"
      >
        {{ step.ended ? "not done yet" : "not begun yet" }}
      </button>
    </div>
    <form class="form" @submit.prevent="keep">
      <label
        >called <input v-model="f.name" class="field" data-test="step-name" maxlength="60"
      /></label>
      <label
        >thread
        <input
          v-model="f.thread"
          class="field"
          list="threads"
          data-test="step-thread"
          maxlength="24" /></label
      ><datalist id="threads"><option v-for="t in threads" :key="t" :value="t" /></datalist>
      <label
        >about
        <select v-model="f.does" class="field" data-test="step-does">
          <option v-for="[k, t] in doings" :key="k" :value="k">{{ t }}</option>
        </select></label
      >
      <div class="two">
        <label
          >takes
          <input v-model="f.minutes" class="field n" inputmode="decimal" data-test="step-minutes" />
          min</label
        ><label
          >1 in 5 over
          <input v-model="f.p80" class="field n" inputmode="decimal" data-test="step-p80" />
          min</label
        >
      </div>
      <p class="small quiet" data-test="step-rests">
        {{ rests }}
        <button
          v-if="
            learnt &&
            learnt.days >= 3 &&
            (f.minutes !== learnt.p50_minutes.toFixed(1) || f.p80 !== learnt.p80_minutes.toFixed(1))
          "
          type="button"
          class="link small"
          @click="
            f.minutes = learnt.p50_minutes.toFixed(1);
            f.p80 = learnt.p80_minutes.toFixed(1);
          "
        >
          take that
        </button>
      </p>
      <div class="two">
        <label
          >people
          <input
            v-model="f.people"
            class="field n"
            inputmode="numeric"
            data-test="step-people" /></label
        ><label><input v-model="f.shares" type="checkbox" /> more hands help</label>
      </div>
      <div class="two">
        <label
          >answers for it
          <input v-model="f.owner" class="field o" data-test="step-owner" maxlength="60" /></label
        ><label
          >by
          <input
            v-model="f.latest"
            class="field t"
            placeholder="hh:mm"
            data-test="step-latest"
            maxlength="5"
        /></label>
      </div>
      <div class="small quiet">waits for</div>
      <div class="waits" role="group" aria-label="Waits for">
        <label v-for="s in others" :key="s.id" class="wait"
          ><input v-model="f.after" type="checkbox" :value="s.id" :data-test="'after-' + s.id" />
          {{ s.name }}</label
        >
      </div>
      <p v-if="wrong" class="over" role="alert">{{ wrong }}</p>
      <p v-if="order.said.tone === 'over'" class="over" role="alert" data-test="step-wrong">
        {{ order.said.text }}
      </p>
      <div class="press end">
        <button class="btn slim lead" type="submit" data-test="step-keep">keep</button
        ><button
          class="btn slim"
          type="button"
          data-test="step-remove"
          @click="order.remove(step.id)"
        >
          take it out
        </button>
      </div>
    </form>
  </section>
</template>

<style scoped>
.one {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s6);
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: var(--s8);
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
  margin: 0;
}
.press {
  display: flex;
  gap: var(--s8);
  flex-wrap: wrap;
}
.end {
  position: sticky;
  bottom: -12px;
  background: var(--sheet);
  padding: var(--s4) 0 var(--s8);
}
.form {
  display: flex;
  flex-direction: column;
  gap: var(--s4);
  font-size: var(--t13);
  border-top: 1px solid var(--rule);
  padding-top: var(--s6);
}
.form > label {
  display: grid;
  grid-template-columns: 52px minmax(0, 1fr);
  align-items: center;
  gap: var(--s6);
}
.two {
  display: flex;
  gap: var(--s12);
  flex-wrap: wrap;
}
.two label {
  display: flex;
  gap: var(--s4);
  align-items: center;
}
.n {
  width: 46px;
  text-align: right;
}
.o {
  width: 96px;
}
.t {
  width: 54px;
}
.waits {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--s1) var(--s8);
}
.wait {
  display: flex;
  gap: var(--s4);
  align-items: center;
  min-width: 0;
  line-height: 1.2;
}
p {
  margin: 0;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
