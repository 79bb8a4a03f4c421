<script setup lang="ts">
import { computed, ref } from 'vue';
import { type ShelfModel } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import SureButton from '../ui/SureButton.vue';

const props = defineProps<{ model: ShelfModel; chosen: boolean; choosing: boolean }>();
const emit = defineEmits<{ remove: []; again: []; back: []; throwAway: []; choose: [through: boolean] }>();
/** Whether Shift was down when it was chosen: everything up to it is chosen then. */
const through = ref(false);
/** Drawn by the server when the model was read; numbered, so that a browser keeps it until there is another. */
const picture = computed(() =>
  props.model.thumbnail ? `/api/revisions/${props.model.revision}/thumbnail?drawn=${props.model.thumbnail}` : '',
);
const length = computed(() => {
  const m = props.model.longest_m;
  if (m === null || m === undefined) return '';
  const three = (x: number) => Number(x.toPrecision(3)).toString();
  const text = m < 0.01 ? `${three(m * 1000)} mm` : m < 9.995 ? `${m.toFixed(2)} m` : m < 999.5 ? `${three(m)} m` : `${three(m / 1000)} km`;
  return `${text} longest${props.model.unit_stated ? '' : '?'}`;
});
const reading = computed(() => props.model.state === 'waiting' || props.model.state === 'running');
</script>

<template>
  <li class="item" :class="{ picked: chosen, choosing }">
    <input
      type="checkbox"
      class="pick"
      :checked="chosen"
      :aria-label="`Choose ${model.name}`"
      @click="through = ($event as MouseEvent).shiftKey"
      @change="emit('choose', through)"
    />
    <div class="stand">
      <img v-if="picture" :src="picture" :alt="`${model.name}, drawn from the model`" width="236" height="190" />
      <span v-else-if="model.state === 'failed'" class="blank stop"><ResultMark result="stop" :size="20" />could not be read</span>
      <span v-else class="blank faded"
        ><ResultMark result="pending" :size="20" />{{ reading ? 'reading' : model.state === 'done' ? 'nothing to draw' : 'not read' }}</span
      >
    </div>
    <article class="label">
      <h3>
        <RouterLink :to="`/bench/${model.revision}`" class="open"><CutName :text="model.name" /></RouterLink>
        <span class="mono faded small">rev {{ model.number }}</span>
        <button
          v-if="!model.taken_off"
          class="away"
          :aria-label="`Take ${model.name} off the shelf`"
          title="Take off the shelf"
          @click="emit('remove')"
        >
          ×
        </button>
      </h3>
      <template v-if="model.state === 'failed' || model.state === 'cancelled'">
        <p class="why small">{{ model.error }}</p>
        <button class="btn again" @click="emit('again')">Try again</button>
      </template>
      <template v-else-if="model.taken_off">
        <p class="why small">
          Taken off {{ new Date(model.taken_off).toLocaleDateString('en', { day: 'numeric', month: 'long' }) }}; it is kept for 30 days.
        </p>
        <div class="off">
          <button class="btn main" @click="emit('back')">Bring back</button>
          <SureButton label="Throw away" asks="Really, for good" :name="model.name" @sure="emit('throwAway')" />
        </div>
      </template>
      <template v-else>
        <div v-if="model.met" class="row met" :title="model.met"><CutName :text="model.met" /></div>
        <div v-else class="row" :title="[model.folder, model.main, ...model.tags].filter(Boolean).join(' · ')">
          <CutName :text="model.main" /><span v-if="model.tags.length" class="tags">{{ model.tags.join(', ') }}</span>
        </div>
        <div class="row">
          <span>{{ length || '–' }}</span><span v-if="model.triangles !== null">{{ model.triangles.toLocaleString('en') }} tri</span>
        </div>
        <ul class="codes">
          <li v-for="v in model.verdicts" :key="v.sheet" :class="{ chosen: v.sheet === model.sheet }">
            {{ v.code }}<ResultCounts :counts="v.counts" worst-only :size="13" />
          </li>
        </ul>
      </template>
    </article>
  </li>
</template>

<style scoped>
.item {
  list-style: none;
  position: relative;
  display: flex;
  flex-direction: column;
  width: 236px;
}
.stand {
  height: 190px;
  display: flex;
  align-items: flex-end;
  justify-content: center;
  margin-bottom: -4px;
}
.blank {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 6px;
  padding-bottom: 40px;
}
.pick {
  position: absolute;
  left: 6px;
  top: 6px;
  z-index: 3;
  width: 20px;
  height: 20px;
  opacity: 0;
  accent-color: var(--hl-verdigris);
  cursor: pointer;
}
.item:hover .pick,
.item:focus-within .pick,
.choosing .pick {
  opacity: 1;
}
.picked .label {
  border-color: var(--hl-verdigris);
  background: var(--hl-verdigris-wash);
}
.met {
  color: var(--hl-verdigris-text);
}
.tags {
  max-width: 50%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-family: var(--hl-font-text);
}
.off {
  position: relative;
  z-index: 2;
  display: flex;
  gap: 6px;
}
.label {
  position: relative;
  z-index: 1;
  margin-top: 8px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule);
  border-radius: 2px;
  box-shadow: var(--hl-shadow-card);
  padding: 5px 10px 6px;
  min-height: 111px;
}
.label::before {
  content: '';
  position: absolute;
  left: 50%;
  top: -4px;
  width: 26px;
  height: 7px;
  margin-left: -13px;
  background: #cfc2a6;
  border: 1px solid #b9ab8c;
}
.item:focus-within .label,
.item:hover .label {
  border-color: var(--hl-verdigris);
  box-shadow: 0 0 0 1px var(--hl-verdigris);
}
h3 {
  font: 600 16px/1.2 var(--hl-font-display);
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.open {
  color: var(--hl-ink);
  text-decoration: none;
  flex: 1;
  white-space: nowrap;
}
/* The whole item opens the Bench; the cross lies above that. */
.open::after {
  content: '';
  position: absolute;
  inset: -194px 0 0;
}
.away {
  position: relative;
  z-index: 2;
  border: 0;
  background: none;
  width: 24px;
  height: 24px;
  margin: -4px -6px -4px 0;
  cursor: pointer;
  color: var(--hl-ink-faded);
  font-size: 16px;
  line-height: 1;
}
.away:hover {
  color: var(--hl-stop-text);
}
.row {
  display: flex;
  justify-content: space-between;
  font: 400 12.5px/1.45 var(--hl-font-figure);
  letter-spacing: -0.03em;
  color: var(--hl-ink-soft);
}
.codes {
  list-style: none;
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  border-top: 1px solid var(--hl-rule);
  margin: 4px -10px -6px;
  padding: 0;
  height: 38px;
}
.codes li {
  border-left: 1px solid #eae2d2;
  text-align: center;
  font: 500 12px/1 var(--hl-font-figure);
  color: var(--hl-ink-faded);
  padding-top: 4px;
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 3px;
}
.codes li:first-child {
  border: 0;
}
.codes li.chosen {
  background: var(--hl-verdigris-wash);
  color: var(--hl-ink);
  font-weight: 600;
}
.why {
  margin: 2px 0 4px;
  display: -webkit-box;
  -webkit-line-clamp: 3;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.again {
  position: relative;
  z-index: 2;
}
</style>
