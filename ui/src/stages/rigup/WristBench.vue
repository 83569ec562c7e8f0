<script setup lang="ts">
import { allHomed } from "../../stores/axes";
import { computed, ref } from "vue";
import { api, sentence, type BenchView, type LiveMachine } from "../../api/client";
import MachineDrawing from "../../drawing/MachineDrawing.vue";
import { useAsk } from "../../stores/ask";
import { useBench } from "../../stores/bench";
import { useBook } from "../../stores/book";
import { useShot } from "../../stores/shot";

// What hangs at an arm's wrist, found from what it feels in several poses.
const props = defineProps<{ view: BenchView; live?: LiveMachine; seen: boolean }>();
const bench = useBench();
const book = useBook();
const ask = useAsk();
const shot = useShot();
const p = computed(() => props.view.sheet.payload!);
const felt = computed(() => props.view.record.felt ?? []);
const joints = computed(
  () => (props.seen ? props.live?.joints : undefined) ?? book.sheet?.poses["home"] ?? [],
);
const homed = computed(() => allHomed(props.live?.state));
const still = computed(() => props.seen && props.live?.driving && props.live.state.mode === "idle");
const name = (id: string): string => book.sheet?.rig.axes.find((a) => a.id === id)?.name ?? id;
const next = computed(() => Object.entries(props.view.next ?? {}));
const there = computed(() =>
  next.value.every(([a, v]) => Math.abs((props.live?.state.axes[a]?.pos ?? 1e9) - v) < 0.5),
);
const busy = ref(false);
async function read(): Promise<void> {
  busy.value = true;
  await bench.feel();
  busy.value = false;
}
async function go(): Promise<void> {
  const to = props.view.next;
  if (!to) return;
  const body = { shot: shot.id || undefined, to, share: 0.2 };
  const r = await api
    .POST("/api/machines/{id}/go", {
      params: { path: { id: props.view.machine } },
      body: { ...body, ask: true },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  if (!r.data) {
    bench.said = { text: sentence(r.error), tone: "over" };
    return;
  }
  ask.ask({
    title: `Turn the wrist of ${props.view.name}?`,
    yes: "Go",
    text:
      `${r.data.said} It takes ${r.data.seconds} s, at a fifth of its working speeds. ` +
      "Everyone clear of its reach; it goes straight, past whatever stands there.",
    act: async () => {
      const a = await api.POST("/api/machines/{id}/go", {
        params: { path: { id: props.view.machine } },
        body,
      });
      return a.error ? sentence(a.error) : "";
    },
  });
}
function tell(): void {
  const f = p.value.found;
  if (f)
    void bench.keep(
      {
        told: {
          mass_kg: +f.mass_kg.toFixed(3),
          centre_m: f.centre_m.map((c) => +c.toFixed(4)) as [number, number, number],
        },
      },
      `${props.view.name} is told.`,
    );
}
// The same pose is left out, wherever it stands in the list by then.
function leaveOut(f: (typeof felt.value)[number]): void {
  const it = JSON.stringify(f);
  void bench.keep(
    (was) => ({ felt: (was.felt ?? []).filter((x) => JSON.stringify(x) !== it) }),
    "Left out.",
  );
}
const checks = ["all_on", "tight", "line", "pins_out"] as const;
const words = {
  all_on: "all that will hang on it is on it",
  tight: "tight",
  line: "safety line on",
  pins_out: "pins out",
};
const mm = (v: number): string => `${Math.round(v * 1000)}`.replace("-", "−");
</script>

<template>
  <div class="wrist">
    <div class="drawn">
      <MachineDrawing
        v-if="book.sheet?.rig.id === bench.view?.machine"
        class="draw"
        :sheet="book.sheet!.sheet"
        :joints="joints"
        :name="props.view.name"
        :known="homed"
      />
    </div>
    <section class="box side">
      <h2 class="cap">What hangs at its wrist</h2>
      <p class="big" :class="p.ok ? 'good' : 'now'" role="status" data-test="wrist-says">
        {{ p.says }}
      </p>
      <p v-if="p.problem" class="now" data-test="wrist-problem">
        {{ p.problem.charAt(0).toUpperCase() + p.problem.slice(1) }}: {{ p.missing }}.
      </p>
      <p v-if="p.guided" data-test="wrist-guided">
        <b>Guided by hand with what it was told:</b> {{ p.guided }}
      </p>
      <table v-if="p.found">
        <thead>
          <tr>
            <th></th>
            <th class="r">mass</th>
            <th class="r">right</th>
            <th class="r">forward</th>
            <th class="r">up</th>
          </tr>
        </thead>
        <tbody>
          <tr class="sum">
            <td>found, from {{ p.poses }} poses</td>
            <td class="r" data-test="wrist-kg">{{ p.found.mass_kg.toFixed(2) }} kg</td>
            <td v-for="(c, i) in p.found.centre_m" :key="i" class="r">{{ mm(c) }} mm</td>
          </tr>
          <tr v-if="p.told">
            <td>told</td>
            <td class="r">{{ p.told.mass_kg.toFixed(2) }} kg</td>
            <td v-for="(c, i) in p.told.centre_m" :key="i" class="r">{{ mm(c) }} mm</td>
          </tr>
        </tbody>
      </table>
      <p v-if="p.found" class="quiet small">
        What the fit leaves: {{ p.found.residual_n.toFixed(2) }} N and
        {{ p.found.residual_nm.toFixed(3) }} N m a pose<template v-if="p.off_mm !== undefined"
          >; the centre is known to {{ Math.max(p.off_mm, 0.1).toFixed(1) }} mm, nine times in
          ten</template
        >. The sensor's own zero was worked out with it. {{ props.view.sheet.rating }}
      </p>
      <p class="row">
        <button
          v-if="p.found && !p.problem"
          class="btn lead slim"
          data-test="wrist-tell"
          @click="tell"
        >
          Tell {{ props.view.name }}: {{ p.found.mass_kg.toFixed(2) }} kg
        </button>
        <button
          class="btn slim"
          :class="{ lead: !p.found }"
          data-test="wrist-read"
          :disabled="!still || busy"
          @click="read"
        >
          Read it here
        </button>
        <button
          v-if="next.length"
          class="btn slim"
          data-test="wrist-next"
          :disabled="!still || !homed || there"
          @click="go"
        >
          Go to the pose that tells most
        </button>
      </p>
      <p v-if="next.length" class="small">
        That is {{ next.map(([a, v]) => `${name(a)} ${v}°`).join(", ")
        }}<template v-if="there">: it stands there</template>.
        <span v-if="!homed" class="now">It has to be homed first.</span>
      </p>
      <h2 class="cap">Poses read</h2>
      <p v-if="!felt.length" class="quiet">
        None yet. Three or more, with the wrist turned about two different ways.
      </p>
      <ol v-else class="small">
        <li v-for="(f, i) in felt" :key="i">
          {{
            next.length
              ? next.map(([a]) => `${name(a)} ${(f.joints[a] ?? 0).toFixed(0)}°`).join(", ")
              : ""
          }}: {{ Math.hypot(...(f.force_n ?? [0])).toFixed(1) }} N,
          {{ Math.hypot(...f.torque_nm).toFixed(2) }} N m
          <button class="link" @click="leaveOut(f)">leave out</button>
        </li>
      </ol>
      <p class="row small">
        <button class="link" @click="bench.back()">take back</button
        ><button
          v-if="felt.length"
          class="link"
          data-test="wrist-clear"
          @click="bench.keep({ felt: [] }, 'Cleared.')"
        >
          begin again</button
        ><span :class="bench.said.tone" role="status" data-test="bench-said">{{
          bench.said.text
        }}</span>
      </p>
      <h2 class="cap">Before it rolls</h2>
      <p class="row small">
        <label v-for="k in checks" :key="k"
          ><input
            type="checkbox"
            :checked="props.view.record.checks[k]"
            :data-test="'check-' + k"
            @change="bench.check(k, ($event.target as HTMLInputElement).checked, 'Kept.')"
          />
          {{ words[k] }}</label
        >
      </p>
      <p :class="props.view.sheet.verdict.ok ? 'good' : 'now'" data-test="bench-verdict">
        <b
          >{{ props.view.sheet.verdict.ok ? "✓ " : ""
          }}{{
            props.view.sheet.verdict.says.charAt(0).toUpperCase() +
            props.view.sheet.verdict.says.slice(1)
          }}</b
        >
      </p>
      <p v-if="props.view.sheet.verdict.on" class="quiet small" data-test="verdict-on">
        {{ props.view.sheet.verdict.on }}
      </p>
      <p class="now">A powered arm is not guided by hand before it knows what hangs on it.</p>
    </section>
  </div>
</template>

<style scoped>
.wrist {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(430px, 1fr);
  gap: var(--s10);
  flex: 1;
  min-height: 0;
}
.drawn {
  min-height: 0;
}
.draw {
  height: 100%;
}
.side {
  padding: var(--s10) var(--s16);
  overflow: auto;
}
.big {
  font: 600 var(--t24)/1.12 var(--head);
  margin: var(--s4) 0;
}
p {
  margin: var(--s4) 0;
}
ol {
  margin: var(--s2) 0;
  padding-left: var(--s20);
}
table {
  width: 100%;
  border-collapse: collapse;
}
td,
th {
  padding: var(--s2) var(--s6) var(--s2) 0;
}
.r {
  text-align: right;
}
.sum td {
  font-weight: 700;
}
.row {
  display: flex;
  gap: var(--s10);
  flex-wrap: wrap;
  align-items: center;
}
h2:not(:first-child) {
  margin-top: var(--s8);
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
@media (max-width: 900px) {
  .wrist {
    grid-template-columns: 1fr;
  }
  .drawn {
    height: 320px;
  }
}
</style>
