<script setup lang="ts">
import { computed } from "vue";
import type { OrderDoc, OrderView } from "../../api/client";
import { useOrder } from "../../stores/order";
import { useShot } from "../../stores/shot";

// When it is ready, in one big number; what decides it; what would help.
const props = defineProps<{
  doc: OrderDoc;
  sheet: NonNullable<OrderView["sheet"]>;
  code: string;
  days: number;
}>();
const order = useOrder();
const shot = useShot();
const hour = computed(() => props.sheet.course.ready.split(" ")[0]);
const later = computed(() => props.sheet.course.ready.split(" ").slice(1).join(" "));
const next = computed(() => {
  const slots = props.sheet.course.slots ?? [];
  const open = (props.doc.steps ?? [])
    .map((s, i) => ({ s, c: slots[i] }))
    .filter((x) => x.c && !x.s.ended);
  const running = open.filter((x) => x.s.began);
  const done = new Set((props.doc.steps ?? []).filter((s) => s.ended).map((s) => s.id));
  const could = open.filter((x) => !x.s.began && (x.s.after ?? []).every((a) => done.has(a)));
  return [...running, ...could].slice(0, 5);
});
</script>

<template>
  <section class="box ready" aria-labelledby="ready-title">
    <h2 id="ready-title" class="cap">
      {{ sheet.over ? "Ready to line up since" : "Ready to line up" }}
    </h2>
    <p class="hour" data-test="order-ready">
      {{ hour }}<span v-if="later" class="later"> {{ later }}</span>
    </p>
    <p v-if="!sheet.over" class="quiet">
      as likely before as after. Four days in five by <b>{{ sheet.course.four_in_five }}</b>. The
      plan said {{ sheet.course.planned }}.
    </p>
    <p class="big" :class="{ now: sheet.behind_min >= 2 }" role="status" data-test="order-says">
      {{ sheet.says }}
    </p>
    <p v-if="sheet.changed" class="quiet more" data-test="order-changed">{{ sheet.changed }}</p>
    <p v-for="d in sheet.due" :key="d" class="now due" data-test="order-due">{{ d }}</p>
    <p v-for="b in sheet.breaks" :key="b.says" class="over" data-test="order-breaks">
      {{ b.says }}
    </p>
    <p v-if="sheet.more" class="quiet more">{{ sheet.more }}</p>
    <template v-if="next.length">
      <h3 class="cap">Now</h3>
      <ul>
        <li v-for="n in next" :key="n.s.id">
          <button class="link name" @click="order.picked = n.s.id">{{ n.s.name }}</button>
          <button
            class="btn slim"
            :class="{ lead: !!n.s.began }"
            :data-test="(n.s.began ? 'done-' : 'start-') + n.s.id"
            :aria-label="`${n.s.name}: ${n.s.began ? 'done' : 'start'}`"
            @click="order.press(n.s.id, n.s.began ? 'done' : 'start')"
          >
            {{ n.s.began ? "done" : "start" }}
          </button>
        </li>
      </ul>
    </template>
    <template v-if="sheet.helps?.length">
      <h3 class="cap">What would help</h3>
      <ul>
        <li v-for="h in sheet.helps" :key="h.says">
          <button
            class="link help"
            :data-test="'help'"
            :title="`Hold it beside: ${h.says}`"
            @click="order.write({ against: h.plan }, 'Held beside the plan.')"
          >
            {{ h.says }}</button><b>{{ h.ready }}</b>
        </li>
      </ul>
    </template>
    <div class="foot">
      <button
        v-if="!order.view?.order?.against"
        class="btn slim"
        data-test="order-compare"
        @click="
          order.write(
            {
              against: { name: 'another plan', setup: props.doc.setup, steps: props.doc.steps },
            },
            'A copy is held beside it.',
          )
        "
      >
        compare two plans
      </button>
      <a
        class="btn slim"
        :href="`/api/shots/${shot.id}/order.pdf`"
        target="_blank"
        rel="noopener"
        data-test="order-paper"
        >on paper</a
      >
    </div>
  </section>
</template>

<style scoped>
.ready {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s4);
}
.hour {
  /* stylelint-disable declaration-property-value-disallowed-list -- the one hour of the day */
  font: 700 58px/1 var(--text);
  /* stylelint-enable */
  margin: 0 0 var(--s2);
  letter-spacing: -0.02em;
  white-space: nowrap;
}
.later {
  font-size: var(--t24);
  letter-spacing: 0;
}
p {
  margin: 0;
}
.big {
  font: 600 var(--t24)/1.15 var(--head);
  border-top: 1px solid var(--rule);
  padding-top: var(--s6);
}
.due {
  font-weight: 700;
}
.more {
  font-size: var(--t11);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  gap: var(--s8);
  align-items: center;
  border-bottom: 1px solid var(--hair);
  min-height: 27px;
}
.cap {
  margin-top: var(--s4);
}
.name {
  color: var(--ink);
  text-decoration: none;
}
.help {
  font-size: var(--t11);
}
li b {
  white-space: nowrap;
}
.btn.slim {
  min-height: 24px;
  padding: var(--s2) var(--s8);
}
.foot {
  display: flex;
  gap: var(--s8);
  margin-top: auto;
  padding-top: var(--s6);
}
html.paper .quiet {
  color: var(--muted);
}
</style>
