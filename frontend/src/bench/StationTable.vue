<script setup lang="ts">
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import { computed, ref } from 'vue';
import type { Table } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';

type Row = Table['rows'][number];
const props = defineProps<{ table: Table; part: number | null; short: boolean; onTape: (mend: string, params: Record<string, unknown>) => boolean }>();
const emit = defineEmits<{ part: [number | null]; mend: [string, Record<string, unknown>] }>();
const find = ref('');
const byPart = computed(() => props.table.rows.some((r) => typeof r.node === 'number'));
const withResult = computed(() => props.table.rows.some((r) => r.result));
const withMend = computed(() => props.table.rows.some((r) => r.mend));
const rows = computed(() => props.table.rows.filter((r) => !find.value || Object.values(r.cells).join(' ').toLowerCase().includes(find.value.toLowerCase())));
const long = computed(() => rows.value.length > (props.short ? 7 : 60));
const selected = computed(() => rows.value.find((r) => typeof r.node === 'number' && r.node === props.part) ?? null);
/** Figures sort as numbers although they are written with commas and units. */
const value = (text: string) => Number.parseFloat(text.replace(/[, ]/g, '').replace(/^[^0-9.−-]*/, ''));
const sorted = (key: string, isNumber: boolean) => ((row: Row) => (isNumber ? (Number.isNaN(value(row.cells[key] ?? '')) ? -1 : value(row.cells[key] ?? '')) : (row.cells[key] ?? ''))) as unknown as (row: Row) => string;
</script>

<template>
  <section class="table">
    <div v-if="byPart && table.total > 8" class="head">
      <input v-model="find" type="search" :placeholder="`Find among ${table.total.toLocaleString('en')} parts`" :aria-label="`Find in ${table.title}`" />
      <span v-if="table.total > table.rows.length" class="faded small">the first {{ table.rows.length.toLocaleString('en') }} are listed</span>
    </div>
    <DataTable
      :value="rows" size="small" :selection="selected" :selection-mode="byPart ? 'single' : undefined" :meta-key-selection="false" :scrollable="long"
      :scroll-height="long ? (short ? '152px' : '248px') : undefined" :virtual-scroller-options="rows.length > 60 ? { itemSize: 25 } : undefined" :aria-label="table.title"
      @update:selection="(r: Row | null) => emit('part', r && typeof r.node === 'number' ? r.node : null)"
    >
      <Column
        v-for="c in table.columns" :key="c.key" :header="c.heading" :field="sorted(c.key, c.number)" :sortable="byPart"
        :header-class="c.number ? 'num' : ''" :body-class="c.number ? 'num' : ''"
      >
        <template #body="{ data }"><CutName :text="data.cells[c.key] ?? ''" :longest="c.number ? 26 : 40" /></template>
      </Column>
      <Column v-if="withMend" header="" body-class="num">
        <template #body="{ data }">
          <button v-if="data.mend" class="btn plain" :disabled="onTape(data.mend.mend, data.mend.params)" @click.stop="emit('mend', data.mend.mend, data.mend.params)">{{ onTape(data.mend.mend, data.mend.params) ? 'on the tape' : 'use' }}</button>
        </template>
      </Column>
      <Column v-if="withResult" header="" body-class="num"><template #body="{ data }"><ResultMark v-if="data.result" :result="data.result" :size="13" /></template></Column>
      <template #empty><span class="faded">{{ find ? 'No part goes by that.' : 'Nothing to list.' }}</span></template>
    </DataTable>
  </section>
</template>

<style scoped>
.head { display: flex; gap: 10px; align-items: center; padding: 2px 0; }
input { border: 0; border-bottom: 1px solid var(--hl-rule-strong); background: none; height: 24px; font-size: 13px; width: 200px; }
input::placeholder { color: var(--hl-ink-faded); }
.table :deep(tr[aria-selected='true'] td) { background: var(--hl-verdigris-wash); }
</style>
