<script setup lang="ts">
import Dialog from 'primevue/dialog';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { useBench } from './useBench';
import { written } from './words';

const state = useBench('reading', 'choices');
const visible = defineModel<boolean>('visible', { required: true });
const router = useRouter();
const format = ref('glb');
const trouble = ref('');
const busy = ref(false);
const formats = computed(() => state.catalogue.value?.formats ?? []);
const lost = computed(() => state.bench.value?.reading?.lost[format.value] ?? []);
const wanted = computed(() => state.sheet.value?.formats ?? []);
const wishes = computed(() => written(state.sheet.value?.export ?? {}));
const stops = computed(() => state.bench.value?.reading?.verdict.stop ?? 0);
// Made when it is first opened, so it is open already.
watch(
  visible,
  (open) => {
    if (open) {
      format.value = state.sheet.value?.format ?? 'glb';
      trouble.value = '';
    }
  },
  { immediate: true },
);
async function go() {
  busy.value = true;
  try {
    const made = await api.beginExport(state.bench.value!.revision.id, format.value);
    visible.value = false;
    await router.push(`/proof/${made.id}`);
  } catch (e) {
    trouble.value = (e as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Export and prove" dismissable-mask>
    <fieldset>
      <legend class="sr">Format</legend>
      <label v-for="f in formats" :key="f.name" class="format"
        ><input v-model="format" type="radio" name="format" :value="f.name" /> <b>{{ f.short }}</b>
        <span class="faded"
          >{{ f.says }}{{ wanted.includes(f.name) ? '' : `, which ${state.sheet.value?.name} does not take` }}</span
        ></label
      >
    </fieldset>
    <p v-if="wishes" class="faded">{{ state.sheet.value?.name }} wants {{ wishes }}, where the format leaves it open.</p>
    <p v-if="stops" class="stop">
      <ResultMark result="stop" /> {{ stops }} {{ stops === 1 ? 'stop is' : 'stops are' }} not mended; the file can still be written.
    </p>
    <div class="lost">
      <h3>What this format cannot hold of this model</h3>
      <ul v-if="lost.length">
        <li v-for="l in lost" :key="l">{{ l }}</li>
      </ul>
      <p v-else class="faded">It holds all of it.</p>
    </div>
    <p v-if="trouble" class="stop" role="alert">{{ trouble }}</p>
    <template #footer
      ><button class="btn" @click="visible = false">Not now</button
      ><button class="btn main" :disabled="busy" @click="go">Write and prove it</button></template
    >
  </Dialog>
</template>

<style scoped>
fieldset {
  border: 0;
  margin: 0 0 8px;
  padding: 0;
  display: grid;
  gap: 4px;
  min-width: 460px;
}
.format {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 26px;
}
.format input {
  accent-color: var(--hl-verdigris);
}
.lost {
  border-top: 1px solid var(--hl-rule);
  padding-top: 8px;
  max-width: 560px;
}
h3 {
  font: 600 15px var(--hl-font-display);
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
</style>
