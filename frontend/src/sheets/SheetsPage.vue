<script setup lang="ts">
// Rule sheets: index tabs over two pages. Left the values and how grave each finding is, right plain words, versions and the shelf.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { useToast } from 'primevue/usetoast';
import { computed, nextTick, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type CheckFacts, type SheetValue } from '../api/client';
import { nameTab } from '../app/title';
import ResultMark from '../ui/ResultMark.vue';
import SureButton from '../ui/SureButton.vue';
import LearnDialog from './LearnDialog.vue';
import ResultPicker from './ResultPicker.vue';
import ValueInput from './ValueInput.vue';
import { patchBetween, valueAt, withValue, type Tree } from './sheet';

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

/** Edits of each sheet, step by step, until they are kept or undone; turning to another tab loses none. */
const edits = reactive(new Map<string, Tree[]>());
const steps = computed(() => edits.get(slug.value) ?? []);
const stored = computed(() => page.value?.sheet as unknown as Tree | undefined);
const draft = computed(() => steps.value.at(-1) ?? stored.value);
/** What the sheet says otherwise than the shipped one that it begins from, as edited. */
const base = computed(() => {
  const from = page.value?.inherits?.slug ?? slug.value;
  return catalogue.value?.sheets.find((s) => s.slug === from) as unknown as Tree | undefined;
});
const OWN = ['slug', 'version'];
const changes = computed(() => {
  if (!base.value || !draft.value) return {};
  const patch = patchBetween(base.value, draft.value);
  for (const key of OWN) delete patch[key];
  return patch;
});
function edit(path: string, value: unknown) {
  if (!draft.value) return;
  if (JSON.stringify(valueAt(draft.value, path)) === JSON.stringify(value ?? null)) return;
  edits.set(slug.value, [...steps.value, withValue(draft.value, path, value)]);
  effect.reset();
}
function undo() {
  if (steps.value.length > 1) edits.set(slug.value, steps.value.slice(0, -1));
  else edits.delete(slug.value);
  effect.reset();
}
const edited = (path: string) =>
  stored.value && draft.value && JSON.stringify(valueAt(draft.value, path)) !== JSON.stringify(valueAt(stored.value, path));
const differs = (path: string) =>
  base.value &&
  draft.value &&
  valueAt(draft.value, path) !== null &&
  JSON.stringify(valueAt(draft.value, path)) !== JSON.stringify(valueAt(base.value, path));

/** Rows by station: first the values, each with the check that is held to it, then checks that ask for no value. */
interface Row {
  key: string;
  value?: SheetValue;
  check?: CheckFacts;
}
const SHEET = 'The sheet';
const sections = computed(() => {
  const values = all.value?.values ?? [];
  const known = new Map((checks.value ?? []).map((c) => [c.id, c]));
  const out = new Map<string, { rows: Row[]; rest: Row[] }>([[SHEET, { rows: [], rest: [] }]]);
  for (const s of catalogue.value?.stations ?? []) out.set(s.name, { rows: [], rest: [] });
  const placed = new Set<string>();
  for (const value of values) {
    const held = value.checks.map((id) => known.get(id)).filter((c) => c !== undefined);
    const check = held[0];
    const group = check?.station ?? (value.group === 'Limits' || value.group === 'Names' ? SHEET : value.group);
    if (!out.has(group)) out.set(group, { rows: [], rest: [] });
    const first = check !== undefined && !placed.has(check.id);
    if (check) placed.add(check.id);
    if (!OWN.includes(value.path)) out.get(group)!.rows.push({ key: value.path, value, check: first ? check : undefined });
  }
  for (const check of checks.value ?? []) if (!placed.has(check.id)) out.get(check.station)?.rest.push({ key: check.id, check });
  return [...out].filter(([, s]) => s.rows.length || s.rest.length);
});
const opened = ref(new Set<string>());
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
const known = computed(() => new Map((checks.value ?? []).map((c) => [c.id, c])));
const result = (check: CheckFacts) => String((draft.value && valueAt(draft.value, `results.${check.id}`)) ?? standard(check));
/** What a check gives where no sheet says otherwise: told by a shipped sheet that says nothing of it. */
const standard = (check: CheckFacts) => {
  const quiet = catalogue.value?.sheets.find((s) => !(check.id in (s.results as Tree)) && check.results[s.slug]);
  return quiet ? check.results[quiet.slug]! : (check.results[page.value?.inherits?.slug ?? slug.value] ?? 'caution');
};
const source = computed(() => {
  const path = chosen.value?.value?.path;
  return path ? String((draft.value && (valueAt(draft.value, 'sources') as Tree | null)?.[path]) ?? '') : '';
});
function say(text: string) {
  const path = chosen.value!.value!.path;
  const all = { ...((draft.value && (valueAt(draft.value, 'sources') as Tree)) ?? {}) };
  if (text.trim()) all[path] = text.trim();
  else delete all[path];
  edit('sources', all);
}

