<script setup lang="ts">
import Popover from 'primevue/popover';
import Select from 'primevue/select';
import { computed, defineAsyncComponent, ref } from 'vue';
import { useRouter } from 'vue-router';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';
import { once } from '../ui/once';
import VerdictStamp from '../ui/VerdictStamp.vue';
import { useBench } from './useBench';

const CompareDialog = defineAsyncComponent(() => import('./CompareDialog.vue'));
const IntentEditor = defineAsyncComponent(() => import('./IntentEditor.vue'));
const state = useBench('reading', 'choices', 'changes', 'tape');
const bench = computed(() => state.bench.value!);
const editing = ref(false);
const router = useRouter();
const changes = ref<InstanceType<typeof Popover>>();
const open = (id: number) => void router.push(`/bench/${id}`);
const comparing = ref(false);
const [everCompared, everEdited] = [once(comparing), once(editing)];
function compare() {
  changes.value?.hide();
  if (state.trial.compared.value) state.trial.compare(null);
  else comparing.value = true;
}
const sinceWords = computed(() => {
  const s = bench.value.since;
  if (!s) return '';
  return (
    [s.fixed.length && `${s.fixed.length} fixed`, s.fresh.length && `${s.fresh.length} new`, s.back.length && `${s.back.length} back`]
      .filter(Boolean)
      .join(', ') || 'same findings'
  );
});
const UNITS: Record<string, [string, number]> = { m: ['metres', 1], cm: ['centimetres', 0.01], mm: ['millimetres', 0.001] };
const file = computed(() => {
  if (!bench.value.reading) return 'not read yet';
  const u = bench.value.unit_metres;
  const unit = u === null ? 'unit not stated' : u === 1 ? 'metres' : `× ${u} m`;
  return `${unit} · ${bench.value.up_axis ? `${bench.value.up_axis} up` : 'up not stated'}`;
});
const there = computed(() => {
  const s = state.sheet.value;
  return s ? `${UNITS[s.unit]![0]} · ${s.up_axis} up · v${s.version}` : '';
});
const factor = computed(() => {
  const u = bench.value.unit_metres;
  const s = state.sheet.value;
  return u === null || !s ? '× ?' : `× ${Number((u / UNITS[s.unit]![1]).toPrecision(4))}`;
});
const turn = computed(() => {
  const s = state.sheet.value;
  if (!bench.value.up_axis || !s) return 'turn not known';
  return bench.value.up_axis === s.up_axis ? 'no turn' : 'a quarter about X';
});
const intent = computed(() => {
  const i = bench.value.intent;
  const e = i.expected ?? {};
  const size = e.height_m ? `${e.height_m} m tall` : e.width_m ? `${e.width_m} m wide` : e.depth_m ? `${e.depth_m} m deep` : '';
  return (
    [
      i.kind,
      size,
      i.seen_from && i.seen_from !== 'outside' ? `seen from ${i.seen_from}` : '',
      (i.copies ?? 1) > 1 ? `${i.copies} copies` : '',
    ]
      .filter(Boolean)
      .join(' · ') || 'not said yet'
  );
});
</script>

<template>
  <section class="route" aria-label="From the file to the destination">
    <div class="who">
      <div class="name">
        <h1><CutName :text="bench.name" /></h1>
        <select
          v-if="bench.revisions.length > 1"
          class="mono"
          aria-label="Revision"
          :value="bench.revision.id"
          @change="open(Number(($event.target as HTMLSelectElement).value))"
        >
          <option v-for="r in bench.revisions" :key="r.id" :value="r.id">rev {{ r.number }}</option>
        </select>
        <span v-else class="mono">rev {{ bench.revision.number }}</span>
        <button v-if="bench.since" class="since" aria-haspopup="true" @click="changes?.toggle($event)">{{ sinceWords }}</button>
        <Popover ref="changes">
          <div v-if="bench.since" class="changes" tabindex="-1" autofocus>
            <h2>Since rev {{ bench.since.number }}</h2>
            <template
              v-for="[mark, word, list] in [
                ['clear', 'fixed', bench.since.fixed],
                ['caution', 'new', bench.since.fresh],
                ['stop', 'came back', bench.since.back],
              ] as [string, string, string[]][]"
              :key="word"
            >
              <p v-for="t in list" :key="t"><ResultMark :result="mark" :size="12" /> {{ word }}: {{ t }}</p>
            </template>
            <p v-if="sinceWords === 'same findings'" class="faded">The same findings as before; the files may differ all the same.</p>
            <button class="btn" @click="compare">{{ state.trial.compared.value ? 'Stop comparing' : 'What differs …' }}</button>
          </div>
        </Popover>
      </div>
      <button class="intent" :title="intent" @click="editing = true">
        <span class="faded">Meant to be</span> <span class="mono">{{ intent }}</span>
      </button>
    </div>
    <div class="trip">
      <div class="end left">
        <div class="faded">
          <CutName :text="bench.main" /><template v-if="bench.file_count > 1"> + {{ bench.file_count - 1 }}</template>
        </div>
        <div class="mono">{{ file }}</div>
      </div>
      <svg width="150" height="50" viewBox="0 0 150 50" role="img" :aria-label="`${factor}, ${turn}`">
        <path d="M8 25H132" stroke="#1E2A2F" stroke-width="1.4" stroke-dasharray="1 5" stroke-linecap="round" />
        <circle cx="7" cy="25" r="4.4" fill="#F6F1E7" stroke="#1E2A2F" stroke-width="1.6" />
        <circle cx="140" cy="25" r="6.4" fill="none" stroke="#2B756F" stroke-width="1.8" />
        <circle cx="140" cy="25" r="2.4" fill="#2B756F" />
        <text x="72" y="17" text-anchor="middle" class="f">{{ factor }}</text>
        <text x="72" y="41" text-anchor="middle" class="t">{{ turn }}</text>
      </svg>
      <div class="end">
        <Select
          :model-value="bench.sheet"
          :options="state.catalogue.value?.sheets ?? []"
          option-label="name"
          option-value="slug"
          size="small"
          aria-label="Rule sheet"
          @update:model-value="(sheet: string) => state.change.mutate({ sheet })"
        >
          <template #value
            ><span class="code">{{ state.sheet.value?.code }}</span> <b>{{ state.sheet.value?.name }}</b></template
          >
          <template #option="{ option }"
            ><span class="code">{{ option.code }}</span
            >&nbsp; {{ option.name }}</template
          >
        </Select>
        <div class="mono">{{ there }}</div>
      </div>
    </div>
    <VerdictStamp
      v-if="bench.reading"
      :counts="bench.reading.verdict"
      :proved="bench.proved && !bench.stale"
      :unlooked="bench.reading.not_looked_at"
    />
    <span v-else />
    <CompareDialog v-if="everCompared && bench.revisions.length > 1" v-model:visible="comparing" />
    <IntentEditor
      v-if="everEdited"
      v-model:visible="editing"
      :intent="bench.intent"
      :fields="state.catalogue.value?.intent ?? []"
      :sizes="state.catalogue.value?.sizes ?? []"
      @save="(intent) => state.change.mutate({ intent })"
    />
  </section>
