<script setup lang="ts">
// What a row of a sheet means in plain words, where its value comes from, and what a pattern of names meets.
import { useQuery } from '@tanstack/vue-query';
import InputText from 'primevue/inputtext';
import { computed } from 'vue';
import { api, type CheckFacts } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import type { Row } from './rows';
import type { Tree } from './sheet';
import type { Draft } from './useDraft';

const props = defineProps<{ row: Row; draft: Draft; known: Map<string, CheckFacts> }>();
const path = computed(() => props.row.value?.path ?? '');
const sources = computed(() => (props.draft.at('sources') ?? {}) as Tree);
const source = computed(() => String(sources.value[path.value] ?? ''));
function say(text: string) {
  const all = { ...sources.value };
  if (text.trim()) all[path.value] = text.trim();
  else delete all[path.value];
  props.draft.edit('sources', all);
}
/** Patterns are tried on the names of the model that was last on the Bench. */
const bench = computed(() => Number(/\/bench\/(\d+)/.exec(localStorage.getItem('last-bench') ?? '')?.[1] ?? 0));
const pattern = computed(() => (['names.allowed', 'names.materials'].includes(path.value) ? String(props.draft.at(path.value) ?? '') : ''));
const { data: met, error: badPattern } = useQuery({
  queryKey: computed(() => ['names met', bench.value, path.value, pattern.value]),
  queryFn: () => api.namesMet(bench.value, path.value === 'names.materials' ? 'materials' : 'all', pattern.value),
  enabled: computed(() => Boolean(pattern.value && bench.value)),
  retry: false,
});
</script>

<template>
  <section>
    <p class="faded small">In plain words</p>
    <h2>{{ row.value?.field.title ?? row.check!.title }}</h2>
    <p v-if="row.value?.field.help">{{ row.value.field.help }}</p>
    <template v-for="id in row.value?.checks ?? [row.check!.id]" :key="id">
      <p v-if="known.get(id)">
        {{ known.get(id)!.does }} <span class="faded">{{ known.get(id)!.why }}</span>
      </p>
      <p v-if="known.get(id)" class="small faded">Measured: {{ known.get(id)!.measured }}</p>
    </template>
    <label v-if="row.value" class="source small"
      >Where this value comes from
      <InputText
        :model-value="source"
        size="small"
        placeholder="common practice, no published source"
        @change="say(($event.target as HTMLInputElement).value)"
      />
    </label>
    <p v-if="badPattern" class="stop small" role="alert">{{ badPattern.message }}</p>
    <p v-else-if="pattern && met" class="small">
      <ResultMark :result="met.missed.length ? 'caution' : 'clear'" :size="12" />
      On the model last on the Bench {{ met.names - met.missed.length }} of {{ met.names }} names meet it<template v-if="met.missed.length"
        >; not: <span class="mono">{{ met.missed.slice(0, 6).join(', ') }}</span>{{ met.missed.length > 6 ? ' …' : '' }}</template
      >.
    </p>
  </section>
</template>

<style scoped>
section > * + * {
  margin-top: 5px;
}
h2 {
  font: 600 16px/1.3 var(--hl-font-display);
}
p {
  font-size: 13.5px;
}
p.small {
  font-size: 12.5px;
}
.source {
  display: grid;
  gap: 2px;
}
</style>
