<script setup lang="ts">
import { dayAndHour } from "../../stores/dates";
import { onMounted, ref, shallowRef } from "vue";
import { useRouter } from "vue-router";
import { api, sentence, type MachineView, type Production } from "../../api/client";
import { usePrefs } from "../../stores/prefs";

const router = useRouter();
const prefs = usePrefs();
const shelf = shallowRef<Production[] | null>(null);
const trouble = ref("");
const name = ref("");
const role = ref("");
const rig = ref("plank");
const rigs = shallowRef<MachineView[]>([]);
const nameSaid = ref("");
const adding = ref("");
const code = ref("");
const title = ref("");
const refused = ref("");

async function load(): Promise<void> {
  trouble.value = "";
  const [s, m] = await Promise.all([api.GET("/api/shelf"), api.GET("/api/me")]).catch(
    () => [{ data: undefined, error: undefined }, { data: undefined }] as const,
  );
  if (s.data) shelf.value = s.data;
  else trouble.value = sentence(s.error);
  if (m.data) [name.value, role.value] = [m.data.name, m.data.role];
}
onMounted(load);

async function saveName(): Promise<void> {
  const r = await api.PUT("/api/me", {
    body: { name: name.value.trim(), role: role.value.trim() },
  });
  nameSaid.value = r.data ? "The log now says this name." : sentence(r.error);
}
// Changing what a shot is called, and where its timecode starts.
const changing = ref("");
const start = ref("");
let seen: { code: string; title: string; start_timecode: string } | undefined; // as it was opened
function change(s: Production["shots"][number]): void {
  changing.value = s.id;
  seen = { code: s.code, title: s.title, start_timecode: s.start_timecode };
  [code.value, title.value, start.value, refused.value, adding.value] = [
    s.code,
    s.title,
    s.start_timecode,
    "",
    "",
  ];
}
async function keep(): Promise<void> {
  const r = await api
    .PUT("/api/shots/{id}", {
      params: { path: { id: changing.value } },
      body: { code: code.value, title: title.value, start_timecode: start.value, seen },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  if (!r.data) {
    refused.value = sentence(r.error);
    return;
  }
  changing.value = "";
  await load();
}
function begin(production: string): void {
  adding.value = production;
  [code.value, title.value, refused.value, changing.value] = ["", "", "", ""];
  void api
    .GET("/api/machines")
    .then((r) => {
      if (r.data) rigs.value = r.data.filter((v) => v.rig.camera);
    })
    .catch(() => undefined);
}
async function add(production: string): Promise<void> {
  const r = await api.POST("/api/productions/{id}/shots", {
    params: { path: { id: production } },
    body: { code: code.value, title: title.value, rig: rig.value },
  });
  if (r.data) await router.push({ name: "compose", params: { id: r.data.id } });
  else refused.value = sentence(r.error);
}
const stageOf = (id: string): string => prefs.where[id]?.stage ?? "compose";
</script>

<template>
  <div class="shelf">
    <p v-if="trouble" class="over" role="alert">
      {{ trouble }} <button class="btn slim" @click="load">Try again</button>
    </p>
    <p v-else-if="!shelf" role="status">Taking the books down …</p>
    <p v-else-if="shelf.length === 0">
      There is no production yet. Start the application with <code>make demo</code> to load one.
    </p>
    <section v-for="p in shelf ?? []" :key="p.id" class="box prod" :aria-labelledby="'p' + p.id">
      <header>
        <h2 :id="'p' + p.id">{{ p.title }}</h2>
        <span class="quiet">{{ p.place }}</span>
      </header>
      <ul class="books">
        <li v-for="s in p.shots" :key="s.id">
          <form
            v-if="changing === s.id"
            class="book form"
            data-test="change-form"
            @submit.prevent="keep"
            @keydown.esc="changing = ''"
          >
            <label
              >Code <input v-model="code" class="field" maxlength="12" data-test="code" autofocus
            /></label>
            <label
              >Title <input v-model="title" class="field" maxlength="80" data-test="title"
            /></label>
            <label
              >Timecode of frame 0
              <input
                v-model="start"
                class="field"
                maxlength="12"
                data-test="start"
                inputmode="numeric"
            /></label>
            <p v-if="refused" class="over" role="alert">{{ refused }}</p>
            <div class="acts">
              <button class="btn slim lead" type="submit" data-test="keep">Keep</button>
              <button class="btn slim" type="button" @click="changing = ''">Leave it</button>
            </div>
          </form>
          <template v-else>
            <router-link
              :to="{ name: stageOf(s.id), params: { id: s.id } }"
              class="book"
              :data-test="'shot-' + s.code"
            >
              <span class="code">{{ s.code }}</span>
              <svg viewBox="0 0 200 22" aria-hidden="true" class="arc">
                <path d="M2 11H198" stroke="var(--ink)" stroke-width="1" />
                <path
                  :d="s.sketch.map((x) => `M${(2 + x * 196).toFixed(1)} 4v14`).join('')"
                  stroke="var(--now)"
                  stroke-width="1.5"
                />
              </svg>
              <b>{{ s.title }}</b>
              <span class="quiet"
                >{{ s.rig }} ·
                {{
                  s.seals === 0
                    ? "not sealed"
                    : s.seals === 1
                      ? "1 sealed path"
                      : `${s.seals} sealed paths`
                }}</span
              >
              <span v-if="s.frame_by_frame" class="quiet"
                >frame by frame · {{ s.frames_taken }} pictures</span
              >
              <span v-else class="quiet"
                >{{ s.passes }} {{ s.passes === 1 ? "pass" : "passes" }} · {{ s.takes }}
                {{ s.takes === 1 ? "take" : "takes" }}</span
              >
              <span v-if="s.trouble" class="over small" :data-test="'trouble-' + s.code">{{
                s.trouble
              }}</span>
              <span class="quiet small">changed {{ dayAndHour(s.changed) }}</span>
            </router-link>
            <button class="link small edit" :data-test="'change-' + s.code" @click="change(s)">
              name and timecode<span class="sr"> of {{ s.code }}</span>
            </button>
          </template>
        </li>
        <li>
          <form
            v-if="adding === p.id"
            class="book form"
            @submit.prevent="add(p.id)"
            @keydown.esc="adding = ''"
          >
            <label
              >Code
              <input
                v-model="code"
                class="field"
                maxlength="12"
                placeholder="as SL-060"
                data-test="new-code"
                autofocus
            /></label>
            <label
              >Title <input v-model="title" class="field" maxlength="80" data-test="new-title"
            /></label>
            <label
              >Machine
              <select v-model="rig" class="field" data-test="new-rig">
                <option v-for="r in rigs" :key="r.rig.id" :value="r.rig.id">
                  {{ r.rig.name }}
                </option>
              </select></label
            >
            <p v-if="refused" class="over" role="alert">{{ refused }}</p>
            <div class="acts">
              <button class="btn slim lead" type="submit" data-test="new-start">
                Start the shot
              </button>
              <button class="btn slim" type="button" @click="adding = ''">Leave it</button>
            </div>
          </form>
          <button v-else class="book new" data-test="new" @click="begin(p.id)">
            <span class="code">+</span><b>Start a shot</b
            ><span class="quiet">with an empty sheet</span>
          </button>
        </li>
      </ul>
    </section>
    <section class="box who">
      <h2>At this desk</h2>
      <form class="row" @submit.prevent="saveName">
        <label for="who">Name for the log</label>
        <input id="who" v-model="name" class="field" maxlength="40" required autocomplete="off" />
        <label for="role">Role</label>
        <input
          id="role"
          v-model="role"
          class="field"
          maxlength="40"
          autocomplete="off"
          placeholder="as operator"
        />
        <button class="btn slim" type="submit">Keep</button>
        <span class="quiet" role="status">{{ nameSaid }}</span>
      </form>
      <p class="row">
        <span>Light</span>
        <button
          class="btn slim"
          data-test="theme"
          @click="prefs.theme = prefs.theme === 'paper' ? 'blackout' : 'paper'"
        >
          {{ prefs.theme === "paper" ? "Blackout, for a dark stage" : "Paper, for the office" }}
        </button>
      </p>
      <p class="quiet">
        Moving machines crush and strike. Keep the zone clear, hold to run, isolate power before
        hands go near. Overhead loads, electrical supply and platforms are for licensed people under
        local codes and the makers' manuals. Numbers for stopping are planning aids.
      </p>
    </section>
  </div>
</template>

<style scoped>
.shelf {
  max-width: 1160px;
  margin: var(--s12) auto;
  display: grid;
  gap: var(--s16);
}
.prod,
.who {
  padding: var(--s16) var(--s20);
}
header {
  display: flex;
  gap: var(--s16);
  align-items: baseline;
  border-bottom: 1px solid var(--rule);
  padding-bottom: var(--s10);
}
h2 {
  font-size: var(--t24);
}
.who h2 {
  font-size: var(--t16);
  margin-bottom: var(--s8);
}
.books {
  list-style: none;
  margin: var(--s16) 0 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: var(--s14);
}
.book {
  display: flex;
  flex-direction: column;
  gap: var(--s4);
  border: 1px solid var(--ink);
  padding: var(--s14) var(--s16);
  color: var(--ink);
  text-decoration: none;
  background: var(--sheet);
  min-height: 176px;
  box-sizing: border-box;
  width: 100%;
  text-align: left;
  font: inherit;
  cursor: pointer;
}
html.blackout .book {
  border-color: var(--rule);
}
a.book:hover,
.new:hover,
.book:focus-visible {
  background: var(--wash);
}
.code {
  font: 600 var(--t24)/1 var(--head);
  letter-spacing: 0.03em;
}
.book b {
  font-size: var(--t16);
  overflow-wrap: anywhere;
}
.books li {
  min-width: 0;
  position: relative;
}
.edit {
  position: absolute;
  right: 14px;
  top: 16px;
  background: var(--sheet);
}
.book:hover + .edit {
  background: var(--wash);
}
.form {
  cursor: default;
  gap: var(--s8);
}
.form label {
  display: grid;
  gap: var(--s2);
}
.form .field {
  width: 100%;
  box-sizing: border-box;
  font-size: var(--t13);
}
.form p {
  margin: 0;
}
.acts {
  display: flex;
  gap: var(--s8);
  margin-top: auto;
}
.sr {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
.arc {
  width: 100%;
  height: 22px;
}
.new {
  border-style: dashed;
}
.row {
  display: flex;
  gap: var(--s10);
  align-items: center;
  flex-wrap: wrap;
  margin: 0 0 var(--s10);
}
html.paper .quiet {
  color: var(--muted);
}
</style>
