<script setup lang="ts">
// The destination's answer to an export, as a torn slip: what it refuses leads to the finding that says the same.
import { useMutation, useQuery } from '@tanstack/vue-query';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { api, type Export } from '../api/client';
import { jobs } from '../api/jobs';
import ResultMark from '../ui/ResultMark.vue';

const props = defineProps<{ made: Export }>();
const emit = defineEmits<{ changed: [] }>();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue });
const sheet = ref(props.made.sheet);
const variant = ref('current');
const VARIANTS = [
  { value: 'current', words: 'as it is now' },
  { value: 'older', words: 'an older one, which knows less' },
  { value: 'stricter', words: 'a stricter one, with half the room' },
];
const last = computed(() => props.made.sendings[0]);
watch(
  last,
  (s) => {
    if (s) [sheet.value, variant.value] = [s.sheet, s.variant];
  },
  { immediate: true },
);
const under = computed(() => last.value && ['waiting', 'running'].includes(last.value.state));
const job = computed(() => jobs.jobs.find((j) => j.subject.sending === last.value?.id));
const send = useMutation({
  mutationFn: () => api.send(props.made.id, sheet.value, variant.value),
  onSettled: () => emit('changed'),
});
const nameOf = (slug: string) => catalogue.value?.sheets.find((s) => s.slug === slug)?.name ?? slug;
const MARKS: Record<string, [string, string]> = {
  refused: ['stop', 'refused'],
  otherwise: ['caution', 'drawn otherwise'],
  'left-out': ['note', 'left out'],
  taken: ['clear', 'taken'],
};
const ORDER = ['refused', 'otherwise', 'left-out', 'taken'];
const lines = computed(() => [...(last.value?.answer?.lines ?? [])].sort((a, b) => ORDER.indexOf(a.result) - ORDER.indexOf(b.result)));
const verdict = computed(() => {
  const a = last.value?.answer;
  return !a ? '' : a.accepted ? 'Accepted' : a.accepted === null ? 'Not opened' : 'Refused';
});
const finding = (check: string) => `/bench/${props.made.revision}?check=${encodeURIComponent(check)}`;
</script>

<template>
  <div class="gate">
    <h2>The destination's answer</h2>
    <div v-if="last?.answer && !under" class="answer">
      <img v-if="last.picture" :src="`/api/sendings/${last.id}/picture`" alt="The model as it was received" width="150" height="150" />
      <div>
        <b class="verdict" :class="last.answer.accepted ? 'clear' : last.answer.accepted === null ? 'note' : 'stop'" role="status">{{
          verdict
        }}</b>
        <p class="small faded">
          by {{ last.answer.destination }} of {{ nameOf(last.sheet) }}, {{ VARIANTS.find((v) => v.value === last!.variant)?.words }}
        </p>
      </div>
    </div>
    <ul v-if="!under && lines.length">
      <li v-for="l in lines" :key="l.says">
        <ResultMark :result="MARKS[l.result]![0]" :label="MARKS[l.result]![1]" :size="12" />
        <RouterLink v-if="l.check && l.result !== 'taken'" :to="finding(l.check)">{{ l.says }}</RouterLink><template v-else>{{
          l.says
        }}</template>
      </li>
    </ul>
    <p v-if="under" class="small" role="status">
      <ResultMark result="pending" :size="14" /> {{ job?.phase ?? 'waiting' }} …
      <progress :value="job?.share ?? 0" />
      <button v-if="job" class="btn" @click="api.stopJob(job.id).then(() => emit('changed'))">Stop</button>
    </p>
    <p v-else-if="last?.error" class="stop small" role="alert">{{ last.error }}</p>
    <p v-if="send.error.value" class="stop small" role="alert">{{ send.error.value.message }}</p>
    <div v-if="!under" class="ask">
      <Select
        v-model="sheet"
        :options="catalogue?.sheets ?? []"
        option-label="name"
        option-value="slug"
        size="small"
        aria-label="Whose destination"
      />
      <Select v-model="variant" :options="VARIANTS" option-label="words" option-value="value" size="small" aria-label="Which kind of it" />
      <button class="btn" :disabled="send.isPending.value" @click="send.mutate()">{{ last ? 'Send it again' : 'Send it' }}</button>
    </div>
    <p class="small faded">A stand-in on this machine takes it and answers; it reads the files by itself, by rules of its own.</p>
  </div>
</template>

<style scoped>
.gate {
  display: grid;
  gap: 6px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
}
.answer {
  display: flex;
  gap: 12px;
  align-items: center;
}
img {
  border: 1px solid var(--hl-rule);
  background: var(--hl-paper);
}
.verdict {
  font: 600 22px/1.1 var(--hl-font-display);
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
  font-size: 13px;
}
li {
  padding: 2px 0;
}
li :deep(svg) {
  margin-right: 6px;
}
li a {
  color: var(--hl-ink);
}
.ask {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
.ask :deep(.p-select) {
  flex: 1 1 150px;
  min-width: 0;
}
progress {
  width: 120px;
  accent-color: var(--hl-verdigris);
}
</style>
