<script setup lang="ts">
// Rule sheets: index tabs over two pages. Left the values and how grave each finding is, right plain words, versions and the shelf.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { useToast } from 'primevue/usetoast';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from '../api/client';
import { nameTab } from '../app/title';
import ResultMark from '../ui/ResultMark.vue';
import LearnDialog from './LearnDialog.vue';
import SheetValues from './SheetValues.vue';
import SheetWords from './SheetWords.vue';
import type { Row } from './rows';
import type { Tree } from './sheet';
import { useDraft } from './useDraft';

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const toast = useToast();
const { data: all, error, refetch } = useQuery({ queryKey: ['sheets'], queryFn: api.sheets });
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue });
const { data: checks } = useQuery({ queryKey: ['checks'], queryFn: api.checks, staleTime: Infinity });
const slug = computed(() => String(route.params.sheet || all.value?.sheets[0]?.slug || ''));
const { data: page, error: lost } = useQuery({
  queryKey: computed(() => ['sheet', slug.value]),
  queryFn: () => api.sheet(slug.value),
  enabled: computed(() => Boolean(slug.value)),
});
watch(
  () => page.value?.sheet.name,
  (name) => name && nameTab(name, 'Rule sheet'),
  { immediate: true },
);

/** The shipped sheet that it begins from, or the sheet itself. */
const base = computed(() => {
  const from = page.value?.inherits?.slug ?? slug.value;
  return catalogue.value?.sheets.find((s) => s.slug === from) as unknown as Tree | undefined;
});
const draft = useDraft(slug, page, base);
const chosen = ref<Row | null>(null);
watch(slug, () => (chosen.value = null));
const tabs = ref<HTMLElement>();
watch(
  [slug, all, tabs],
  () => void nextTick(() => tabs.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })),
  {
    immediate: true,
  },
);
function taken() {
  draft.forget();
  for (const key of ['sheets', 'sheet', 'catalogue', 'shelf', 'bench']) void queries.invalidateQueries({ queryKey: [key] });
}
const failed = (e: Error) => toast.add({ severity: 'error', summary: e.message, life: 9000 });
const keep = useMutation({
  mutationFn: (note: string) => api.keepSheet(slug.value, page.value!.sheet.version, draft.changes.value, note),
  onSuccess: taken,
  onError: failed,
});
const learning = ref(false);
function learnt(made: string) {
  taken();
  void router.push(`/sheets/${made}`);
}
const naming = ref(false);
const name = ref('');
const why = ref('');
const begin = useMutation({
  mutationFn: () => {
    const said: Tree = { ...draft.changes.value };
    delete said.name;
    delete said.code;
    return api.beginSheet(page.value!.inherits?.slug ?? slug.value, name.value.trim(), said, why.value);
  },
  onSuccess: (made) => {
    naming.value = false;
    taken();
    void router.push(`/sheets/${made.sheet.slug}`);
  },
  onError: failed,
});
const remove = useMutation({
  mutationFn: () => api.removeSheet(slug.value),
  onSuccess: () => {
    const to = page.value?.inherits?.slug;
    taken();
    void router.push(`/sheets/${to ?? ''}`);
  },
  onError: failed,
});
const picker = ref<HTMLInputElement>();
const bring = useMutation({
  mutationFn: async (file: File) => api.bringSheetIn(await file.text()),
  onSuccess: (made) => {
    taken();
    void router.push(`/sheets/${made.sheet.slug}`);
  },
  onError: failed,
});
function picked(event: Event) {
  const input = event.target as HTMLInputElement;
  if (input.files?.[0]) bring.mutate(input.files[0]);
  input.value = '';
}
const newName = (note: string) => {
  why.value = note;
  name.value = page.value?.inherits ? `${page.value.sheet.name} copy` : `${page.value!.sheet.name}, ours`;
  naming.value = true;
};
</script>

