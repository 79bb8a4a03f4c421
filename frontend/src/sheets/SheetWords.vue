<script setup lang="ts">
// The right page of a sheet: plain words, what an edit would change, versions, and where the shelf falls short of it.
import { useMutation } from '@tanstack/vue-query';
import InputText from 'primevue/inputtext';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { api, type CheckFacts, type SheetPage } from '../api/client';
import type { components } from '../api/schema';
import ResultMark from '../ui/ResultMark.vue';
import SureButton from '../ui/SureButton.vue';
import RowWords from './RowWords.vue';
import type { Row } from './rows';
import type { Draft } from './useDraft';

const props = defineProps<{ page: SheetPage; draft: Draft; checks: CheckFacts[]; chosen: Row | null; busy: boolean }>();
const emit = defineEmits<{ keep: [note: string]; begin: [note: string]; remove: [] }>();
type Effect = components['schemas']['SheetEffect'];
const toast = useToast();
const known = computed(() => new Map(props.checks.map((c) => [c.id, c])));
const note = ref('');
/** What the edit would change, a few models at a time: how far it is is told, and it can be stopped. */
const round = ref(0);
const sofar = ref<{ tried: number; seen: number; of: number; changed: Effect['changed'] } | null>(null);
const effect = useMutation({
  mutationFn: async () => {
    const mine = ++round.value;
    sofar.value = { tried: 0, seen: 0, of: 0, changed: [] };
    for (let first: number | null = 0; first !== null && mine === round.value;) {
      const some: Effect = await api.trySheet(props.page.sheet.slug, props.draft.changes.value, first);
      if (mine !== round.value) return;
      const before: NonNullable<typeof sofar.value> = sofar.value;
      sofar.value = {
        tried: before.tried + some.tried,
        seen: some.next ?? some.of,
        of: some.of,
        changed: [...before.changed, ...some.changed],
      };
      first = some.next;
    }
  },
  onError: (e) => toast.add({ severity: 'error', summary: e.message, life: 9000 }),
});
function stop() {
  round.value++;
  sofar.value = null;
  effect.reset();
}
// What was tried was another edit by now.
watch([() => props.page, props.draft.draft], stop);
watch(
  () => [props.page.sheet.slug, props.page.sheet.version],
  () => (note.value = ''),
);
const undo = () => props.draft.undo();
const ago = (date: string) => {
  const days = Math.floor((Date.now() - new Date(date).getTime()) / 86_400_000);
  return days < 1 ? 'today' : days === 1 ? 'yesterday' : `${days} days ago`;
};
</script>

<template>
  <aside class="right" aria-label="In plain words">
    <RowWords v-if="chosen" :row="chosen" :draft="draft" :known="known" />
    <section v-else>
      <p class="faded small">In plain words</p>
      <h2>{{ page.sheet.name }}</h2>
      <p>{{ page.sheet.about }}</p>
      <p class="small faded">{{ page.sheet.basis }}</p>
    </section>
    <section v-if="draft.steps.value.length" class="edit">
      <template v-if="effect.isPending.value">
        <b role="status">Tried on {{ sofar?.seen ?? 0 }} of {{ sofar?.of || '…' }} models …</b>
        <button class="btn" @click="stop">Stop</button>
      </template>
      <template v-else-if="sofar">
        <b>This edit changes {{ sofar.changed.length }} of {{ sofar.tried }} {{ sofar.tried === 1 ? 'model' : 'models' }}.</b>
        <p v-for="c in sofar.changed.slice(0, 6)" :key="c.model" class="small">
          {{ c.name }}: {{ c.says.slice(0, 2).join('; ') }}{{ c.says.length > 2 ? ` and ${c.says.length - 2} more` : '' }}
        </p>
      </template>
      <template v-else>
        <b>{{ draft.steps.value.length }} {{ draft.steps.value.length === 1 ? 'edit' : 'edits' }}, not kept yet.</b>
        <button class="btn" @click="effect.mutate()">Try it on the shelf</button>
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
      <SureButton label="Take this sheet away" asks="Really take it away?" :name="page.sheet.name" @sure="emit('remove')" />
    </section>
    <footer v-if="draft.steps.value.length">
      <InputText v-model="note" size="small" placeholder="why, in a few words" aria-label="Why, in a few words" />
      <button class="btn big" @click="undo">Undo edit</button>
      <button v-if="page.inherits" class="btn big main" :disabled="busy" @click="emit('keep', note)">
        Keep as v{{ page.sheet.version + 1 }}
      </button>
      <button v-else class="btn big main" @click="emit('begin', note)">Keep as our own …</button>
    </footer>
  </aside>
</template>

<style scoped>
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
h2 {
  font: 600 16px/1.3 var(--hl-font-display);
}
@media (max-width: 1100px) {
  .right {
    overflow: visible;
  }
}
</style>
