<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, type MachineView } from "../../api/client";
import { fixed, finest, unit } from "../../stores/axes";
import LivePicture from "../../drawing/LivePicture.vue";
import PointsDrawing from "../../drawing/PointsDrawing.vue";
import { useAsk } from "../../stores/ask";
import { useMoves } from "../../shell/moves";
import { useLive } from "../../stores/live";
import { usePoints } from "../../stores/points";
import { useShot } from "../../stores/shot";
import JogKeys from "./JogKeys.vue";

// Fixed points on the set: centre one in the picture and press, from two poses each; on
// another day again, and it is said how the rig has moved and what that does.
const points = usePoints();
const shot = useShot();
const live = useLive();
const moves = useMoves();
const ask = useAsk();
watch(
  () => [shot.id, live.now?.version],
  () => {
    if (shot.id) void points.load(shot.id);
  },
  { immediate: true },
);
onMounted(() => {
  live.each++;
});
onBeforeUnmount(() => {
  live.each--;
});
const v = computed(() => points.view);
const rounds = computed(() => v.value?.survey.rounds ?? []);
const current = computed(
  () => (rounds.value.length > 1 ? v.value?.sheet.now : v.value?.sheet.before) ?? [],
);
const list = computed(() =>
  (v.value?.survey.fixed ?? []).map((f) => ({ f, p: current.value.find((p) => p.id === f.id) })),
);
const name = ref("");
async function add(): Promise<void> {
  const n = name.value.trim();
  if (!n) return;
  const have = v.value?.survey.fixed ?? [];
  let k = have.length + 1;
  while (have.some((f) => f.id === `point-${k}`)) k++;
  if (await points.name([...have, { id: `point-${k}`, name: n }])) {
    name.value = "";
    points.picked = `point-${k}`;
  }
}
function drop(id: string): void {
  const f = v.value?.survey.fixed?.find((x) => x.id === id);
  ask.ask({
    title: `Take “${f?.name}” away?`,
    text: "Its sightings of every round go with it. Take back brings them again.",
    yes: "Take it away",
    act: async () =>
      (await points.name(
        (v.value?.survey.fixed ?? []).filter((x) => x.id !== id),
        "Taken away.",
      ))
        ? ""
        : points.said.text,
  });
}
// Where a point was sighted from last in the round before: a good place to look again.
const before = computed(() => rounds.value[rounds.value.length - 2]?.sights ?? []);
function again(id: string): void {
  const done =
    rounds.value[rounds.value.length - 1]?.sights?.filter((s) => s.point === id).length ?? 0;
  const s = before.value.filter((x) => x.point === id)[done];
  if (s)
    moves.goPose(
      s.values,
      `where ${v.value?.survey.fixed?.find((f) => f.id === id)?.name} was sighted`,
    );
}
const can = (id: string): boolean =>
  before.value.filter((x) => x.point === id).length >
  (rounds.value[rounds.value.length - 1]?.sights?.filter((s) => s.point === id).length ?? 0);
// The rig is steered beside the picture, one axis at a time.
const machine = shallowRef<MachineView>();
watch(
  () => v.value?.machine,
  async (id) => {
    const r = id
      ? await api.GET("/api/machines").catch(() => ({ data: undefined }))
      : { data: undefined };
    machine.value = r.data?.find((m) => m.rig.id === id);
  },
  { immediate: true },
);
const axisId = ref("");
const axis = computed(
  () =>
    machine.value?.rig.axes.find((a) => a.id === axisId.value) ??
    machine.value?.rig.axes.find((a) => a.id === "pan") ??
    machine.value?.rig.axes[0],
);
const now = computed(() => live.now?.machines?.find((m) => m.machine === v.value?.machine));
const state = computed(() => now.value?.state);
const off = computed(
  () =>
    live.lost ||
    !now.value?.connected ||
    !now.value?.driving ||
    !["idle", "armed", "jogging"].includes(state.value?.mode ?? ""),
);
</script>

