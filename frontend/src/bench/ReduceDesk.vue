<script setup lang="ts">
// How far the model, or a part of it, may be reduced: a curve that is measured once, and a slider that answers from it at once.
import { useQuery } from '@tanstack/vue-query';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client';
import { jobs } from '../api/jobs';
import ResultMark from '../ui/ResultMark.vue';
import { at, countAt, placeOf } from './curve';
import { useBench } from './useBench';
import { length } from './words';

const W = 470;
const H = 96;
const state = useBench('reading', 'tape', 'changes', 'ways');
state.listing.value = true;
const inspection = computed(() => state.bench.value?.reading?.inspection ?? null);
/** Every part with triangles, in the order of the tree. */
const drawn = computed(() => state.parts.value.filter((n) => n.triangles > 0));
const part = ref('');
const parts = computed(() => (part.value ? [part.value] : []));
const wanted = ref(false);
const { data, error, refetch } = useQuery({
  queryKey: computed(() => ['curve', inspection.value, part.value]),
  queryFn: () => api.curve(inspection.value!, parts.value),
  enabled: computed(() => wanted.value && inspection.value !== null),
  refetchInterval: (q) => (['waiting', 'running'].includes(q.state.data?.state ?? '') ? 400 : false),
});
async function again() {
  await api.curve(inspection.value!, parts.value, true);
  await refetch();
}
const points = computed(() => (data.value?.state === 'done' ? data.value.points : []));
const job = computed(() => jobs.jobs.find((j) => j.id === data.value?.job));
const trouble = computed(
  () => error.value?.message ?? (data.value && ['failed', 'cancelled'].includes(data.value.state) ? data.value.error : ''),
);
const limit = computed(() => {
  const gauge = (state.bench.value?.gauges ?? []).find((g) => g.key === (part.value ? 'largest' : 'triangles'));
  const mesh = (state.bench.value?.gauges ?? []).find((g) => g.key === 'largest');
  return gauge?.limit ?? (drawn.value.length === 1 ? (mesh?.limit ?? null) : null);
});
const place = ref(0);
const count = computed(() => (points.value.length ? countAt(points.value, place.value) : 0));
const told = computed(() => (points.value.length ? at(points.value, count.value) : null));
watch(points, (p) => {
  if (p.length) place.value = placeOf(p, limit.value && limit.value < p[0]!.triangles ? limit.value : p[0]!.triangles / 2);
});
const top = computed(() => Math.max(...points.value.map((p) => p.greatest), 1e-9));
/** Distances on a scale of roots: small ones, which matter most, are seen beside the largest. */
const y = (metres: number) => H - 8 - (H - 16) * Math.sqrt(metres / top.value);
const x = (triangles: number) => 8 + (W - 16) * placeOf(points.value, triangles);
const line = (key: 'greatest' | 'mean') => points.value.map((p) => `${x(p.triangles).toFixed(1)} ${y(p[key]).toFixed(1)}`).join('L');
const tryIt = () => state.trial.tryOut('budget.reduce', { triangles: count.value, ...(part.value ? { parts: parts.value } : {}) });
/** Parts over the limit of one mesh, each brought below it by itself. */
const each = computed(() => {
  const mesh = (state.bench.value?.gauges ?? []).find((g) => g.key === 'largest');
  const now = mesh?.reached.at(-1)?.value ?? 0;
  return !part.value && drawn.value.length > 1 && mesh?.limit && now > mesh.limit ? mesh.limit : null;
});
const eachToLimit = () => state.trial.tryOut('budget.reduce', { triangles: each.value, each: true });
/** What the first step takes out without a pixel that changes. */
const free = computed(() => state.stations.value.find((s) => s.slug === 'budget')?.tables.find((t) => t.key === 'free')?.rows ?? []);
const freed = computed(() => free.value.reduce((sum, r) => sum + (r.cells.triangles?.value ?? 0), 0));
const takeOut = () =>
  state.trial.tryOut('budget.free', {
    hidden: free.value.some((r) => r.id === 'never seen'),
    ...(part.value ? { parts: parts.value } : {}),
  });
const whole = computed(() => points.value[0]?.triangles ?? 0);
</script>

