<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import { api, sentence, type Mark } from "../../api/client";
import { useMoves } from "../../shell/moves";
import { four, useShot } from "../../stores/shot";
import { useSteer } from "../../stores/steer";

// The shot's marks: named poses with a small picture, in the path or outside it.
defineEmits<{ close: [] }>();
const shot = useShot();
const steer = useSteer();
const moves = useMoves();
const marks = shallowRef<Mark[]>([]);
const name = ref("");
const said = ref("");
onMounted(async () => {
  const r = await api
    .GET("/api/shots/{id}/marks", { params: { path: { id: shot.id } } })
    .catch(() => ({ data: undefined, error: undefined }));
  if (r.data) marks.value = r.data;
  else said.value = sentence(r.error);
});
const pose = computed(() => steer.stands ?? shot.values);
const what = computed(() =>
  steer.stands ? `where ${steer.machine?.rig.name} stands` : `the pose at ${four(shot.frame)}`,
);
// The picture: the camera's own while it is steered and there is one, else the finder's.
async function png(): Promise<string | undefined> {
  try {
    if (steer.on) {
      const r = await fetch("/api/camera/look?width=160");
      if (r.ok) return btoa(String.fromCharCode(...new Uint8Array(await r.arrayBuffer())));
    }
    const from = document.querySelector<HTMLCanvasElement>('[data-test="finder"] canvas');
    if (!from) return undefined;
    const to = document.createElement("canvas");
    [to.width, to.height] = [160, 90];
    to.getContext("2d")?.drawImage(from, 0, 0, 160, 90);
    return to.toDataURL("image/png").split(",")[1];
  } catch {
    return undefined;
  }
}
async function keep(): Promise<void> {
  const r = await api.POST("/api/shots/{id}/marks", {
    params: { path: { id: shot.id } },
    body: { name: name.value, values: { ...pose.value }, png: await png() },
  });
  said.value = r.error ? sentence(r.error) : "";
  if (r.data) {
    marks.value = r.data;
    name.value = "";
  }
}
async function away(m: Mark): Promise<void> {
  const r = await api.DELETE("/api/shots/{id}/marks/{mark}", {
    params: { path: { id: shot.id, mark: m.id } },
  });
  if (r.error) said.value = sentence(r.error);
  else marks.value = marks.value.filter((x) => x.id !== m.id);
}
async function key(m: Mark): Promise<void> {
  await shot.edit(
    { op: "set", frame: shot.frame, values: m.values },
    `“${m.name}” stored at ${four(shot.frame)}.`,
  );
}
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="640"
    @update:model-value="
      (v: boolean) => {
        if (!v) $emit('close');
      }
    "
  >
    <section class="sheet" role="dialog" aria-labelledby="marks-title">
      <h2 id="marks-title">Marks of {{ shot.view?.code }}</h2>
      <form class="line" @submit.prevent="keep">
        <label
          >keep {{ what }} as
          <input v-model="name" class="field" maxlength="40" data-test="mark-name" /></label
        ><button class="btn slim lead" type="submit" data-test="mark-keep">keep</button>
      </form>
      <p v-if="said" class="over" role="alert">{{ said }}</p>
      <ul v-if="marks.length">
        <li v-for="m in marks" :key="m.id" :data-test="'mark-' + m.name">
          <img
            v-if="m.png"
            :src="'data:image/png;base64,' + m.png"
            alt=""
            width="96"
            height="54"
          /><span v-else class="nopic" />
          <div>
            <b>{{ m.name }}</b><span class="quiet small">{{
              Object.entries(m.values)
                .map(([a, v]) => `${shot.axes.find((x) => x.id === a)?.name ?? a} ${+v.toFixed(2)}`)
                .join(", ")
            }}</span>
          </div>
          <button class="btn slim" data-test="mark-go" @click="moves.goPose(m.values, m.name)">
            go …
          </button>
          <button class="btn slim" data-test="mark-key" @click="key(m)">
            keyframe at {{ four(shot.frame) }}
          </button>
          <button class="link" @click="away(m)">take away</button>
        </li>
      </ul>
      <p v-else class="quiet">
        No marks yet. A mark is a pose with a name: a rest position, a lens change, an actor's
        place.
      </p>
      <div class="line end">
        <button class="btn" data-test="marks-close" @click="$emit('close')">Done</button>
      </div>
    </section>
  </v-dialog>
</template>

<style scoped>
h2 {
  font-size: var(--t24);
  margin-bottom: var(--s8);
}
.line {
  display: flex;
  gap: var(--s10);
  align-items: center;
}
.end {
  justify-content: flex-end;
  margin-top: var(--s10);
}
ul {
  list-style: none;
  padding: 0;
  margin: var(--s10) 0;
  display: grid;
  gap: var(--s6);
  max-height: 50vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 96px minmax(0, 1fr) auto auto auto;
  gap: var(--s10);
  align-items: center;
  border-top: 1px solid var(--hair);
  padding-top: var(--s6);
}
li div {
  display: grid;
}
.nopic {
  width: 96px;
  height: 54px;
  background: var(--tint);
}
</style>
