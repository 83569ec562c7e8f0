<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from "vue";
import { api, sentence, type LogLine, type Seal } from "../../api/client";
import { useLive } from "../../stores/live";
import { four, useShot } from "../../stores/shot";

const shot = useShot();
const live = useLive();
const aside = computed(() => live.now?.aside);
const lines = shallowRef<LogLine[] | null>(null);
const seals = shallowRef<Seal[]>([]);
const trouble = ref("");
async function load(): Promise<void> {
  const p = { params: { path: { id: shot.id } } };
  const [l, s] = await Promise.all([
    api.GET("/api/shots/{id}/log", p),
    api.GET("/api/shots/{id}/seals", p),
  ]).catch(() => [{ data: undefined, error: undefined }, { data: undefined }] as const);
  trouble.value = l.data ? "" : sentence(l.error);
  if (l.data) lines.value = l.data;
  if (s.data) seals.value = s.data;
}
onMounted(() => {
  void load();
  void shot.reloadPasses();
});
watch(() => [shot.view?.revision, live.now?.version], load);
const clock = (t: string): string => new Date(t).toLocaleTimeString("en-GB");
const day = (t: string): string =>
  new Date(t).toLocaleDateString("en-GB", { day: "2-digit", month: "short" });
</script>

<template>
  <div v-if="shot.view" class="wrap">
    <section class="box scroll" tabindex="0" aria-labelledby="log-title">
      <h2 id="log-title" class="cap">
        Log <span class="quiet nocap">it writes itself; newest first</span>
      </h2>
      <p v-if="aside?.entries" class="now" role="status" data-test="aside">
        {{ aside.entries === 1 ? "One entry" : `${aside.entries} entries` }} could not be stored.
        Nothing is lost: {{ aside.entries === 1 ? "it is" : "they are" }} kept in
        <code>{{ aside.file }}</code>.
      </p>
      <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
      <p v-else-if="lines && lines.length === 0" class="quiet">
        Nothing has happened yet. Sealing, homing, going to a frame, rolling and stopping are
        written here.
      </p>
      <table v-else data-test="log">
        <thead>
          <tr>
            <th>when</th>
            <th>who</th>
            <th>what</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(l, i) in lines ?? []" :key="i">
            <td class="t">{{ day(l.at) }} {{ clock(l.at) }}</td>
            <td :title="l.actor.role">{{ l.actor.name }}</td>
            <td>{{ l.text }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section class="box scroll" tabindex="0" aria-labelledby="takes-title">
      <h2 id="takes-title" class="cap">Takes and traces</h2>
      <p class="quiet small">
        A trace is every millisecond from the start of the run: the rig's own tick, the frame due,
        every axis as far as its sensor sees.
      </p>
      <table data-test="takes">
        <thead>
          <tr>
            <th>pass</th>
            <th>take</th>
            <th>path</th>
            <th>clock</th>
            <th>samples</th>
            <th>how it went</th>
            <th>trace</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="p in shot.passes" :key="p.id"
            ><tr v-for="t in p.takes" :key="t.id">
              <td>{{ p.number }} · {{ p.name }}</td>
              <td>{{ t.number }}</td>
              <td>{{ t.seal_short }}</td>
              <td>{{ t.clock }}</td>
              <td>{{ t.rows }}</td>
              <td :class="t.broken ? 'over' : ''">
                {{
                  t.broken
                    ? `broken off at ${four(t.frame)}: ${t.why}`
                    : t.finding?.word
                      ? `${t.finding.word} ${t.finding.worst_px.toFixed(2)} px`
                      : t.ended
                        ? "whole"
                        : "rolling"
                }}
              </td>
              <td><a class="link" :href="`/api/takes/${t.id}/trace.csv`" download>CSV</a></td>
            </tr></template
          >
        </tbody>
      </table>
      <p v-if="shot.passes.every((p) => p.takes.length === 0)" class="quiet">
        No take yet. Roll one on Shoot.
      </p>
      <h2 class="cap gap">Sealed paths</h2>
      <table v-if="seals.length">
        <thead>
          <tr>
            <th>version</th>
            <th>fingerprint</th>
            <th>by</th>
            <th>when</th>
            <th>path</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in seals" :key="s.id">
            <td>
              path {{ s.version
              }}<span v-if="s.over" class="quiet small" :title="s.over">
                signed over working limits</span
              >
            </td>
            <td :title="s.fingerprint">{{ s.short }}</td>
            <td>{{ s.sealed_by.name }}</td>
            <td>{{ day(s.sealed_at) }} {{ clock(s.sealed_at) }}</td>
            <td>
              <a
                v-if="s.revision >= 0"
                class="link"
                :href="`/api/shots/${shot.id}/path.csv?seal=${s.id}`"
                download
                :data-test="`sealed-csv-${s.version}`"
                >CSV</a
              >
              <a
                v-if="s.revision >= 0"
                class="link table"
                :href="`/api/shots/${shot.id}/sealed.table?seal=${s.id}`"
                download
                title="as it is replayed: docs/seal.md says how anybody can verify its fingerprint"
                :data-test="`sealed-table-${s.version}`"
                >table</a
              >
              <span v-if="s.revision < 0" class="quiet">void</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">Nothing is sealed yet. Press S on Compose.</p>
      <h2 class="cap gap">Files</h2>
      <p>
        <a
          v-if="!shot.view.empty"
          class="link"
          :href="`/api/shots/${shot.id}/path.csv`"
          download
          data-test="path-csv"
          >The plan as it stands, as CSV</a
        >
        {{ " " }}
        <span class="quiet">every frame, time and axis position, with units in the header</span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.table {
  margin-left: var(--s10);
}
.wrap {
  display: grid;
  grid-template-columns: 1fr 1.15fr;
  gap: var(--s12);
  height: 100%;
  min-height: 400px;
}
section {
  padding: var(--s14) var(--s16);
}
.nocap {
  text-transform: none;
  font: 400 var(--t13) var(--text);
  letter-spacing: 0;
}
.t {
  white-space: nowrap;
}
.gap {
  margin-top: var(--s20);
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
@media (max-width: 900px) {
  .wrap {
    grid-template-columns: 1fr;
    height: auto;
  }
}
</style>
