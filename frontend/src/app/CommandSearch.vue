<script setup lang="ts">
import Dialog from 'primevue/dialog';
import { computed, nextTick, ref, watch } from 'vue';
import { keepPreviousData, useQuery } from '@tanstack/vue-query';
import { useRouter } from 'vue-router';
import { api } from '../api/client';
import { commands, matching, searching, type Command } from './commands';

const visible = defineModel<boolean>('visible', { required: true });
const typed = ref('');
const at = ref(0);
/** What the Shelf is searched for, once the typing rests: it holds more models than one page tells of. */
const sought = ref('');
let resting = 0;
watch(typed, (text) => {
  window.clearTimeout(resting);
  resting = window.setTimeout(() => (sought.value = text.trim().split(/\s+/)[0] ?? ''), 150);
});
const router = useRouter();
const { data: shelf } = useQuery({
  queryKey: computed(() => ['shelf', 'found', sought.value]),
  queryFn: () => api.shelf({ search: sought.value }),
  enabled: visible,
  placeholderData: keepPreviousData,
});
const models = computed<Command[]>(() =>
  (shelf.value?.models ?? []).map((m) => ({
    group: 'Model',
    name: m.name,
    hint: m.main,
    run: () => void router.push(`/bench/${m.revision}`),
  })),
);
const found = computed(() => matching([...commands.value, ...models.value], typed.value));
watch(
  visible,
  (open) => {
    searching.value = open;
    typed.value = '';
    at.value = 0;
  },
  { immediate: true },
);
watch(typed, () => (at.value = 0));
watch(at, async () => {
  await nextTick();
  document.getElementById(`command-${at.value}`)?.scrollIntoView({ block: 'nearest' });
});
function run(c: Command | undefined) {
  if (!c) return;
  visible.value = false;
  // After the dialog has given the focus back, so that what the command opens keeps it.
  setTimeout(c.run, 0);
}
function key(e: KeyboardEvent) {
  if (e.key === 'ArrowDown') at.value = Math.min(found.value.length - 1, at.value + 1);
  else if (e.key === 'ArrowUp') at.value = Math.max(0, at.value - 1);
  else if (e.key === 'Enter') run(found.value[at.value]);
  else return;
  e.preventDefault();
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Find" dismissable-mask position="top" :style="{ width: '560px' }">
    <input
      v-model="typed"
      autofocus
      class="find"
      role="combobox"
      aria-expanded="true"
      aria-controls="found"
      aria-autocomplete="list"
      :aria-activedescendant="found.length ? `command-${at}` : undefined"
      placeholder="A model, look, station, finding, part, lens or mend"
      aria-label="Find a model, station, finding, part, lens or mend"
      autocomplete="off"
      @keydown="key"
    />
    <ul id="found" role="listbox" aria-label="Found">
      <li
        v-for="(c, k) in found"
        :id="`command-${k}`"
        :key="`${c.group}/${c.name}/${k}`"
        role="option"
        :aria-selected="k === at"
        @click="run(c)"
        @pointermove="at = k"
      >
        <span class="faded small">{{ c.group }}</span><b>{{ c.name }}</b
        ><span v-if="c.hint" class="faded small">{{ c.hint }}</span>
      </li>
    </ul>
    <p v-if="!found.length" class="faded">Nothing here goes by that.</p>
  </Dialog>
</template>

<style scoped>
.find {
  width: 100%;
  height: 32px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  padding: 0 8px;
  background: var(--hl-sheet);
}
.find::placeholder {
  color: var(--hl-ink-faded);
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 46vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 84px 1fr auto;
  gap: 8px;
  align-items: baseline;
  padding: 4px 6px;
  min-height: 26px;
  cursor: pointer;
}
li[aria-selected='true'] {
  background: var(--hl-verdigris-wash);
}
li b {
  font-weight: 400;
  overflow-wrap: anywhere;
}
</style>
