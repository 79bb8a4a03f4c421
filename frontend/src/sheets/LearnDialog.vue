<script setup lang="ts">
// A sheet from examples: which models were accepted and which refused, and what that implies, line by line.
import { useMutation, useQuery } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, reactive, ref, watch } from 'vue';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import type { Tree } from './sheet';

const props = defineProps<{ beside: string; besideName: string; inherits: string }>();
const visible = defineModel<boolean>('visible', { required: true });
const emit = defineEmits<{ begun: [slug: string] }>();
const { data: shelf } = useQuery({ queryKey: ['shelf', 'examples'], queryFn: () => api.shelf(), enabled: visible });
const models = computed(() => (shelf.value?.models ?? []).filter((m) => m.state === 'done'));
/** The small picture of a model that set a value. */
const portrait = (m: { revision: number; thumbnail: number | null } | undefined) =>
  m?.thumbnail ? `/api/revisions/${m.revision}/thumbnail?drawn=${m.thumbnail}` : '';
const named = (name: string) => models.value.find((m) => m.name === name);
/** Of each model: accepted, refused, or not an example. */
const said = reactive(new Map<number, 'fit' | 'unfit'>());
const of = (kind: 'fit' | 'unfit') => [...said].filter(([, k]) => k === kind).map(([id]) => id);
const learn = useMutation({ mutationFn: () => api.learnSheet(of('fit'), of('unfit'), props.beside) });
const taken = ref(new Set<string>());
watch(
  () => learn.data.value,
  (lesson) => (taken.value = new Set(lesson?.lines.filter((l) => l.sure !== 'guess').map((l) => l.path) ?? [])),
);
watch(visible, (open) => {
  if (!open) return;
  said.clear();
  learn.reset();
  begin.reset();
});
const name = ref('Learnt sheet');
const changes = computed(() => {
  const out: Tree = {};
  for (const line of learn.data.value?.lines ?? []) if (taken.value.has(line.path)) merge(out, line.changes as Tree);
  return out;
});
function merge(into: Tree, more: Tree) {
  for (const [key, value] of Object.entries(more))
    if (value && typeof value === 'object' && !Array.isArray(value)) merge((into[key] ??= {}) as Tree, value as Tree);
    else into[key] = value;
}
const begin = useMutation({
  mutationFn: () => api.beginSheet(props.inherits, name.value.trim(), changes.value, 'Learnt from examples'),
  onSuccess: (made) => {
    visible.value = false;
    emit('begun', made.sheet.slug);
  },
});
const turn = (id: number, kind: 'fit' | 'unfit') => (said.get(id) === kind ? said.delete(id) : said.set(id, kind));
const trouble = computed(() => learn.error.value ?? begin.error.value);
</script>

<template>
  <Dialog
    v-model:visible="visible"
    modal
    :header="`A sheet from examples, laid beside ${besideName}`"
    dismissable-mask
    :style="{ width: 'min(940px, 94vw)', maxWidth: 'none' }"
  >
    <div v-if="!learn.data.value" class="choose">
      <p class="small faded">Say which models the destination accepted, and which it refused. The rest is not asked.</p>
      <p v-if="!models.length" class="faded">No model on the shelf has been read yet.</p>
      <table>
        <tbody>
          <tr v-for="m in models" :key="m.id">
            <td>
              <img v-if="m.thumbnail" :src="portrait(m)" alt="" width="46" height="37" />
            </td>
            <td>{{ m.name }}</td>
            <td>
              <button
                class="btn"
                :aria-pressed="said.get(m.id) === 'fit'"
                :aria-label="`${m.name} was accepted`"
                @click="turn(m.id, 'fit')"
              >
                <ResultMark result="clear" :size="12" /> accepted
              </button>
              <button
                class="btn"
                :aria-pressed="said.get(m.id) === 'unfit'"
                :aria-label="`${m.name} was refused`"
                @click="turn(m.id, 'unfit')"
              >
                <ResultMark result="stop" :size="12" /> refused
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-else class="lesson">
      <p v-if="!learn.data.value.lines.length">The examples say nothing otherwise than {{ besideName }}.</p>
      <table v-else>
        <thead>
          <tr>
            <th><span class="sr">Take it</span></th>
            <th>Value</th>
            <th>{{ besideName }}</th>
            <th>Learnt</th>
            <th>Evidence</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in learn.data.value.lines" :key="l.path">
            <td>
              <input
                type="checkbox"
                :checked="taken.has(l.path)"
                :aria-label="`Take ${l.title}`"
                @change="taken.has(l.path) ? taken.delete(l.path) : taken.add(l.path)"
              />
            </td>
            <td>{{ l.title }}</td>
            <td class="mono small">{{ l.before || '–' }}</td>
            <td class="mono small">
              <b>{{ l.after || '–' }}</b>
            </td>
            <td class="small">
              <template v-for="n in l.models" :key="n"
                ><img v-if="portrait(named(n))" :src="portrait(named(n))" :alt="n" width="40" height="32"
              /></template>
              {{ l.says }} <i class="faded">{{ l.sure_words }}</i>
            </td>
          </tr>
        </tbody>
      </table>
      <details v-if="learn.data.value.untold.length" class="small">
        <summary>{{ learn.data.value.untold.length }} things that the examples do not tell</summary>
        <ul>
          <li v-for="u in learn.data.value.untold" :key="u">{{ u }}</li>
        </ul>
      </details>
      <label>Name <InputText v-model="name" size="small" maxlength="80" /></label>
    </div>
    <p v-if="trouble" class="stop" role="alert">{{ trouble.message }}</p>
    <template #footer
      ><button class="btn" @click="learn.data.value ? learn.reset() : (visible = false)">
        {{ learn.data.value ? 'Other examples' : 'Not now' }}</button
      ><button v-if="!learn.data.value" class="btn main" :disabled="!of('fit').length || learn.isPending.value" @click="learn.mutate()">
        {{ learn.isPending.value ? 'Learning …' : `Learn from ${of('fit').length} accepted and ${of('unfit').length} refused` }}</button
      ><button v-else class="btn main" :disabled="!taken.size || !name.trim() || begin.isPending.value" @click="begin.mutate()">
        Begin a sheet with {{ taken.size }} {{ taken.size === 1 ? 'line' : 'lines' }}
      </button></template
    >
  </Dialog>
</template>

<style scoped>
.choose,
.lesson {
  max-height: 60vh;
  overflow: auto;
  display: grid;
  gap: 8px;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
}
th {
  text-align: left;
  font-weight: 400;
  font-size: 12px;
  color: var(--hl-ink-faded);
}
td {
  border-bottom: 1px solid var(--hl-rule);
  padding: 3px 8px 3px 0;
  vertical-align: top;
}
td:first-child {
  width: 54px;
}
.lesson td:first-child {
  width: 28px;
}
td img {
  vertical-align: middle;
  margin-right: 4px;
}
td .btn + .btn {
  margin-left: 6px;
}
input[type='checkbox'] {
  accent-color: var(--hl-verdigris);
  width: 16px;
  height: 16px;
}
</style>
