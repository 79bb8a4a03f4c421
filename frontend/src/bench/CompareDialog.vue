<script setup lang="ts">
// Two revisions side by side: a table of what differs, and the earlier one laid beside this one on the stage.
import { useQuery } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';
import { useBench } from './useBench';

const MOST = 400;
const state = useBench('reading', 'selection', 'tape', 'marks');
const visible = defineModel<boolean>('visible', { required: true });
const bench = computed(() => state.bench.value!);
const others = computed(() => bench.value.revisions.filter((r) => r.id !== bench.value.revision.id));
const earlier = ref<number | null>(null);
// Made when it is first opened, so it is open already.
watch(
  visible,
  (open) => {
    if (open) earlier.value ??= (others.value.find((r) => r.number === bench.value.since?.number) ?? others.value.at(-1))?.id ?? null;
  },
  { immediate: true },
);
const { data, error, refetch } = useQuery({
  queryKey: computed(() => ['compare', bench.value.revision.id, bench.value.revision.stage, earlier.value]),
  queryFn: () => api.compare(bench.value.revision.id, earlier.value!),
  enabled: computed(() => visible.value && earlier.value !== null),
  refetchInterval: (q) => (['waiting', 'running'].includes(q.state.data?.state ?? '') ? 500 : false),
});
const groups = computed(() => {
  const out = new Map<string, NonNullable<typeof data.value>['rows']>();
  for (const row of (data.value?.rows ?? []).slice(0, MOST)) out.set(row.group, [...(out.get(row.group) ?? []), row]);
  return [...out];
});
/** Marks what differs, with the earlier revision laid beside it. */
function showRow(node: number, faces: number[]) {
  state.show(null);
  if (stage.value) state.trial.compare(earlier.value);
  state.spot.value = { node, faces };
  visible.value = false;
}
function lay() {
  state.trial.compare(earlier.value);
  visible.value = false;
}
const stage = computed(() => others.value.find((r) => r.id === earlier.value)?.stage);
</script>

<template>
  <Dialog v-model:visible="visible" modal header="What differs" dismissable-mask :style="{ width: '820px', maxWidth: '94vw' }">
    <div class="which">
      <label for="earlier">From</label>
      <select id="earlier" v-model="earlier" class="mono">
        <option v-for="r in others" :key="r.id" :value="r.id">rev {{ r.number }}</option>
      </select>
      <span
        >to <b class="mono">rev {{ bench.revision.number }}</b
        >, each with its mends</span
      >
      <span class="grow" />
      <button class="btn" :disabled="!stage" @click="lay">Lay it beside on the stage</button>
    </div>
    <p v-if="error" class="stop" role="alert">{{ error.message }} <button class="btn" @click="refetch()">Try again</button></p>
    <p v-else-if="data?.state === 'failed' || data?.state === 'cancelled'" role="alert">
      <ResultMark result="stop" /> {{ data.error }} <button class="btn" @click="refetch()">Try again</button>
    </p>
    <p v-else-if="data?.state !== 'done'" class="faded" role="status"><ResultMark result="pending" /> reading both and comparing …</p>
    <div v-if="data?.state === 'done' && data.place" class="place" :class="data.place.fits ? 'fits' : 'breaks'" role="status">
      <ResultMark :result="data.place.fits ? 'clear' : 'stop'" />
      <b>{{ data.place.fits ? "It fits in the old one's place" : "It does not fit in the old one's place" }}</b>
      <span class="small faded">{{
        data.place.rows
          .filter((r) => r.count)
          .map((r) => `${r.what.toLowerCase()} ${r.broke.length ? 'broke' : 'kept'}`)
          .join(', ')
      }}</span>
      <ul v-if="!data.place.fits">
        <template v-for="r in data.place.rows" :key="r.what"
          ><li v-for="b in r.broke.slice(0, 6)" :key="b">
            <b>{{ r.what }}</b> {{ b }}
          </li>
          <li v-if="r.broke.length > 6" class="faded">
            and {{ (r.broke.length - 6).toLocaleString('en') }} more of {{ r.what.toLowerCase() }}
          </li></template
        >
      </ul>
    </div>
    <p v-if="data?.state === 'done' && !data.rows.length">Nothing differs: every part has the same place, shape, slots and names.</p>
    <div v-if="data?.state === 'done' && data.rows.length" class="list">
      <table>
        <thead>
          <tr>
            <th>What</th>
            <th>rev {{ data.earlier }}</th>
            <th>rev {{ data.later }}</th>
            <th>Difference</th>
          </tr>
        </thead>
        <tbody v-for="[group, rows] in groups" :key="group">
          <tr>
            <th colspan="4" scope="rowgroup" class="group">
              {{ group }} <span class="faded">{{ rows.length }}</span>
            </th>
          </tr>
          <tr v-for="(r, k) in rows" :key="k">
            <td>
              <button
                v-if="r.part !== null"
                class="part"
                :title="`Show it on the model, ${r.faces.length ? `${r.faces.length.toLocaleString('en')} faces marked` : 'the part marked'}`"
                @click="showRow(r.part, r.faces)"
              >
                <CutName :text="r.what" /></button
              ><CutName v-else :text="r.what" />
            </td>
            <td class="mono"><CutName :text="r.earlier" /></td>
            <td class="mono"><CutName :text="r.later" /></td>
            <td>
              <b>{{ r.change }}</b>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="data.rows.length > MOST" class="faded">
        The first {{ MOST }} of {{ data.rows.length.toLocaleString('en') }} differences are listed.
      </p>
    </div>
  </Dialog>
</template>

<style scoped>
.place {
  border-left: 4px solid var(--hl-clear-mark);
  padding: 4px 10px;
  margin-bottom: 8px;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
}
.place.breaks {
  border-left-color: var(--hl-stop-mark);
  background: #fdf6f3;
}
.place ul {
  flex: 1 1 100%;
  margin: 2px 0;
  padding-left: 18px;
  font-size: 13px;
}
.which {
  display: flex;
  gap: 8px;
  align-items: center;
  padding-bottom: 8px;
}
.grow {
  flex: 1;
}
select {
  min-height: 26px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  background: var(--hl-sheet);
}
.list {
  max-height: 56vh;
  overflow: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
}
th,
td {
  text-align: left;
  padding: 2px 8px;
  border-bottom: 1px solid var(--hl-rule);
  font-weight: 400;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--hl-sheet);
  color: var(--hl-ink-faded);
  font-size: 12px;
}
.group {
  font: 600 14px var(--hl-font-display);
  padding-top: 8px;
}
.group span {
  font-weight: 400;
}
.part {
  border: 0;
  background: none;
  padding: 0;
  min-height: 24px;
  font: inherit;
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
  color: var(--hl-verdigris-text);
}
</style>