<template>
  <div v-if="v" class="points">
    <section class="box drawn" aria-labelledby="points-title">
      <div class="line">
        <h2 id="points-title" class="cap">Fixed points</h2>
        <span class="quiet grow">{{
          rounds.length > 1
            ? `round ${rounds.length}, ${rounds[rounds.length - 1]?.day}, against ${rounds[0]?.day}`
            : "from above; a ring is a point, a line is a sighting"
        }}</span>
        <button class="link small" data-test="points-back" @click="points.back()">take back</button>
      </div>
      <PointsDrawing
        :view="v"
        :picked="points.picked"
        @pick="
          (id) => {
            points.picked = points.picked === id ? '' : id;
          }
        "
      />
    </section>
    <section class="box says" aria-labelledby="stands-title">
      <h2 id="stands-title" class="cap">Does {{ v.named || "the rig" }} stand where it stood?</h2>
      <p
        class="big"
        :class="{ now: v.sheet.moved?.told, good: v.sheet.moved && !v.sheet.moved.told }"
        role="status"
        data-test="points-says"
      >
        {{ v.sheet.says }}
      </p>
      <p v-if="v.sheet.moved" class="nums" data-test="points-moved">
        <span
          >right <b>{{ v.sheet.moved.mm[0]!.toFixed(1) }}</b></span
        ><span
          >forward <b>{{ v.sheet.moved.mm[1]!.toFixed(1) }}</b></span
        ><span
          >up <b>{{ v.sheet.moved.mm[2]!.toFixed(1) }}</b> mm</span
        ><span
          >turned right <b>{{ v.sheet.moved.yaw_deg.toFixed(2) }}°</b></span
        >
      </p>
      <p v-if="v.picture" :class="{ now: v.picture.needs }" data-test="points-picture">
        {{ v.picture.says }}
      </p>
      <p class="quiet" data-test="points-next">{{ v.sheet.next }}</p>
      <table v-if="list.length">
        <thead>
          <tr>
            <th>point</th>
            <th class="n">seen</th>
            <th class="n">passes by</th>
            <th class="n">known to</th>
            <th v-if="rounds.length > 1" class="n">off</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="x in list" :key="x.f.id" :class="{ here: points.picked === x.f.id }">
            <td>
              <button
                class="link name"
                :data-test="'pick-' + x.f.id"
                @click="points.picked = x.f.id"
              >
                {{ x.f.name }}
              </button>
            </td>
            <td class="n">{{ x.p?.sights ?? 0 }}</td>
            <td class="n">{{ x.p?.at_m ? `${x.p.residual_mm.toFixed(1)} mm` : "—" }}</td>
            <td class="n">{{ x.p?.at_m ? `${x.p.known_mm.toFixed(1)} mm` : "—" }}</td>
            <td
              v-if="rounds.length > 1"
              class="n"
              :class="{ over: v.sheet.moved?.odd === x.f.name }"
            >
              {{ x.p?.shift_mm !== undefined ? `${x.p.shift_mm.toFixed(1)} mm` : "—" }}
            </td>
            <td class="n">
              <button
                v-if="can(x.f.id)"
                class="link small"
                :data-test="'again-' + x.f.id"
                @click="again(x.f.id)"
              >
                go there
              </button>
              {{ " " }}
              <button
                class="btn slim"
                :data-test="'sight-' + x.f.id"
                :title="x.p?.wants"
                @click="points.sight(x.f.id)"
              >
                sight
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <form class="row" @submit.prevent="add">
        <input
          v-model="name"
          class="field grow"
          maxlength="60"
          placeholder="another point, as: bolt in the wall"
          data-test="point-name"
          aria-label="A fixed point's name"
        /><button class="btn slim" type="submit" data-test="point-add">name it</button
        ><button
          v-if="points.picked"
          type="button"
          class="link small"
          data-test="point-drop"
          @click="drop(points.picked)"
        >
          take away
        </button>
      </form>
      <div class="row">
        <button
          v-if="list.length"
          class="btn slim"
          data-test="points-round"
          @click="points.again()"
        >
          sight them all again</button
        ><span class="small" :class="points.said.tone" role="status" data-test="points-said">{{
          points.said.text
        }}</span>
      </div>
    </section>
    <section class="box steer" aria-labelledby="centre-title">
      <div class="pic"><LivePicture :width="640" :pause="500" cross /></div>
      <div class="keys">
        <h2 id="centre-title" class="cap">Centre it, then press sight</h2>
        <p class="quiet small">
          The picture is that of the camera which is connected. Where {{ v.named }} carries another,
          centre it on that one's monitor.
        </p>
        <div class="row axes">
          <button
            v-for="a in machine?.rig.axes ?? []"
            :key="a.id"
            class="link small"
            :class="{ on: axis?.id === a.id }"
            :aria-pressed="axis?.id === a.id"
            :data-test="'steer-' + a.id"
            @click="axisId = a.id"
          >
            {{ a.name }} {{ state ? fixed(state.axes[a.id]?.pos ?? 0, finest(a)) : ""
            }}{{ unit(a) }}
          </button>
        </div>
        <JogKeys
          v-if="machine && axis"
          :machine="v.machine"
          :axis="axis"
          :fastest="machine.jog_speeds[axis.id] ?? 0"
          :clear="machine.rig.clear_m"
          :off="off"
        />
      </div>
    </section>
  </div>
  <p v-else class="quiet">{{ points.said.text || "…" }}</p>
</template>

<style scoped>
.points {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 420px;
  grid-template-rows: minmax(0, 1fr) 214px;
  gap: var(--s10);
  height: 100%;
  min-height: 560px;
}
.drawn {
  padding: var(--s10) var(--s14) var(--s6);
  display: flex;
  flex-direction: column;
  gap: var(--s4);
}
.says {
  padding: var(--s12) var(--s16);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: var(--s6);
  grid-row: 1 / 3;
  grid-column: 2;
}
.steer {
  padding: var(--s8) var(--s12);
  display: grid;
  grid-template-columns: 320px minmax(0, 1fr);
  gap: var(--s14);
  overflow: hidden;
}
.pic {
  min-width: 0;
  overflow: hidden;
}
.keys {
  display: flex;
  flex-direction: column;
  gap: var(--s4);
  min-width: 0;
  overflow: auto;
}
.line {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  flex: none;
}
.grow {
  flex: 1;
  min-width: 0;
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: 0;
}
p {
  margin: 0;
}
.nums {
  display: flex;
  gap: var(--s14);
  flex-wrap: wrap;
}
td,
th {
  padding: var(--s2) var(--s6) var(--s2) 0;
  vertical-align: middle;
}
.n {
  text-align: right;
  white-space: nowrap;
}
tr.here {
  background: var(--wash);
}
.name {
  color: var(--ink);
  text-decoration: none;
}
.row {
  display: flex;
  gap: var(--s10);
  align-items: center;
  flex-wrap: wrap;
}
.axes {
  gap: var(--s2) var(--s12);
}
.axes .on {
  font-weight: 700;
}
.btn.slim {
  min-height: 24px;
  padding: var(--s2) var(--s8);
}
html.paper .quiet {
  color: var(--muted);
}
@media (max-width: 900px) {
  .points {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 400px auto auto;
    height: auto;
  }
  .says {
    grid-column: 1;
    grid-row: auto;
  }
  .steer {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