</template>

<style scoped>
.route {
  height: var(--hl-route-h);
  flex: none;
  display: grid;
  grid-template-columns: 286px 1fr 190px;
  align-items: center;
  padding: 0 16px;
  border-bottom: 1px solid var(--hl-rule);
  gap: 10px;
}
.route > :last-of-type {
  justify-self: end;
}
h1 {
  font: 600 21px/1.1 var(--hl-font-display);
  letter-spacing: -0.01em;
  display: flex;
  align-items: baseline;
  gap: 8px;
  white-space: nowrap;
}
.name {
  display: flex;
  align-items: baseline;
  gap: 8px;
  white-space: nowrap;
}
.name > .mono {
  font-size: 12.5px;
  color: var(--hl-ink-faded);
}
select {
  border: 1px solid transparent;
  background: none;
  min-height: 24px;
  border-radius: 3px;
  cursor: pointer;
}
select:hover {
  border-color: var(--hl-rule-strong);
}
.since {
  border: 0;
  background: none;
  padding: 0 2px;
  min-height: 24px;
  font-size: 12.5px;
  color: var(--hl-verdigris-text);
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
}
.changes {
  max-width: 420px;
  display: grid;
  gap: 4px;
  font-size: 13px;
}
.changes h2 {
  font: 600 16px var(--hl-font-display);
}
.intent {
  border: 0;
  background: none;
  padding: 0;
  min-height: 24px;
  font-size: 12.5px;
  cursor: pointer;
  text-decoration: underline;
  text-decoration-color: var(--hl-rule-strong);
  text-underline-offset: 3px;
  white-space: nowrap;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
.trip {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 150px minmax(0, 1fr);
  align-items: center;
  justify-content: center;
  gap: 10px;
}
.end {
  line-height: 1.25;
  font-size: 13px;
  min-width: 0;
  white-space: nowrap;
}
.left > * {
  overflow: hidden;
  text-overflow: ellipsis;
}
@media (max-width: 1099px) {
  .route {
    grid-template-columns: 232px 1fr 150px;
  }
  .trip {
    grid-template-columns: minmax(0, 1fr) 110px minmax(0, 1fr);
  }
  .trip svg {
    width: 110px;
  }
}
@media (max-width: 760px) {
  .route {
    grid-template-columns: minmax(0, 1fr) minmax(0, 190px) auto;
    padding: 0 8px;
  }
  .trip {
    grid-template-columns: minmax(0, 1fr);
  }
  .trip svg,
  .left {
    display: none;
  }
}
.end .mono {
  font-size: 12.5px;
}
.left {
  text-align: right;
}
.f {
  font: 600 14px var(--hl-font-figure);
  fill: var(--hl-ink);
}
.t {
  font: italic 13px var(--hl-font-display);
  fill: var(--hl-ink-soft);
}
.end :deep(.p-select) {
  height: 26px;
  align-items: center;
  border-color: transparent;
  background: none;
  margin-left: -8px;
  box-shadow: none;
  max-width: 100%;
}
.end :deep(.p-select:hover) {
  border-color: var(--hl-rule-strong);
  background: var(--hl-sheet);
}
.end :deep(.p-select-label) {
  padding: 0 8px;
  font-size: 13px;
}
</style>
