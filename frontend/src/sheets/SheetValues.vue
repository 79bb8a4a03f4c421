<script setup lang="ts">
// The left page of a sheet: its values station by station, and how grave each finding is.
import { computed, ref } from 'vue';
import type { Catalogue, CheckFacts, SheetPage, SheetValue } from '../api/client';
import ResultPicker from './ResultPicker.vue';
import ValueInput from './ValueInput.vue';
import { sections as laidOut, standard, type Row } from './rows';
import type { Draft } from './useDraft';

const props = defineProps<{ page: SheetPage; draft: Draft; values: SheetValue[]; checks: CheckFacts[]; catalogue: Catalogue }>();
const chosen = defineModel<Row | null>('chosen', { required: true });
const sections = computed(() => laidOut(props.values, props.checks, props.catalogue.stations));
const opened = ref(new Set<string>());
const usual = (check: CheckFacts) => standard(check, props.catalogue.sheets, props.page.inherits?.slug ?? props.page.sheet.slug);
const result = (check: CheckFacts) => String(props.draft.at(`results.${check.id}`) ?? usual(check));
const UNITS: Record<string, string> = { m: 'metres', cm: 'centimetres', mm: 'millimetres' };
const facts = computed(() => {
  const s = props.page.sheet;
  return `${UNITS[s.unit]} · ${s.up_axis} up · ${s.formats.join(', ')}`;
});
</script>

<template>
  <section class="left" aria-label="Values">
    <header>
      <h1>{{ String(draft.at('name')) }}</h1>
      <span class="mono small faded">v{{ page.sheet.version }}{{ draft.steps.value.length ? ', edited' : '' }}</span>
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
          <b v-if="row.value && draft.edited(row.value.path)" class="changed">changed</b>
          <i v-else-if="row.value && page.inherits && draft.differs(row.value.path)" class="otherwise">ours</i></span
        >
        <span class="relation">{{ row.value?.field.wanted }}</span>
        <ValueInput
          v-if="row.value"
          :field="row.value.field"
          :path="row.value.path"
          :model-value="draft.at(row.value.path)"
          @update:model-value="(v) => draft.edit(row.value!.path, v)"
        />
        <span v-else />
        <ResultPicker
          v-if="row.check"
          :model-value="result(row.check)"
          :own="Boolean(draft.differs(`results.${row.check.id}`))"
          :label="`${row.check.title} is`"
          @update:model-value="(v) => draft.edit(`results.${row.check!.id}`, v === usual(row.check!) ? null : v)"
        />
        <span v-else />
      </div>
    </template>
  </section>
</template>

<style scoped>
.plainly {
  border: 0;
  background: none;
  cursor: pointer;
  font: 12.5px var(--hl-font-text);
  color: var(--hl-ink-faded);
  text-decoration: underline;
  min-height: 24px;
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
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  margin-top: 12px;
  border-bottom: 1px solid var(--hl-ink);
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
@media (max-width: 1100px) {
  .left {
    overflow: visible;
  }
}
</style>