<template>
  <section class="desk" aria-label="How far it may be reduced">
    <div class="ask">
      <h3>How far may it be reduced?</h3>
      <select v-if="drawn.length > 1" v-model="part" aria-label="Of which part">
        <option value="">all parts together</option>
        <option v-for="n in drawn" :key="n.key" :value="n.key">{{ n.name || n.key }}</option>
      </select>
      <button v-if="!wanted" class="btn" @click="wanted = true">Measure it</button>
    </div>
    <p v-if="freed" class="ask small">
      <span class="first">
        First, what changes nothing: <b class="mono">{{ freed.toLocaleString('en') }}</b>
        {{
          free.length === 1
            ? `${free[0]!.id} triangles`
            : `triangles (${free.map((r) => `${r.cells.triangles?.text} ${r.id}`).join(', ')})`
        }}.
      </span>
      <button class="btn" @click="takeOut">Take it out</button>
    </p>
    <p v-if="trouble" role="alert" class="small">
      <ResultMark result="caution" /> {{ trouble }} <button class="btn" @click="again">Measure again</button>
    </p>
    <p v-else-if="wanted && !points.length" class="faded small wait" role="status">
      <ResultMark result="pending" /> {{ job ? job.phase : 'waiting' }}
      <progress :value="job?.share ?? 0" max="1" aria-label="Measuring" />
      <button v-if="job" class="btn" @click="api.stopJob(job.id)">Stop</button>
    </p>
    <template v-else-if="told">
      <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`Distance from the surface before, from ${whole} triangles down`">
        <path :d="`M8 ${H - 8}H${W - 8}`" class="ground" />
        <path v-if="limit && limit < whole" :d="`M${x(limit)} 4V${H - 8}`" class="limit" />
        <path :d="`M${line('mean')}`" class="mean" />
        <path :d="`M${line('greatest')}`" class="greatest" />
        <circle v-for="p in points" :key="p.triangles" :cx="x(p.triangles)" :cy="y(p.greatest)" r="1.8" />
        <path :d="`M${x(count)} 2V${H - 8}`" class="here" />
        <circle :cx="x(count)" :cy="y(told.greatest)" r="4" class="knob" />
      </svg>
      <input
        v-model.number="place"
        type="range"
        min="0"
        max="1"
        step="0.002"
        aria-label="To how many triangles"
        :aria-valuetext="`${count.toLocaleString('en')} triangles, at most ${length(told.greatest)} off`"
      />
      <p class="says">
        <b class="mono">{{ count.toLocaleString('en') }}</b> of {{ whole.toLocaleString('en') }} triangles: at most
        <b class="mono">{{ length(told.greatest) }}</b> off, <b class="mono">{{ length(told.mean) }}</b> on average
      </p>
      <div class="acts">
        <button class="btn main" :disabled="count >= whole" @click="tryIt">Try it on the model</button>
        <button v-if="limit && limit < whole" class="btn" @click="place = placeOf(points, limit)">
          To the sheet's {{ limit.toLocaleString('en') }}
        </button>
        <button v-if="each" class="btn" @click="eachToLimit">Each part to {{ each.toLocaleString('en') }}</button>
        <span
          class="faded small"
          title="The line above: the greatest distance; the lower one: the mean. Pictures, outline and shading are measured when it is tried."
        >
          measured at {{ points.length }} counts
        </span>
      </div>
    </template>
  </section>
</template>

<style scoped>
.desk {
  border: 1px solid var(--hl-rule);
  border-radius: 3px;
  background: var(--hl-sheet);
  padding: 7px 10px 8px;
  display: grid;
  gap: 5px;
  min-width: 0;
}
.ask,
.acts,
.wait {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
h3 {
  font: 600 15px/1.2 var(--hl-font-display);
  margin: 0;
  flex: 1;
}
.first {
  flex: 1;
}
select {
  max-width: 190px;
}
svg {
  width: 100%;
  overflow: visible;
}
path {
  fill: none;
  stroke-width: 1.2;
}
.ground {
  stroke: var(--hl-rule-strong);
}
.limit {
  stroke: var(--hl-ink);
  stroke-dasharray: 3 2;
}
.greatest {
  stroke: var(--hl-verdigris);
  stroke-width: 1.8;
}
.mean {
  stroke: var(--hl-verdigris);
  stroke-dasharray: 1 3;
}
.here {
  stroke: var(--hl-caution-mark);
}
circle {
  fill: var(--hl-verdigris-deep);
}
.knob {
  fill: var(--hl-sheet);
  stroke: var(--hl-caution-mark);
  stroke-width: 2;
}
input[type='range'] {
  width: calc(100% - 2px);
  margin: 0;
  accent-color: var(--hl-verdigris);
}
.says {
  font-size: 13.5px;
}
progress {
  flex: 1;
  min-width: 60px;
  accent-color: var(--hl-verdigris);
}
</style>
