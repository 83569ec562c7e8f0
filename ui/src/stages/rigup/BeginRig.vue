<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import { api, type Start } from "../../api/client";
import { useBook } from "../../stores/book";

// A machine that is not in the book yet: from a starting sheet that asks only what is
// unknown, or as a copy of another.
const emit = defineEmits<{ close: []; made: [id: string] }>();
const book = useBook();
const starts = shallowRef<Start[]>([]);
const from = ref("slider and head");
const name = ref("");
const typed = ref<Record<string, string>>({});
const wrong = ref("");
onMounted(async () => {
  const r = await api.GET("/api/rig-starts").catch(() => ({ data: undefined }));
  if (r.data) starts.value = r.data;
});
const start = computed(() => starts.value.find((s) => s.kind === from.value));
const id = computed(() =>
  name.value
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^[^a-z]+|-+$/g, "")
    .slice(0, 32),
);
async function make(): Promise<void> {
  wrong.value = "";
  if (!id.value) {
    wrong.value = "Give it a name that begins with a letter.";
    return;
  }
  const given: Record<string, number> = {};
  for (const a of start.value?.asks ?? []) {
    const t = typed.value[a.field]?.trim().replace(",", ".");
    if (!t) continue;
    given[a.field] = Number(t);
    if (!Number.isFinite(given[a.field])) {
      wrong.value = `“${a.says}” is not a number.`;
      return;
    }
  }
  const body = start.value
    ? { name: name.value.trim(), kind: start.value.kind, given }
    : { name: name.value.trim(), copy: from.value };
  if (await book.begin(id.value, body)) emit("made", id.value);
  else wrong.value = book.said.text;
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="640"
    @update:model-value="
      (v: boolean) => {
        if (!v) emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" aria-labelledby="begin-title">
      <h2 id="begin-title">Another machine for the book</h2>
      <form @submit.prevent="make">
        <label
          >It is
          <select v-model="from" class="field" data-test="begin-from">
            <optgroup label="of a kind">
              <option v-for="s in starts" :key="s.kind" :value="s.kind">a {{ s.kind }}</option>
            </optgroup>
            <optgroup label="a copy of">
              <option v-for="l in book.lines" :key="l.id" :value="l.id">{{ l.name }}</option>
            </optgroup>
          </select></label
        >
        <label
          >called <input v-model="name" class="field" maxlength="40" data-test="begin-name"
        /></label>
        <p class="quiet">
          {{
            start
              ? `${start.says} What you leave empty is as usual; everything can be changed ` +
                "afterwards."
              : "A version 1 of its own, which nothing else changes."
          }}
        </p>
        <div v-if="start" class="asks">
          <label v-for="a in start.asks" :key="a.field"
            ><span>{{ a.says }}</span
            ><input
              v-model="typed[a.field]"
              class="field"
              inputmode="decimal"
              :placeholder="String(a.usual)"
              :data-test="'ask-' + a.field"
            /><span class="quiet">{{ a.unit }}</span></label
          >
        </div>
        <p v-if="wrong" class="over" role="alert" data-test="begin-wrong">{{ wrong }}</p>
        <div class="row">
          <button type="button" class="btn" @click="emit('close')">Leave it</button
          ><button type="submit" class="btn lead" data-test="begin-make">Put it in the book</button>
        </div>
      </form>
    </section>
  </v-dialog>
</template>

<style scoped>
form {
  display: grid;
  gap: var(--s8);
}
h2 {
  font-size: var(--t24);
  margin-bottom: var(--s8);
}
.asks {
  display: grid;
  gap: var(--s4);
  max-height: 46vh;
  overflow: auto;
}
.asks label {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 80px 50px;
  gap: var(--s8);
  align-items: center;
}
.asks input {
  text-align: right;
}
.row {
  display: flex;
  justify-content: flex-end;
  gap: var(--s12);
}
p {
  margin: 0;
}
</style>
