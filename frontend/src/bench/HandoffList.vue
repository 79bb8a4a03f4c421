<script setup lang="ts">
// What was written of this model last, as a packing list; what a destination answered; and reports to send along.
import { useQuery } from '@tanstack/vue-query';
import { computed } from 'vue';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { bytes } from '../ui/bytes';
import DestinationSays from './DestinationSays.vue';
import { useBench } from './useBench';

const state = useBench('reading', 'choices');
const revision = computed(() => state.bench.value!.revision.id);
const { data } = useQuery({
  queryKey: computed(() => ['handoff', revision.value, state.bench.value?.version, state.bench.value?.last_export]),
  queryFn: () => api.handoff(revision.value),
});
const format = computed(() => state.sheet.value?.format ?? 'glb');
const lost = computed(() => state.bench.value?.reading?.lost[format.value] ?? []);
const last = computed(() => data.value?.sent[0]);
const MARKS: Record<string, [string, string]> = {
  same: ['clear', 'the same bytes as came'],
  changed: ['caution', 'changed'],
  new: ['note', 'new'],
  'left-behind': ['nothing', 'left behind'],
};
const REPORTS = [
  ['html', 'page'],
  ['pdf', 'PDF'],
  ['csv', 'table'],
  ['sarif', 'SARIF'],
  ['xml', 'JUnit'],
];
const name = (slug: string) => state.catalogue.value?.sheets.find((s) => s.slug === slug)?.name ?? slug;
</script>

<template>
  <div class="handoff">
    <p v-if="!lost.length" class="small">Written as {{ format.toUpperCase() }} for {{ state.sheet.value?.name }} it loses nothing.</p>
    <div v-else class="small">
      Written as {{ format.toUpperCase() }} for {{ state.sheet.value?.name }}, this is lost or written otherwise:
      <ul>
        <li v-for="l in lost.slice(0, 4)" :key="l">{{ l }}</li>
        <li v-if="lost.length > 4" class="faded">and {{ lost.length - 4 }} more, told before it is written</li>
      </ul>
    </div>
    <DestinationSays :format="format" />
    <p v-if="!last" class="small"><b>Export</b> below writes the files, opens them afresh and compares them row by row.</p>
    <template v-else>
      <h3>
        Sent last: {{ last.format.toUpperCase() }} of rev {{ last.number }}
        <RouterLink class="btn" :to="`/proof/${last.export}`">{{ last.proved ? 'Proved' : 'Not proved' }}</RouterLink>
      </h3>
      <p class="small">
        <template v-if="last.changed.length"
          ><ResultMark result="caution" :size="12" /> Not what would be written now: {{ last.changed.join(', ') }}.</template
        ><template v-else><ResultMark result="clear" :size="12" /> The model has not changed since. </template>
        <template v-if="last.answered">
          <ResultMark :result="last.accepted ? 'clear' : 'stop'" :size="12" />
          {{ last.accepted ? 'Accepted' : 'Refused' }} by the stand-in of {{ name(last.answered) }}.
        </template>
        <template v-else> Not sent to a destination yet.</template>
      </p>
      <table>
        <tbody>
          <tr v-for="f in last.files" :key="f.path" :class="f.state">
            <td class="mono">{{ f.path }}</td>
            <td><ResultMark :result="MARKS[f.state]![0]" :label="MARKS[f.state]![1]" :size="12" /> {{ MARKS[f.state]![1] }}</td>
            <td class="mono r">{{ bytes(f.bytes) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <p class="small">
      Report to hand on:
      <a v-for="[ending, word] in REPORTS" :key="ending" class="btn" :href="`/api/revisions/${revision}/report.${ending}`" download>{{
        word
      }}</a>
    </p>
  </div>
</template>

<style scoped>
.handoff {
  display: grid;
  gap: 5px;
}
h3 {
  font: 600 15px var(--hl-font-display);
  display: flex;
  align-items: center;
  gap: 8px;
}
p :deep(svg) {
  margin-left: 6px;
}
p .btn {
  margin-left: 4px;
}
ul {
  margin: 2px 0;
  padding-left: 18px;
}
table {
  border-collapse: collapse;
  font-size: 12.5px;
}
td {
  border-bottom: 1px solid var(--hl-rule);
  padding: 2px 10px 2px 0;
}
.r {
  text-align: right;
}
.left-behind td {
  color: var(--hl-ink-faded);
}
</style>
