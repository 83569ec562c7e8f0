<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import OrderDrawing from "../../drawing/OrderDrawing.vue";
import TookDrawing from "../../drawing/TookDrawing.vue";
import { useLive } from "../../stores/live";
import { useOrder } from "../../stores/order";
import { useShot } from "../../stores/shot";
import OrderBegin from "./OrderBegin.vue";
import OrderReady from "./OrderReady.vue";
import OrderStepBox from "./OrderStepBox.vue";

// The running order: who carries on what, against the clock; when it is ready, what
// decides that, and what would help.
const order = useOrder();
const shot = useShot();
const live = useLive();
const beginning = ref(false);
watch(
  () => shot.id,
  (id) => {
    if (id) void order.load(id);
  },
  { immediate: true },
);
// Somebody else's press is seen at once, the clock's at its next look.
watch(
  () => live.now?.version,
  () => {
    if (shot.id) void order.load(shot.id);
  },
);
let tick = 0;
onMounted(() => {
  tick = window.setInterval(() => {
    if (!document.hidden && shot.id) void order.load(shot.id);
  }, 15000);
});
onBeforeUnmount(() => window.clearInterval(tick));
const v = computed(() => order.view);
const o = computed(() => v.value?.order);
const sheet = computed(() => v.value?.sheet);
const span = computed(() => {
  const s = sheet.value;
  if (!s) return { from: 0, to: 60 };
  const slots = [...(s.course.slots ?? []), ...(s.against?.slots ?? [])];
  const first = Math.min(...slots.map((x) => x.from_min)); // nothing is drawn where nobody came yet
  const from = first > 60 ? first - 15 : Math.min(0, first);
  const ready = [s.course.ready_min, s.against?.ready_min ?? 0];
  const to = Math.max(30, ...ready, ...slots.map((x) => Math.max(x.to_min, x.plan_to_min)));
  return {
    from,
    to: s.over || s.now_min > to + 240 ? to : Math.max(to, Math.min(s.now_min + 5, to + 60)),
  };
});
const today = computed(() => o.value?.date === v.value?.today);
async function add(): Promise<void> {
  const list = o.value?.steps ?? [];
  let n = list.length + 1;
  while (list.some((s) => s.id === `step-${n}`)) n++;
  const id = `step-${n}`;
  if (
    await order.change({
      id,
      name: "another step",
      thread: list[list.length - 1]?.thread ?? "desk",
      does: "other",
      minutes: 10,
      p80_minutes: 13,
      after: [],
      people: 1,
    })
  )
    order.picked = id;
}
</script>

<template>
  <div v-if="(v && !o) || beginning" class="order none">
    <OrderBegin :again="!!o" @done="beginning = false" />
  </div>
  <div v-else-if="v && o && sheet" class="order" :class="{ bare: !v.learnt?.length }">
    <section class="box drawn" aria-labelledby="order-title">
      <div class="line">
        <h2 id="order-title" class="cap">Running order</h2>
        <span class="quiet grow"
          >{{ o.setup.kind }}, {{ o.setup.rails ? "on rails" : "no rails" }}, {{ o.setup.ground }},
          crew of {{ o.setup.crew
          }}<template v-if="!today">
            · <b class="now">{{ o.date }}</b></template
          ></span
        >
        <button class="link small" data-test="order-add" @click="add">add a step</button>
        <button class="link small" data-test="order-back" @click="order.back()">take back</button>
        <button class="link small" data-test="order-begin" @click="beginning = true">
          {{ today ? "begin again" : "begin today's" }} …
        </button>
      </div>
      <OrderDrawing
        :steps="o.steps ?? []"
        :course="sheet.course"
        :begins="sheet.begins"
        :now="sheet.now_min"
        :picked="order.picked"
        :from="span.from"
        :to="span.to"
        @pick="
          (id) => {
            order.picked = order.picked === id ? '' : id;
          }
        "
      />
      <template v-if="sheet.against && o.against">
        <div class="line other">
          <h3 class="cap">Against</h3>
          <span class="grow"
            >{{ o.against.name }}: ready
            <b data-test="against-ready">{{ sheet.against.ready }}</b><span class="quiet"
              >, four days in five by {{ sheet.against.four_in_five }}</span
            ></span
          >
          <button
            class="btn slim lead"
            data-test="against-take"
            @click="
              order.write(
                { steps: o.against.steps, setup: o.against.setup, against: undefined },
                'It is the plan now.',
              )
            "
          >
            do it this way
          </button>
          <button
            class="btn slim"
            data-test="against-drop"
            @click="order.write({ against: undefined }, 'Put away.')"
          >
            put away
          </button>
        </div>
        <OrderDrawing
          :steps="o.against.steps ?? []"
          :course="sheet.against"
          :begins="sheet.begins"
          :now="sheet.now_min"
          picked=""
          :from="span.from"
          :to="span.to"
          title="The other plan"
        />
      </template>
    </section>
    <OrderStepBox
      v-if="order.step"
      :key="order.picked"
      :step="order.step"
      :steps="o.steps ?? []"
      :sheet="sheet"
    />
    <OrderReady v-else :doc="o" :sheet="sheet" :code="v.code" :days="v.days" />
    <section v-if="v.learnt?.length" class="box took" aria-labelledby="took-title">
      <div class="line">
        <h2 id="took-title" class="cap">What it really took</h2>
        <span class="quiet"
          >{{ v.days }} {{ v.days === 1 ? "day" : "days" }} like this one; today in copper; the bar
          is the middle, its whisker four days in five, minutes</span
        >
      </div>
      <TookDrawing :learnt="v.learnt" :steps="o.steps ?? []" :course="sheet.course" />
    </section>
    <p class="said small" :class="order.said.tone" role="status" data-test="order-said">
      {{ order.said.text }}
    </p>
  </div>
  <p v-else class="quiet">{{ order.said.text || "…" }}</p>
</template>

<style scoped>
.order {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 316px;
  grid-template-rows: minmax(0, 1fr) 172px;
  gap: var(--s10);
  height: 100%;
  min-height: 560px;
  position: relative;
}
.order.bare {
  grid-template-rows: minmax(0, 1fr);
}
.order.none {
  display: block;
  height: auto;
  min-height: 0;
}
.drawn,
.took {
  padding: var(--s10) var(--s14) var(--s6);
  display: flex;
  flex-direction: column;
  gap: var(--s4);
  min-height: 0;
}
.took {
  grid-column: 1 / -1;
  padding-bottom: var(--s2);
}
.line {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  flex: none;
}
.other {
  border-top: 1px solid var(--rule);
  padding-top: var(--s6);
  align-items: center;
}
.grow {
  flex: 1;
  min-width: 0;
}
.said {
  position: absolute;
  left: 14px;
  bottom: 184px;
  margin: 0;
  background: var(--sheet);
  padding: 0 var(--s4);
  pointer-events: none;
}
.bare .said {
  bottom: 8px;
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .order {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 420px auto 172px;
    height: auto;
  }
}
</style>