<template>
  <div v-if="error || lost" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ (error ?? lost)!.message }}</p>
    <button class="btn" @click="refetch()">Try again</button>
    <RouterLink class="btn" to="/sheets">All rule sheets</RouterLink>
  </div>
  <div v-else-if="!page || !checks || !catalogue" class="empty faded">
    <ResultMark result="pending" :size="22" />
    <p>reading …</p>
  </div>
  <div v-else class="desk">
    <div class="index">
      <nav ref="tabs" class="tabs" aria-label="Rule sheets">
        <RouterLink
          v-for="s in all?.sheets"
          :key="s.slug"
          :to="`/sheets/${s.slug}`"
          :class="{ on: s.slug === slug, own: s.inherits }"
          :aria-current="s.slug === slug ? 'page' : undefined"
          ><span class="code">{{ s.code }}</span
          ><span class="name">{{ s.name }}</span>
          <span class="mono small faded">v{{ s.version }}{{ draft.edits.has(s.slug) ? '*' : '' }}</span>
        </RouterLink>
      </nav>
      <span class="links small">
        <button class="plainly" @click="newName('')">New sheet</button> ·
        <button class="plainly" @click="learning = true">Learn one</button> ·
        <button class="plainly" @click="picker?.click()">Bring one in</button> ·
        <a class="plainly" :href="`/api/sheets/${slug}/file`" :download="`${slug}.json`">Hand this one on</a>
      </span>
      <input ref="picker" type="file" accept=".json,application/json" hidden @change="picked" />
    </div>
    <div class="spread">
      <SheetValues
        v-model:chosen="chosen"
        :page="page"
        :draft="draft"
        :values="all?.values ?? []"
        :checks="checks"
        :catalogue="catalogue"
      />
      <SheetWords
        :page="page"
        :draft="draft"
        :checks="checks"
        :chosen="chosen"
        :busy="keep.isPending.value"
        @keep="keep.mutate"
        @begin="newName"
        @remove="remove.mutate()"
      />
    </div>
    <LearnDialog
      v-model:visible="learning"
      :beside="page.inherits?.slug ?? slug"
      :beside-name="page.inherits?.name ?? page.sheet.name"
      :inherits="page.inherits?.slug ?? slug"
      @begun="learnt"
    />
    <Dialog v-model:visible="naming" modal header="A sheet of your own" dismissable-mask>
      <form class="naming" @submit.prevent="begin.mutate()">
        <label>Name <InputText v-model="name" autofocus maxlength="80" /></label>
        <p class="small faded">
          It begins from {{ page.inherits?.name ?? page.sheet.name }}{{ draft.steps.value.length ? ' with the edits made here' : '' }}: what
          that one changes in a later version of Hand Lens reaches it too, where it says nothing otherwise.
        </p>
        <div class="acts">
          <button type="button" class="btn" @click="naming = false">Not now</button>
          <button class="btn main" :disabled="!name.trim() || begin.isPending.value">Begin it</button>
        </div>
      </form>
    </Dialog>
  </div>
</template>

<style scoped>
.desk {
  height: 100%;
  display: flex;
  flex-direction: column;
  padding: 10px 20px 0;
}
.index {
  display: flex;
  align-items: center;
  gap: 8px;
  flex: none;
}
.tabs {
  display: flex;
  gap: 4px;
  flex: 1;
  min-width: 0;
  overflow-x: auto;
  align-self: flex-end;
}
.tabs a {
  display: flex;
  align-items: center;
  gap: 7px;
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--hl-rule);
  border-bottom: 0;
  border-radius: 5px 5px 0 0;
  background: var(--hl-paper-deep);
  color: var(--hl-ink-soft);
  text-decoration: none;
  white-space: nowrap;
  font-size: 13px;
}
.tabs a.own {
  border-style: dashed;
  border-bottom: 0;
}
.tabs a.on {
  background: var(--hl-sheet);
  border-color: var(--hl-ink);
  border-style: solid;
  color: var(--hl-ink);
  font-weight: 700;
  height: 36px;
}
.tabs a:not(.on) .name {
  max-width: 62px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.code {
  font: 600 11.5px var(--hl-font-figure);
  border: 1px solid var(--hl-ink);
  border-radius: 2px;
  padding: 1px 4px;
  background: var(--hl-sheet);
}
.links {
  white-space: nowrap;
  color: var(--hl-ink-faded);
}
.spread {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  border: 1px solid var(--hl-ink);
  border-bottom: 0;
  background: var(--hl-sheet);
}
.plainly {
  border: 0;
  background: none;
  cursor: pointer;
  font: 12.5px var(--hl-font-text);
  color: var(--hl-ink-faded);
  text-decoration: underline;
  min-height: 24px;
}
.naming {
  display: grid;
  gap: 10px;
  width: 420px;
}
.naming label {
  display: grid;
  gap: 3px;
}
.acts {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
.empty {
  height: 100%;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 10px;
}
@media (max-width: 1100px) {
  .spread {
    grid-template-columns: minmax(0, 1fr);
    overflow: auto;
  }
}
</style>
