<script setup lang="ts">
import { onMounted, ref, shallowRef } from "vue";
import { api, sentence, type Difference, type PathVersion } from "../../api/client";
import { usePreview } from "../../stores/preview";
import { four, useShot } from "../../stores/shot";

// The versions of a move that somebody has named: kept, looked at over the move as it stands,
// compared with it, gone back to. What is shown of another change makes way (unlook).
const emit = defineEmits<{ unlook: [] }>();
const shot = useShot();
const preview = usePreview();
const versions = shallowRef<PathVersion[]>([]);
const name = ref("");
const note = ref("");
const shown = ref<number>(0);
const difference = shallowRef<Difference | null>(null);
async function list(): Promise<void> {
  versions.value = await shot.versions();
}
onMounted(list);
defineExpose({ list });
async function keepName(): Promise<void> {
  const r = await api.POST("/api/shots/{id}/versions", {
    params: { path: { id: shot.id } },
    body: { revision: shot.view?.revision ?? 0, name: name.value },
  });
  note.value = r.error ? sentence(r.error) : "";
  if (r.data) {
    name.value = "";
    await list();
  }
}
async function compare(v: PathVersion): Promise<void> {
  const r = await api.GET("/api/shots/{id}/versions/{number}/difference", {
    params: { path: { id: shot.id, number: v.number } },
  });
  note.value = r.error ? sentence(r.error) : "";
  [difference.value, shown.value] = [r.data ?? null, v.number];
}
// A version over the move as it stands.
const looked = ref(0);
function lookAt(v: PathVersion): void {
  if (preview.now?.held && looked.value === v.number) {
    emit("unlook");
    return;
  }
  looked.value = v.number;
  preview.want({ back: v.revision, whole: true }, true);
}
async function back(v: PathVersion): Promise<void> {
  emit("unlook");
  note.value = (await shot.backTo(v))
    ? `The move is as in “${v.name}” again. Take back undoes it.`
    : shot.trouble;
  difference.value = null;
}
</script>

<template>
  <h2 class="gap">Versions</h2>
  <form class="line" @submit.prevent="keepName">
    <label
      >keep the move as it stands as
      <input v-model="name" class="field name" maxlength="60" data-test="version-name"
    /></label>
    <button class="btn slim lead" data-test="version-keep">keep</button>
  </form>
  <p v-if="note" role="status" data-test="version-note">{{ note }}</p>
  <table v-if="versions.length">
    <tbody>
      <template v-for="v in versions" :key="v.number">
        <tr :data-test="`version-${v.number}`">
          <td>{{ v.number }}</td>
          <td>
            <b>{{ v.name }}</b>
          </td>
          <td class="quiet">{{ v.by.name }}</td>
          <td class="acts">
            <button
              class="btn slim"
              :data-test="`version-${v.number}-look`"
              :aria-pressed="preview.now?.held && looked === v.number"
              @click="lookAt(v)"
            >
              show
            </button>
            <button class="btn slim" :data-test="`version-${v.number}-compare`" @click="compare(v)">
              compare
            </button>
            <button class="btn slim" :data-test="`version-${v.number}-back`" @click="back(v)">
              go back
            </button>
          </td>
        </tr>
        <tr v-if="difference && shown === v.number">
          <td />
          <td colspan="3" data-test="difference">
            <p>From {{ difference.from }} to {{ difference.to }}: {{ difference.words }}</p>
            <ul v-if="difference.lines.length">
              <li v-for="l in difference.lines.slice(0, 40)" :key="l.axis + l.from">
                <button class="link" @click="shot.go(Math.round(l.at))">
                  {{ four(Math.round(l.at)) }}
                </button>
                {{ l.words }}
              </li>
            </ul>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
  <p v-else class="quiet">No version has a name yet. Sealed paths keep their own.</p>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: var(--s8) var(--s12);
  margin: var(--s10) 0 var(--s4);
  align-items: center;
}
.name {
  width: 150px;
}
.gap {
  margin-top: var(--s14);
}
td {
  padding: var(--s2) var(--s10) var(--s2) 0;
  vertical-align: top;
}
.acts {
  white-space: nowrap;
}
.acts .btn {
  margin-left: var(--s4);
}
.btn[aria-pressed="true"] {
  background: var(--ink);
  color: var(--sheet);
}
ul {
  margin: var(--s2) 0 var(--s6);
  padding-left: 0;
  list-style: none;
  max-height: 180px;
  overflow: auto;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
