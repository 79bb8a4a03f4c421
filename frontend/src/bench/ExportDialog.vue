<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import ValueInput from '../sheets/ValueInput.vue';
import type { Tree } from '../sheets/sheet';
import DestinationSays from './DestinationSays.vue';
import { useBench } from './useBench';
import { mendWords, written } from './words';

const state = useBench('reading', 'choices');
const { data: sheets } = useQuery({ queryKey: ['sheets'], queryFn: api.sheets, staleTime: 60_000 });
const visible = defineModel<boolean>('visible', { required: true });
const router = useRouter();
const format = ref('glb');
/** What came as a package may go back out as the same package. */
const WHOLE = 'whole';
const own = computed(() => state.bench.value?.format ?? 'glb');
const whole = computed(() => format.value === WHOLE);
const trouble = ref('');
/** How this one export is wished, where that is otherwise than the sheet says. */
const said = ref<Tree>({});
const wishes = computed(() => (sheets.value?.values ?? []).filter((v) => v.path.startsWith('export.')));
const keyOf = (path: string) => path.slice('export.'.length);
const ofSheet = (key: string) => ((state.sheet.value?.export ?? {}) as Tree)[key] ?? null;
const now = (key: string) => (key in said.value ? said.value[key] : (ofSheet(key) ?? BY_ITSELF[key] ?? null));
/** What holds where neither the sheet nor this export says anything. */
const BY_ITSELF: Tree = {
  images: 'as-format',
  material_library: true,
  stand_ins: 'nodes',
  stand_in_suffix: '_stand_in',
  levels: 'nodes',
  accessories: 'in',
  level_suffix: '_level_',
};
function wish(key: string, value: unknown) {
  const out = { ...said.value };
  if (JSON.stringify(value ?? null) === JSON.stringify(ofSheet(key) ?? BY_ITSELF[key] ?? null)) delete out[key];
  else out[key] = value;
  said.value = out;
}
const others = computed(() => Object.keys(said.value).length);
/** What this destination alone needs beyond the tape, and whether it is played. */
const branch = computed(() => state.bench.value?.branch ?? []);
const withBranch = ref(true);
const branchWords = computed(() => branch.value.map((s) => mendWords(state.mendFacts(s.mend), s.mend, s.params)).join(', '));
const busy = ref(false);
const formats = computed(() => state.catalogue.value?.formats ?? []);
const lost = computed(() => state.bench.value?.reading?.lost[whole.value ? own.value : format.value] ?? []);
const wanted = computed(() => state.sheet.value?.formats ?? []);
const wanting = computed(() => written(state.sheet.value?.export ?? {}));
const taken = computed(() => formats.value.filter((f) => wanted.value.includes(f.name)));
const folded = computed(() => formats.value.filter((f) => !wanted.value.includes(f.name)));
const stops = computed(() => state.bench.value?.reading?.verdict.stop ?? 0);
// Made when it is first opened, so it is open already.
watch(
  visible,
  (open) => {
    if (open) {
      format.value = state.sheet.value?.format ?? 'glb';
      trouble.value = '';
      said.value = {};
    }
  },
  { immediate: true },
);
async function go() {
  busy.value = true;
  try {
    const made = whole.value
      ? await api.beginExport(state.bench.value!.revision.id, own.value, {}, true, withBranch.value)
      : await api.beginExport(state.bench.value!.revision.id, format.value, said.value, false, withBranch.value);
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
      <label v-for="f in taken" :key="f.name" class="format"
        ><input v-model="format" type="radio" name="format" :value="f.name" /> <b>{{ f.short }}</b>
        <span class="faded">{{ f.says }}</span></label
      >
      <label v-if="(state.bench.value?.file_count ?? 0) > 1" class="format"
        ><input v-model="format" type="radio" name="format" :value="WHOLE" /> <b>As it came</b>
        <span class="faded">the whole package: what no mend touched stays byte for byte, with a manifest</span></label
      >
      <details :open="!whole && !wanted.includes(format)">
        <summary>{{ folded.length }} formats that {{ state.sheet.value?.name }} does not take</summary>
        <label v-for="f in folded" :key="f.name" class="format"
          ><input v-model="format" type="radio" name="format" :value="f.name" /> <b>{{ f.short }}</b>
          <span class="faded">{{ f.says }}</span></label
        >
      </details>
    </fieldset>
    <p v-if="wanting && !whole" class="faded">{{ state.sheet.value?.name }} wants {{ wanting }}, where the format leaves it open.</p>
    <details v-if="!whole" class="wishes">
      <summary>How it is written{{ others ? `: ${others} otherwise than the sheet says` : ', as the sheet says' }}</summary>
      <div v-for="v in wishes" :key="v.path" class="wish" :title="v.field.help">
        <span>{{ v.field.title }} <i v-if="keyOf(v.path) in said">for this export</i></span>
        <ValueInput :field="v.field" :path="v.path" :model-value="now(keyOf(v.path))" @update:model-value="(x) => wish(keyOf(v.path), x)" />
      </div>
      <p class="small faded">
        To have it so each time, edit <RouterLink :to="`/sheets/${state.sheet.value?.slug}`">the rule sheet</RouterLink>.
      </p>
    </details>
    <label v-if="branch.length" class="format"
      ><input v-model="withBranch" type="checkbox" /> with what {{ state.sheet.value?.name }} alone needs: {{ branchWords }}</label
    >
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
    <DestinationSays v-if="!whole && wanted.includes(format)" :format="format" :options="said" />
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
summary {
  cursor: pointer;
  min-height: 24px;
  color: var(--hl-ink-faded);
}
.wishes {
  margin: 4px 0 8px;
  max-width: 560px;
}
.wish {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 230px;
  gap: 12px;
  align-items: center;
  min-height: 29px;
  border-bottom: 1px solid var(--hl-rule);
}
.wish i {
  font: italic 12px var(--hl-font-display);
  color: var(--hl-verdigris-text);
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
