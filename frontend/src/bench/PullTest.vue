<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client';
import type { components } from '../api/schema';
import ResultMark from '../ui/ResultMark.vue';
import type { useStage } from './useStage';
import { useVisitor } from './useVisitor';

const props = defineProps<{ context: ReturnType<typeof useStage>; inspection: number | null }>();
const state = props.context.state;
const m = props.context.motion;
const joints = computed(() => props.context.model.value?.rig?.joints ?? []);
const told = ref<components['schemas']['Pull'] | null>(null);
const failed = ref('');
const { visitor, trouble } = useVisitor(props.context);
/** Other models that can be held to the joint, to be looked at. */
const { data: shelf } = useQuery({ queryKey: ['shelf', 'visitors'], queryFn: () => api.shelf(), staleTime: 30_000 });
const visitors = computed(() => (shelf.value?.models ?? []).filter((x) => x.stage !== null && x.stage !== props.inspection));
const AXES = ['x', 'y', 'z'] as const;
const PULLED = 60;
let ticket = 0;

/** What the core makes of this turn: told once the hand rests. */
watch([() => state.joint, () => [state.pull.x, state.pull.y, state.pull.z].join(' '), () => props.inspection], () => {
  const [joint, id, mine] = [state.joint, props.inspection, ++ticket];
  told.value = null;
  failed.value = '';
  if (joint === null || id === null || !(state.pull.x || state.pull.y || state.pull.z)) return;
  setTimeout(async () => {
    if (mine !== ticket) return;
    try {
      const found = await api.pull(id, joint, m.turnOf(joint));
      if (mine === ticket) told.value = found;
    } catch (e) {
      if (mine === ticket) failed.value = (e as Error).message;
    }
  }, 250);
});
const sums = computed(() => {
  const parts = told.value?.parts ?? [];
  const sum = (k: 'come' | 'stay' | 'torn') => parts.reduce((n, p) => n + p[k], 0);
  return { come: sum('come'), stay: sum('stay'), torn: sum('torn'), worst: Math.max(1, ...parts.map((p) => p.worst)) };
});
const worst = computed(() => [...(told.value?.parts ?? [])].sort((a, b) => b.torn - a.torn).find((p) => p.torn) ?? null);
const figure = (n: number) => (Number.isFinite(n) ? Number(n.toFixed(1)) : 0);
const number = (e: Event) => Number((e.target as HTMLInputElement).value) || 0;
</script>

<template>
  <section class="pull" aria-label="Pull test">
    <div class="row">
      <select v-model="state.joint" aria-label="Joint">
        <option :value="null">choose a joint</option>
        <option v-for="j in joints" :key="j.node" :value="j.node">{{ j.name }}</option>
      </select>
    </div>
    <template v-if="state.joint !== null">
      <div class="grid">
        <span /><span v-for="a in AXES" :key="a" class="mono faded">{{ a }}</span>
        <span>turn °</span>
        <input
          v-for="a in AXES"
          :key="a"
          type="number"
          step="5"
          :value="figure(state.pull[a])"
          :aria-label="`Turn about ${a}, degrees`"
          @change="m.pullTo({ [a]: number($event) })"
        />
        <span>move m</span>
        <input
          v-for="a in AXES"
          :key="`m${a}`"
          type="number"
          step="0.01"
          :value="Number(state.pull[`m${a}`].toFixed(3))"
          :aria-label="`Move along ${a}, metres`"
          @change="m.pullTo({ [`m${a}`]: number($event) })"
        />
      </div>
      <div class="row presets" role="group" aria-label="Poses">
        <template v-for="a in AXES" :key="a">
          <button v-for="sign in [1, -1]" :key="sign" class="btn" @click="m.pullTo({ x: 0, y: 0, z: 0, [a]: sign * PULLED })">
            {{ sign > 0 ? '' : '−' }}{{ PULLED }}° {{ a }}
          </button>
        </template>
      </div>
      <p v-if="told" class="told" role="status">
        <ResultMark :result="sums.torn ? 'caution' : 'clear'" :size="12" />{{ ' ' }}
        <span class="mono">{{ sums.come.toLocaleString('en') }}</span> follow,
        <span class="mono">{{ sums.stay.toLocaleString('en') }}</span> stay,
        <template v-if="sums.torn"
          ><span class="mono">{{ sums.torn.toLocaleString('en') }}</span> {{ sums.torn === 1 ? 'side tears' : 'sides tear' }},
          <span class="mono">{{ sums.worst.toFixed(1) }}×</span> at worst</template
        ><template v-else
          >none tear, <span class="mono">{{ sums.worst.toFixed(2) }}×</span> at most</template
        >
      </p>
      <p v-else-if="failed" class="told" role="status">{{ failed }}</p>
      <p v-else class="told faded">Drag a joint to turn it, with Shift to move it.</p>
      <div v-if="visitors.length" class="row">
        <select
          v-model="visitor"
          aria-label="Hold another model to the joint, to look at it"
          title="It is drawn with the model and written with nothing"
        >
          <option :value="null">hold nothing to it</option>
          <option v-for="x in visitors" :key="x.id" :value="x.stage">{{ x.name }}</option>
        </select>
      </div>
      <p v-if="trouble" class="told stop" role="alert">{{ trouble }}</p>
      <div class="row">
        <button v-if="worst" class="btn" @click="context.markTorn(worst)">Show tears</button>
        <button class="btn" @click="m.reset()">Let go</button>
        <button v-if="state.pulled > 1" class="btn" @click="m.reset(true)">Let all go</button>
      </div>
    </template>
    <p v-else class="told faded">Choose a joint here, in the table, or on the model.</p>
  </section>
</template>

<style scoped>
.pull {
  position: absolute;
  right: 14px;
  top: 70px;
  width: 232px;
  padding: 8px;
  display: flex;
  flex-direction: column;
  gap: 5px;
  font-size: 12.5px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.row select {
  flex: 1;
  min-width: 0;
}
.presets .btn {
  flex: 1 0 62px;
}
.btn {
  min-height: 24px;
  padding: 0 6px;
}
.grid {
  display: grid;
  grid-template-columns: auto 1fr 1fr 1fr;
  gap: 2px 4px;
  align-items: center;
}
input,
select {
  min-width: 0;
  min-height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  font: 500 12.5px var(--hl-font-figure);
}
select {
  font-family: var(--hl-font-text);
}
.told {
  line-height: 1.35;
}
</style>
