<script setup lang="ts">
import { dayAndHour } from "../../stores/dates";
import { computed, ref } from "vue";
import { api, sentence, type RigSheet } from "../../api/client";
import { useAsk } from "../../stores/ask";
import { useBook } from "../../stores/book";
import { useShot } from "../../stores/shot";

// Who changed what; what that does to moves that were made before; out to a file and in.
const props = defineProps<{ sheet: RigSheet }>();
const book = useBook();
const ask = useAsk();
const shot = useShot();
const voids = computed(() => props.sheet.changes.some((c) => c.voids));
const mine = computed(
  () => shot.view?.machines.find((m) => m.rig.id === props.sheet.rig.id)?.rig.version,
);
function bring(): void {
  const r = props.sheet.rig;
  ask.ask({
    title: `Bring ${shot.view?.code} to version ${r.version} of ${r.name}?`,
    yes: "Bring it",
    text:
      "Its keyframes stay where they are. A seal pins the version: paths that were sealed " +
      "before are void, and are sealed again. Takes keep what they were rolled with.",
    act: async () => {
      const a = await api.POST("/api/shots/{id}/rig", {
        params: { path: { id: shot.id } },
        body: { rig: r.id, version: r.version },
      });
      if (!a.error) {
        void shot.reload();
        void book.open(r.id);
      }
      return a.error ? sentence(a.error) : "";
    },
  });
}
const file = ref<HTMLInputElement | null>(null);
async function read(e: Event): Promise<void> {
  const f = (e.target as HTMLInputElement).files?.[0];
  if (!f) return;
  let doc: unknown;
  try {
    doc = JSON.parse(await f.text());
  } catch {
    book.said = {
      text: `${f.name} is not JSON. Give a file that a rig book has written.`,
      tone: "over",
    };
    return;
  }
  await book.bring(props.sheet.rig.id, doc, props.sheet.rig.version);
  if (file.value) file.value.value = "";
}
</script>

<template>
  <div class="scroll two" tabindex="0" aria-label="Versions">
    <table>
      <thead>
        <tr>
          <th>version</th>
          <th>written</th>
          <th>by</th>
          <th>why</th>
          <th>shots on it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="v in sheet.versions" :key="v.version">
          <td>
            <b>{{ v.version }}</b><span v-if="v.version === sheet.runs" class="good small">
              · the machine runs it</span
            >
          </td>
          <td>
            {{ dayAndHour(v.at) }}
          </td>
          <td>{{ v.by.name }}</td>
          <td>{{ v.says || "shipped" }}</td>
          <td>{{ v.shots.join(", ") || "—" }}</td>
        </tr>
      </tbody>
    </table>
    <div>
      <h3 class="cap">What version {{ sheet.rig.version }} changes</h3>
      <p v-for="c in sheet.changes" :key="c.says" :class="{ now: c.voids }" data-test="change">
        {{ c.says }}
      </p>
      <p v-if="!sheet.changes.length" class="quiet">Nothing that a move would feel.</p>
      <p v-if="sheet.versions.length > 1">
        {{
          voids
            ? "Moves keep the version that they were made on until they are brought to this one."
            : "Moves may be brought to it as they are, and are sealed again."
        }}
      </p>
      <div class="row">
        <button
          v-if="mine !== undefined && mine !== sheet.rig.version"
          class="btn slim"
          data-test="bring-shot"
          @click="bring"
        >
          bring {{ shot.view?.code }} to it (on {{ mine }})
        </button>
        <button
          v-if="sheet.versions.length > 1"
          class="btn slim"
          data-test="rig-back"
          @click="book.back"
        >
          take version {{ sheet.rig.version }} back
        </button>
        <a class="btn slim" :href="`/api/rigs/${sheet.rig.id}/file`" download data-test="rig-file"
          >to a file</a
        >
        <label class="btn slim"
          >from a file<input
            ref="file"
            type="file"
            accept=".json,application/json"
            class="hidden"
            data-test="rig-read"
            @change="read"
        /></label>
        <a class="link small" href="/api/rig.schema.json" target="_blank">its schema</a>
      </div>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: var(--s24);
  min-height: 0;
  flex: 1;
  align-items: start;
}
p {
  margin: var(--s2) 0;
}
h3 {
  font-size: var(--t13);
}
.row {
  display: flex;
  gap: var(--s8);
  flex-wrap: wrap;
  margin-top: var(--s8);
  align-items: center;
}
.hidden {
  position: absolute;
  opacity: 0;
  width: 1px;
  height: 1px;
}
td {
  padding: var(--s2) var(--s8) var(--s2) 0;
}
html.paper .quiet,
html.paper th {
  color: var(--muted);
}
</style>
