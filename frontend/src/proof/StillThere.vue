<script setup lang="ts">
// Is it still what I sent? Digests of what lies at the destination are taken here, where it lies: nothing is sent anywhere.
import { ref } from 'vue';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { compared, contentsOf, type Lying } from './still';

const props = defineProps<{ id: number }>();
const folder = ref<HTMLInputElement>();
const zip = ref<HTMLInputElement>();
const found = ref<Lying[] | null>(null);
const where = ref('');
const trouble = ref('');
const busy = ref(false);
const MARKS: Record<string, [string, string]> = {
  same: ['clear', 'the same'],
  older: ['caution', 'older'],
  changed: ['stop', 'changed there'],
  missing: ['stop', 'missing'],
  foreign: ['note', 'not ours'],
};
async function look(event: Event) {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  if (!files.length) return;
  busy.value = true;
  trouble.value = '';
  found.value = null;
  try {
    where.value = files[0]!.webkitRelativePath.split('/')[0] || files[0]!.name;
    const known = await api.knownFiles(props.id);
    found.value = compared(await contentsOf(files), known);
  } catch (e) {
    trouble.value = (e as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="still">
    <h2>Is it still what I sent?</h2>
    <div class="ask">
      <button class="btn" :disabled="busy" @click="folder?.click()">Point at the folder …</button>
      <button class="btn" :disabled="busy" @click="zip?.click()">Point at a zip or files …</button>
    </div>
    <input ref="folder" type="file" webkitdirectory hidden @change="look" />
    <input ref="zip" type="file" multiple hidden @change="look" />
    <p v-if="busy" class="small faded"><ResultMark result="pending" :size="12" /> comparing …</p>
    <p v-if="trouble" class="stop small" role="alert">{{ trouble }}</p>
    <template v-if="found">
      <p class="small" role="status">
        <b>{{ found.every((f) => f.state === 'same') ? `${where} is what was sent.` : `${where} is not what was sent.` }}</b>
      </p>
      <ul>
        <li v-for="f in found" :key="f.path">
          <ResultMark :result="MARKS[f.state]![0]" :label="MARKS[f.state]![1]" :size="12" />
          <span class="mono">{{ f.path }}</span> {{ MARKS[f.state]![1] }}{{ f.number ? `, of rev ${f.number}` : '' }}
        </li>
      </ul>
    </template>
    <p v-else class="small faded">Each file is compared here in the browser; nothing leaves this machine.</p>
  </div>
</template>

<style scoped>
.still {
  display: grid;
  gap: 6px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
}
.ask {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
li :deep(svg) {
  margin-right: 6px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
  font-size: 13px;
}
</style>
