<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, sentence, type Swapping } from "../../api/client";
import { useBench } from "../../stores/bench";
import { useShot } from "../../stores/shot";

// Which camera package is on the bench; whether the shot is shot with it; and what a swap
// to it takes.
const props = defineProps<{ machine: string }>();
const bench = useBench();
const shot = useShot();
const own = computed(() => shot.view?.package ?? "");
const swap = ref<Swapping | null>(null);
const said = ref("");
const chosen = computed({
  get: () => bench.pack,
  set: (id: string) => {
    bench.picked = id;
  },
});
const differs = computed(() => bench.pack !== "" && bench.pack !== own.value);
watch(
  () => [bench.pack, own.value, props.machine],
  async () => {
    swap.value = null;
    if (!differs.value || !shot.id) return;
    const r = await api
      .GET("/api/shots/{id}/package/{package}", {
        params: { path: { id: shot.id, package: bench.pack } },
      })
      .catch(() => ({ data: undefined }));
    if (r.data && differs.value) swap.value = r.data;
  },
  { immediate: true },
);
async function take(): Promise<void> {
  const r = await api
    .POST("/api/shots/{id}/package", {
      params: { path: { id: shot.id } },
      body: { package: bench.pack },
    })
    .catch(() => ({ data: undefined, error: undefined }));
  said.value = r.data ? "" : sentence(r.error);
  if (r.data) await shot.reload();
}
</script>

<template>
  <div class="packing">
    <button
      v-if="!bench.packages.length"
      class="btn slim"
      data-test="first-package"
      @click="bench.begin()"
    >
      Make a package of this shot's camera
    </button>
    <label v-else
      >On it:
      <select v-model="chosen" class="field" data-test="package" aria-label="Camera package">
        <option v-for="p in bench.packages" :key="p.id" :value="p.id">{{ p.name }}</option>
      </select></label
    >
    <span v-if="own && own === bench.pack" class="quiet small"
      >{{ shot.view?.code }} is shot with it</span
    >
    <template v-else-if="swap">
      <button class="btn slim" data-test="swap" @click="take">
        Shoot {{ shot.view?.code }} with it
      </button>
      <span class="small swap" data-test="swap-says"
        ><b v-for="t in swap.turn" :key="t">{{ t + " " }}</b
        ><span v-for="t in swap.changes" :key="t" class="quiet">{{ t + " " }}</span></span
      >
    </template>
    <span class="over small" role="status">{{ said }}</span>
  </div>
</template>

<style scoped>
.packing {
  display: flex;
  gap: var(--s12);
  align-items: center;
  min-height: 26px;
  min-width: 0;
  flex: 1;
}
.slim {
  min-height: 26px;
  padding: var(--s2) var(--s10);
  flex: none;
}
label {
  flex: none;
}
.swap {
  min-width: 0;
}
html.paper .quiet {
  color: var(--muted);
}
</style>
