<script setup lang="ts">
// Same trouble, several models: one cause, the models that it is in, mended together.
import { useQuery } from '@tanstack/vue-query';
import { computed, ref } from 'vue';
import { api, type Trouble } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { many } from './batch';

const props = defineProps<{ batch: number; busy: boolean; poll: number | false }>();
defineEmits<{ mend: [check: string, mend: string, title: string] }>();
const { data: checks } = useQuery({ queryKey: ['checks'], queryFn: api.checks, staleTime: Infinity });
const { data } = useQuery({
  queryKey: computed(() => ['batch', props.batch, 'troubles']),
  queryFn: () => api.troublesOf(props.batch),
  refetchInterval: () => props.poll,
});
const FEW = 3;
const all = ref(false);
const shown = computed(() => (all.value ? data.value?.troubles : data.value?.troubles.slice(0, FEW)) ?? []);
const title = (t: Trouble) => checks.value?.find((c) => c.id === t.check)?.title ?? t.check;
const names = (t: Trouble) => t.names.join(', ') + (t.models > t.names.length ? ` and ${t.models - t.names.length} more` : '');
const best = (t: Trouble) => t.mends.slice(0, 2);
</script>

<template>
  <section v-if="data?.troubles.length" aria-label="Same trouble, several models">
    <h2>
      Same trouble, several models
      <button v-if="data.troubles.length > FEW" class="btn plain" @click="all = !all">
        {{ all ? 'show fewer' : `show all ${data.troubles.length}` }}
      </button>
    </h2>
    <ul>
      <li v-for="t in shown" :key="t.check" :class="t.result">
        <h3>
          <ResultMark :result="t.result" /> <span>{{ title(t) }}</span> <em>{{ many(t.models, 'model') }}</em>
        </h3>
        <p class="small" :title="names(t)">{{ names(t) }}.</p>
        <div class="acts">
          <button
            v-for="(m, k) in best(t)"
            :key="m.mend"
            class="btn"
            :class="{ main: !k && m.safe }"
            :disabled="busy"
            :title="`Played on copies of the ${many(m.models, 'model')} that it is offered for; nothing is changed yet`"
            @click="$emit('mend', t.check, m.mend, m.title)"
          >
            Try “{{ m.title }}” on {{ m.models === t.models && t.models > 1 ? `all ${m.models}` : m.models }}
          </button>
          <span v-if="!t.mends.length" class="faded small">Nothing mends it by itself.</span>
        </div>
      </li>
    </ul>
  </section>
</template>

<style scoped>
h2 {
  font: 600 15px var(--hl-font-display);
  display: flex;
  align-items: baseline;
  gap: 12px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(340px, 1fr));
  gap: 10px;
}
li {
  border: 1px solid var(--hl-rule);
  border-left: 4px solid var(--hl-caution-mark);
  background: #fdf8ea;
  padding: 5px 10px 7px;
  min-width: 0;
}
li.stop {
  border-left-color: var(--hl-stop-mark);
  background: #fdf6f3;
  color: inherit;
}
h3 {
  display: flex;
  gap: 6px;
  align-items: center;
  font: 700 13.5px var(--hl-font-text);
  color: var(--hl-ink);
}
h3 span {
  flex: 1;
}
h3 em {
  font: italic 400 13px var(--hl-font-display);
  color: var(--hl-ink-faded);
}
p {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  color: var(--hl-ink-soft);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 4px;
}
.acts .btn {
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