/** Patterns are tried on the names of the model that was last on the Bench. */
const bench = computed(() => Number(/\/bench\/(\d+)/.exec(localStorage.getItem('last-bench') ?? '')?.[1] ?? 0));
const pattern = computed(() => {
  const path = chosen.value?.value?.path;
  return path === 'names.allowed' || path === 'names.materials' ? String((draft.value && valueAt(draft.value, path)) ?? '') : '';
});
const { data: met, error: badPattern } = useQuery({
  queryKey: computed(() => ['names met', bench.value, chosen.value?.value?.path, pattern.value]),
  queryFn: () => api.namesMet(bench.value, chosen.value?.value?.path === 'names.materials' ? 'materials' : 'all', pattern.value),
  enabled: computed(() => Boolean(pattern.value && bench.value)),
  retry: false,
});

const effect = useMutation({
  mutationFn: () => api.trySheet(slug.value, changes.value),
  onError: (e) => toast.add({ severity: 'error', summary: e.message, life: 9000 }),
});
const note = ref('');
function taken() {
  edits.delete(slug.value);
  note.value = '';
  effect.reset();
  for (const key of ['sheets', 'sheet', 'catalogue', 'shelf', 'bench']) void queries.invalidateQueries({ queryKey: [key] });
}
const failed = (e: Error) => toast.add({ severity: 'error', summary: e.message, life: 9000 });
const keep = useMutation({
  mutationFn: () => api.keepSheet(slug.value, page.value!.sheet.version, changes.value, note.value),
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
const begin = useMutation({
  mutationFn: () => {
    const said = { ...changes.value };
    delete said.name;
    delete said.code;
    return api.beginSheet(page.value!.inherits?.slug ?? slug.value, name.value.trim(), said, note.value);
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
const ago = (date: string) => {
  const days = Math.floor((Date.now() - new Date(date).getTime()) / 86_400_000);
  return days < 1 ? 'today' : days === 1 ? 'yesterday' : `${days} days ago`;
};
const newName = () => {
  name.value = page.value?.inherits ? `${page.value.sheet.name} copy` : `${page.value!.sheet.name}, ours`;
  naming.value = true;
};
const guard = (e: BeforeUnloadEvent) => edits.size && e.preventDefault();
onMounted(() => window.addEventListener('beforeunload', guard));
onBeforeUnmount(() => window.removeEventListener('beforeunload', guard));
const UNITS: Record<string, string> = { m: 'metres', cm: 'centimetres', mm: 'millimetres' };
const facts = computed(() => {
  const s = page.value?.sheet;
  return s ? `${UNITS[s.unit]} · ${s.up_axis} up · ${s.formats.join(', ')}` : '';
});
</script>

<template>
  <div v-if="error || lost" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ (error ?? lost)!.message }}</p>
    <button class="btn" @click="refetch()">Try again</button>
    <RouterLink class="btn" to="/sheets">All rule sheets</RouterLink>
  </div>
  <div v-else-if="!page || !draft || !checks" class="empty faded">
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
          ><span class="name">{{ s.name }}</span> <span class="mono small faded">v{{ s.version }}{{ edits.has(s.slug) ? '*' : '' }}</span>
        </RouterLink>
      </nav>
      <span class="links small">
        <button class="plainly" @click="newName">New sheet</button> · <button class="plainly" @click="learning = true">Learn one</button> ·
        <button class="plainly" @click="picker?.click()">Bring one in</button> ·
        <a class="plainly" :href="`/api/sheets/${slug}/file`" :download="`${slug}.json`">Hand this one on</a>
      </span>
      <input ref="picker" type="file" accept=".json,application/json" hidden @change="picked" />
    </div>
    <div class="spread">
      <section class="left" aria-label="Values">
        <header>
          <h1>{{ String(draft.name) }}</h1>
          <span class="mono small faded">v{{ page.sheet.version }}{{ steps.length ? ', edited' : '' }}</span>
          <span class="grow" />
          <span class="mono small">{{ facts }}</span>
        </header>
        <p v-if="page.inherits" class="small faded">
          Begins from <RouterLink :to="`/sheets/${page.inherits.slug}`">{{ page.inherits.name }}</RouterLink>; {{ page.differs.length }}
          {{ page.differs.length === 1 ? 'value is' : 'values are' }} otherwise.
        </p>
        <p v-else class="small faded">Ships with Hand Lens and stays as it is: edits are kept as a sheet of your own.</p>
        <template v-for="[station, s] in sections" :key="station">
          <h2>
            {{ station }}
            <button
              v-if="s.rest.length"
              class="plainly small"
              :aria-expanded="opened.has(station)"
              @click="opened.has(station) ? opened.delete(station) : opened.add(station)"
            >
              {{ opened.has(station) ? 'hide' : 'and' }} {{ s.rest.length }} {{ s.rest.length === 1 ? 'check' : 'checks' }} without a value
            </button>
          </h2>
          <div
            v-for="row in opened.has(station) ? [...s.rows, ...s.rest] : s.rows"
            :key="row.key"
            class="row"
            :class="{ chosen: chosen?.key === row.key }"
            @focusin="chosen = row"
            @click="chosen = row"
          >
            <span class="title" :title="row.value?.field.help || row.check?.does"
              >{{ row.value?.field.title ?? row.check!.title }}
              <b v-if="row.value && edited(row.value.path)" class="changed">changed</b>
              <i v-else-if="row.value && page.inherits && differs(row.value.path)" class="otherwise">ours</i></span
            >
            <span class="relation">{{ row.value?.field.wanted }}</span>
            <ValueInput
              v-if="row.value"
              :field="row.value.field"
              :path="row.value.path"
              :model-value="valueAt(draft, row.value.path)"
              @update:model-value="(v) => edit(row.value!.path, v)"
            />
            <span v-else />
            <ResultPicker
              v-if="row.check"
              :model-value="result(row.check)"
              :own="Boolean(differs(`results.${row.check.id}`))"
              :label="`${row.check.title} is`"
              @update:model-value="(v) => edit(`results.${row.check!.id}`, v === standard(row.check!) ? null : v)"
            />
            <span v-else />
          </div>
        </template>
      </section>
      <aside class="right" aria-label="In plain words">
        <section v-if="chosen">
          <p class="faded small">In plain words</p>
          <h2>{{ chosen.value?.field.title ?? chosen.check!.title }}</h2>
          <p v-if="chosen.value?.field.help">{{ chosen.value.field.help }}</p>
          <template v-for="id in chosen.value?.checks ?? [chosen.check!.id]" :key="id">
            <p v-if="known.get(id)">
              {{ known.get(id)!.does }} <span class="faded">{{ known.get(id)!.why }}</span>
            </p>
            <p v-if="known.get(id)" class="small faded">Measured: {{ known.get(id)!.measured }}</p>
          </template>
          <label v-if="chosen.value" class="source small"
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
            On the model last on the Bench {{ met.names - met.missed.length }} of {{ met.names }} names meet it<template
              v-if="met.missed.length"
              >; not: <span class="mono">{{ met.missed.slice(0, 6).join(', ') }}</span>{{ met.missed.length > 6 ? ' …' : '' }}</template
            >.
          </p>
        </section>
        <section v-else>
          <p class="faded small">In plain words</p>
          <h2>{{ page.sheet.name }}</h2>
          <p>{{ page.sheet.about }}</p>
          <p class="small faded">{{ page.sheet.basis }}</p>
        </section>
        <section v-if="steps.length" class="edit">
          <template v-if="effect.data.value">
            <b
              >This edit changes {{ effect.data.value.changed.length }} of {{ effect.data.value.tried }}
              {{ effect.data.value.tried === 1 ? 'model' : 'models' }}.</b
            >
            <p v-for="c in effect.data.value.changed.slice(0, 6)" :key="c.model" class="small">
              {{ c.name }}: {{ c.says.slice(0, 2).join('; ') }}{{ c.says.length > 2 ? ` and ${c.says.length - 2} more` : '' }}
            </p>
          </template>
          <template v-else>
            <b>{{ steps.length }} {{ steps.length === 1 ? 'edit' : 'edits' }}, not kept yet.</b>
            <button class="btn" :disabled="effect.isPending.value" @click="effect.mutate()">
              {{ effect.isPending.value ? 'Trying …' : 'Try it on the shelf' }}
            </button>
          </template>
        </section>
        <section>
          <h2>Versions</h2>
          <p v-if="!page.versions.length" class="small faded">Comes with this version of Hand Lens.</p>
          <table v-else>
            <tbody>
              <tr v-for="v in page.versions" :key="v.number">
                <td class="mono">v{{ v.number }}</td>
                <td>
                  <span v-for="(c, k) in v.changed.slice(0, 3)" :key="c.path"
                    >{{ k ? '; ' : '' }}<b>{{ c.title }}</b
                    >{{ ' ' }} <span class="mono small">{{ c.before || '–' }} → {{ c.after || '–' }}</span></span
                  ><template v-if="v.changed.length > 3"> and {{ v.changed.length - 3 }} more</template>
                  <i v-if="v.note" class="faded small"> {{ v.note }}</i>
                </td>
                <td class="small faded">{{ ago(v.created) }}</td>
              </tr>
            </tbody>
          </table>
        </section>
        <section>
          <h2>Where the shelf falls short of it</h2>
          <p v-if="!page.falls_short.length" class="small faded">Nowhere, of what was judged by this version.</p>
          <table v-else>
            <tbody>
              <tr v-for="f in page.falls_short.slice(0, 8)" :key="f.check">
                <td><ResultMark :result="f.result" :size="12" /> {{ known.get(f.check)?.title ?? f.check }}</td>
                <td class="blocks" aria-hidden="true">
                  <i
                    v-for="k in Math.min(f.of, 16)"
                    :key="k"
                    :class="k <= Math.round((f.models / f.of) * Math.min(f.of, 16)) ? f.result : ''"
                  />
                </td>
                <td class="mono small r">{{ f.models }} of {{ f.of }}</td>
              </tr>
            </tbody>
          </table>
        </section>
        <section v-if="page.inherits">
          <p v-if="page.used_by.length" class="small">
            The Bench of
            {{
              page.used_by
                .slice(0, 4)
                .map((m) => m.name)
                .join(', ')
            }}{{ page.used_by.length > 4 ? ` and ${page.used_by.length - 4} more` : '' }} is held to it; without it they are held to
            {{ page.inherits.name }}.
          </p>
          <SureButton label="Take this sheet away" asks="Really take it away?" :name="page.sheet.name" @sure="remove.mutate()" />
        </section>
        <footer v-if="steps.length">
          <InputText v-model="note" size="small" placeholder="why, in a few words" aria-label="Why, in a few words" />
          <button class="btn big" @click="undo">Undo edit</button>
          <button v-if="page.inherits" class="btn big main" :disabled="keep.isPending.value" @click="keep.mutate()">
            Keep as v{{ page.sheet.version + 1 }}
          </button>
          <button v-else class="btn big main" @click="newName">Keep as our own …</button>
        </footer>
      </aside>
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
          It begins from {{ page.inherits?.name ?? page.sheet.name }}{{ steps.length ? ' with the edits made here' : '' }}: what that one
          changes in a later version of Hand Lens reaches it too, where it says nothing otherwise.
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
.links {
  white-space: nowrap;
  color: var(--hl-ink-faded);
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
.spread {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  border: 1px solid var(--hl-ink);
  border-bottom: 0;
  background: var(--hl-sheet);
}
.left {
  overflow: auto;
  padding: 10px 18px 24px 22px;
  border-right: 1px solid var(--hl-rule);
}
.left header {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
h1 {
  font: 600 22px/1.2 var(--hl-font-display);
}
h2 {
  font: 600 16px/1.3 var(--hl-font-display);
}
.left h2 {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  margin-top: 12px;
  border-bottom: 1px solid var(--hl-ink);
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
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 58px 190px 176px;
  gap: 10px;
  align-items: center;
  min-height: 27px;
  border-bottom: 1px solid var(--hl-rule);
  padding: 1px 6px;
  margin: 0 -6px;
}
.row.chosen {
  background: var(--hl-verdigris-wash);
}
.row .picker {
  justify-self: end;
}
.title {
  font-size: 13px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.changed {
  color: var(--hl-verdigris-text);
  font-size: 12px;
}
.otherwise {
  font: italic 12px var(--hl-font-display);
  color: var(--hl-ink-faded);
}
.relation {
  font-size: 12.5px;
  color: var(--hl-ink-faded);
}
.right {
  overflow: auto;
  padding: 12px 20px 0 22px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  background: linear-gradient(90deg, #f8f2e5, var(--hl-sheet) 24px);
}
.right section > * + * {
  margin-top: 5px;
}
.right p {
  font-size: 13.5px;
}
.right p.small {
  font-size: 12.5px;
}
.source {
  display: grid;
  gap: 2px;
}
.edit {
  border: 1px solid var(--hl-rule);
  border-left: 4px solid var(--hl-note-mark);
  padding: 8px 12px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.edit p {
  flex-basis: 100%;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
}
td {
  border-bottom: 1px solid var(--hl-rule);
  padding: 3px 8px 3px 0;
  vertical-align: top;
}
td:last-child {
  white-space: nowrap;
  text-align: right;
}
.blocks {
  white-space: nowrap;
}
.blocks i {
  display: inline-block;
  width: 9px;
  height: 8px;
  margin-right: 2px;
  background: var(--hl-paper-deep);
}
.blocks i.stop {
  background: var(--hl-stop-mark);
}
.blocks i.caution {
  background: var(--hl-caution-mark);
}
footer {
  position: sticky;
  bottom: 0;
  margin-top: auto;
  padding: 8px 0 10px;
  display: flex;
  gap: 8px;
  background: var(--hl-sheet);
  border-top: 1px solid var(--hl-rule);
}
footer > :first-child {
  flex: 1;
  min-width: 0;
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
  .left,
  .right {
    overflow: visible;
  }
}
</style>
