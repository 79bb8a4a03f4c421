<script setup lang="ts">
// What can be done with the models that are chosen on the Shelf.
import { useQuery } from '@tanstack/vue-query';
import Popover from 'primevue/popover';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import { api } from '../api/client';
import { many } from '../batches/batch';
import { useMany } from './useMany';

const props = defineProps<{ chosen: number[]; found: number; tags: string[]; off: boolean }>();
const emit = defineEmits<{ none: []; all: [] }>();
const { act, busy } = useMany(() => emit('none'));
const router = useRouter();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const tagOver = ref<InstanceType<typeof Popover>>();
const batchOver = ref<InstanceType<typeof Popover>>();
const tag = ref('');
const name = ref('');
const sheet = ref('realtime-engine');
/** Whether the Benches of these models judge by the batch's sheet from then on. */
const benchToo = ref(true);
const trouble = ref('');
/** What is opened on the board once it is there: the recipes, the export, or nothing. */
const then = ref('');
const TITLES: Record<string, string> = { '': 'Judge', recipe: 'Judge, then choose a recipe for', export: 'Judge, then export' };
function ask(e: Event, what: string) {
  then.value = what;
  batchOver.value?.toggle(e);
}
async function begin() {
  trouble.value = '';
  try {
    const made = await api.beginBatch({ name: name.value, sheet: sheet.value, models: props.chosen, bench_too: benchToo.value });
    await router.push({ path: `/batches/${made.id}`, query: then.value ? { open: then.value } : {} });
  } catch (e) {
    trouble.value = (e as Error).message;
  }
}
function judgeBy(e: Event) {
  const box = e.target as HTMLSelectElement;
  if (box.value) void act(props.chosen, 'judge-by', box.value);
  box.value = '';
}
function tagAll(which: string, how: 'tag' | 'untag') {
  tagOver.value?.hide();
  tag.value = '';
  void act(props.chosen, how, which);
}
</script>

<template>
  <div class="many" role="toolbar" aria-label="With the chosen models">
    <b>{{ many(chosen.length, 'model') }} chosen</b>
    <button v-if="chosen.length < found" class="btn plain" @click="$emit('all')">Choose all {{ found.toLocaleString('en') }}</button>
    <button class="btn plain" @click="$emit('none')">Choose none</button>
    <span class="grow" />
    <template v-if="off">
      <button class="btn main" :disabled="busy" @click="act(chosen, 'bring-back')">Bring back</button>
    </template>
    <template v-else>
      <label class="small"
        >Judge by
        <select :disabled="busy" @change="judgeBy">
          <option value="">…</option>
          <option v-for="s in catalogue?.sheets ?? []" :key="s.slug" :value="s.slug">{{ s.code }} {{ s.name }}</option>
        </select></label
      >
      <button class="btn" :disabled="busy" aria-haspopup="dialog" @click="tagOver?.toggle($event)">Tag …</button>
      <button class="btn" :disabled="busy" @click="act(chosen, 'take-off')">Take off</button>
      <button class="btn" :disabled="busy" aria-haspopup="dialog" @click="ask($event, 'recipe')">Try a recipe …</button>
      <button class="btn" :disabled="busy" aria-haspopup="dialog" @click="ask($event, 'export')">Export …</button>
      <button class="btn main" :disabled="busy" aria-haspopup="dialog" @click="ask($event, '')">Batch of these …</button>
    </template>
    <Popover ref="tagOver" aria-label="Tags">
      <form class="over" @submit.prevent="tag.trim() && tagAll(tag.trim(), 'tag')">
        <label for="tag">Tag the {{ many(chosen.length, 'model') }}</label>
        <div class="line">
          <input id="tag" v-model="tag" maxlength="60" list="tags" autofocus autocomplete="off" />
          <datalist id="tags"><option v-for="t in tags" :key="t" :value="t" /></datalist>
          <button class="btn main" :disabled="!tag.trim()">Tag them</button>
        </div>
        <div v-if="tags.length" class="small faded">
          Take a tag away:
          <button v-for="t in tags" :key="t" type="button" class="btn plain" @click="tagAll(t, 'untag')">{{ t }}</button>
        </div>
      </form>
    </Popover>
    <Popover ref="batchOver" aria-label="New batch">
      <form class="over" @submit.prevent="begin">
        <label for="batch-name">What the batch is called</label>
        <input id="batch-name" v-model="name" maxlength="120" :placeholder="many(chosen.length, 'model')" autofocus autocomplete="off" />
        <label for="batch-sheet">Judged by</label>
        <select id="batch-sheet" v-model="sheet">
          <option v-for="s in catalogue?.sheets ?? []" :key="s.slug" :value="s.slug">{{ s.code }} {{ s.name }}</option>
        </select>
        <label class="small"><input v-model="benchToo" type="checkbox" /> Their Benches judge by it too, from now on</label>
        <p class="small faded">
          On the board a recipe, or the way to Fit, is tried on all of them, and all are written for the destination.
        </p>
        <p v-if="trouble" class="stop small" role="alert">{{ trouble }}</p>
        <button class="btn main">{{ TITLES[then] }} {{ many(chosen.length, 'model') }}</button>
      </form>
    </Popover>
  </div>
</template>

<style scoped>
.many {
  position: sticky;
  top: -12px;
  z-index: 5;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-top: 8px;
  padding: 6px 10px;
  background: var(--hl-verdigris-wash);
  border: 1px solid var(--hl-verdigris);
  border-radius: 3px;
}
.over {
  display: grid;
  gap: 6px;
  width: 320px;
  font-size: 13px;
  justify-items: start;
}
.over input:not([type='checkbox']) {
  min-height: 26px;
  width: 100%;
}
.line {
  display: flex;
  gap: 8px;
  width: 100%;
}
</style>
