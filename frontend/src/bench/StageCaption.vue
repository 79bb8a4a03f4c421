<script setup lang="ts">
// What the stage shows, in words: the look, its legend, and the choices that belong to it.
import { useQuery } from '@tanstack/vue-query';
import { computed } from 'vue';
import { api } from '../api/client';
import { jointsOf } from '../stage/joints';
import { spin } from '../stage/spin';
import { testing } from '../stage/testHook';
import { LENSES } from '../stations/registry';
import ResultMark from '../ui/ResultMark.vue';
import type { StageContext } from './stageState';
import { useBench } from './useBench';
import { length, receives } from './words';

const props = defineProps<{ context: StageContext }>();
const bench = useBench('reading', 'selection', 'choices');
const state = computed(() => props.context.state);
const model = computed(() => props.context.model.value);
const lens = computed(() => LENSES.find((l) => l.look === state.value.look));
const where = computed(
  () =>
    ({
      circle: state.value.beside ? 'In the glass:' : 'Through the loupe:',
      split: 'Left of the line:',
      all: 'The whole stage:',
      none: '',
    })[state.value.shape],
);
const receiving = computed(() => state.value.look === 'received' && !state.value.beside);
const inspection = computed(() => bench.bench.value?.reading?.inspection ?? null);
const sheet = computed(() => bench.receiverSheet.value);
const joints = computed(() => (model.value && state.value.look === 'weights' ? jointsOf(model.value) : []));
const { data: log } = useQuery({
  queryKey: computed(() => ['receiver', inspection.value, sheet.value?.slug]),
  queryFn: () => api.receiverLog(inspection.value!, sheet.value!.slug),
  enabled: computed(() => receiving.value && inspection.value !== null && !!sheet.value),
  staleTime: Infinity,
});
/** The part that a spin test turns: the one that is shown alone, else the one that swings out the most. */
const turning = computed(() => {
  const rows = bench.bench.value?.reading?.stations.find((s) => s.slug === 'pivots')?.tables.find((t) => t.key === 'parts')?.rows ?? [];
  const chosen = bench.part.value ?? rows[0]?.node ?? null;
  const mesh = chosen === null ? undefined : model.value?.parts.get(chosen);
  return mesh ? { mesh, name: model.value?.names.get(chosen!) ?? '' } : null;
});
function spinPart() {
  const stage = props.context.stage.value;
  if (stage && turning.value) void spin(stage, turning.value.mesh, testing() || matchMedia('(prefers-reduced-motion: reduce)').matches);
}
const odd = computed(() => (log.value?.entries ?? []).filter((e) => e.result !== 'clear').length);
</script>

<template>
  <div class="caption">
    <template v-if="state.beside"
      ><i>{{ where }}</i> <b>{{ state.beside }}</b>
      <p>Outside: as it is now. Both stand at their true size and place.</p></template
    >
    <template v-else-if="lens">
      <div class="head">
        <i>{{ where }}</i>
        <template v-if="receiving && !state.swapped">
          <b>as received by</b>
          <select
            class="choice"
            aria-label="Receiver"
            :value="sheet?.slug"
            @change="bench.receiving.value = ($event.target as HTMLSelectElement).value"
          >
            <option v-for="s in bench.catalogue.value?.sheets ?? []" :key="s.slug" :value="s.slug">{{ s.name }}</option>
          </select>
        </template>
        <b v-else>{{ state.swapped ? 'As built' : lens.name }}</b>
        <span class="mono">{{ state.shape === 'circle' ? state.zoom : 1 }}×</span>
      </div>
      <p>{{ receiving && sheet ? receives(sheet.receiver) : lens.legend }}</p>
      <label v-if="joints.length" class="pick">
        Weights of
        <select
          class="choice"
          :value="state.joint ?? ''"
          @change="
            state.joint = ($event.target as HTMLSelectElement).value === '' ? null : Number(($event.target as HTMLSelectElement).value)
          "
        >
          <option value="">the heaviest joint</option>
          <option v-for="j in joints" :key="j.node" :value="j.node">{{ j.name }}</option>
        </select>
      </label>
      <button v-if="state.look === 'pivots' && turning" class="btn small spin" @click="spinPart">Spin {{ turning.name }}</button>
      <details v-if="receiving && log">
        <summary>Its log: {{ odd ? `${odd} of ${log.entries.length} lines to read` : 'all is taken as it is' }}</summary>
        <ul>
          <li v-for="e in log.entries" :key="e.what">
            <ResultMark :result="e.result" :size="11" /> <b>{{ e.what }}</b> {{ e.says }}
          </li>
        </ul>
      </details>
      <p v-if="state.making" role="status"><ResultMark result="pending" :size="11" /> finding the edges …</p>
    </template>
    <template v-else
      ><i>As built</i>
      <p>
        Floor squares are {{ length(state.floorStep) }}.<template v-if="bench.part.value !== null"> One part is shown.</template>
      </p></template
    >
    <p v-if="model?.reducedFrom">
      Drawn with {{ model.triangles.toLocaleString('en') }} of {{ model.reducedFrom.toLocaleString('en') }} triangles; figures and marks are
      of all.
    </p>
    <p v-if="context.lost.value"><ResultMark result="nothing" /> {{ context.lost.value }}</p>
  </div>
</template>

<style scoped>
.caption {
  position: absolute;
  left: 20px;
  top: 14px;
  max-width: 350px;
  font: 400 14.5px/1.3 var(--hl-font-display);
  pointer-events: none;
  padding: 2px 8px;
  margin: -2px -8px;
  border-radius: 3px;
  background: rgba(246, 241, 231, 0.82);
}
.caption {
  text-shadow:
    0 0 3px var(--hl-paper),
    0 0 6px var(--hl-paper),
    0 0 8px var(--hl-paper);
}
.caption b {
  font-weight: 600;
}
.caption .mono {
  font-size: 12.5px;
  margin-left: 5px;
}
.head i + b {
  margin-left: 5px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
}
.caption p,
.pick {
  font: 400 12.5px/1.35 var(--hl-font-text);
  color: var(--hl-ink-faded);
}
.choice {
  pointer-events: auto;
  min-height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
  font: 600 13px var(--hl-font-text);
  max-width: 190px;
  border-radius: 2px 2px 0 0;
  padding: 0;
}
.head .choice {
  margin-left: 6px;
}
.spin {
  pointer-events: auto;
  margin-top: 4px;
  text-shadow: none;
  font: 500 12.5px var(--hl-font-text);
}
details {
  pointer-events: auto;
  font: 400 12.5px/1.35 var(--hl-font-text);
  margin-top: 2px;
}
summary {
  cursor: pointer;
  min-height: 24px;
  line-height: 24px;
  color: var(--hl-ink-soft);
  width: fit-content;
}
ul {
  list-style: none;
  margin: 0;
  padding: 4px 8px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule);
  border-radius: 2px;
  text-shadow: none;
  max-height: 210px;
  overflow: auto;
}
li {
  overflow-wrap: anywhere;
  padding: 1px 0;
}
li b {
  font-weight: 700;
}
</style>
