<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, ref } from 'vue';
import type { TapeSlip, WaySlip } from '../api/client';
import { moved, toggled, without } from './tape';
import TrialCard from './TrialCard.vue';
import { costWords, mendWords } from './words';
import { useBench } from './useBench';

const WayDesk = defineAsyncComponent(() => import('./WayDesk.vue'));
const state = useBench('reading', 'choices', 'changes', 'tape', 'way', 'selection');
defineEmits<{ export: []; recipes: [] }>();
const fixed = computed(() => state.bench.value?.by_mends);
const tape = computed(() => state.bench.value?.tape ?? []);
const dragged = ref<number | null>(null);
const TICKS = Array.from({ length: 480 }, (_, i) => `M${i * 4 + 0.5} 0v${i % 10 === 0 ? 8 : i % 5 === 0 ? 6 : 3.5}`).join('');
const words = (s: { mend: string; params: Record<string, unknown> }) => mendWords(state.mendFacts(s.mend), s.mend, s.params);
const trying = computed(() => state.trial.tried.value && !state.wayOpen.value);
const line = (s: TapeSlip) => {
  if (!s.on) return 'switched off';
  if (!s.run) return 'being tried …';
  if (!s.run.applied) return conflict(s) || (s.run.because ?? 'does not apply');
  const f = s.run.figures[0];
  return f ? `${f.before} → ${f.after}` : 'done';
};
/** Which earlier slip takes away what a mend needs. */
const conflict = (s: TapeSlip) =>
  typeof s.before === 'number' && !s.run?.applied ? `${s.before + 1} takes away what it needs: ${s.run?.because ?? ''}` : '';
const whole = (s: TapeSlip) =>
  [
    conflict(s),
    ...(s.run?.figures ?? []).map((f) => `${f.what}: ${f.before} → ${f.after}`),
    ...(s.run?.remarks ?? []),
    s.run?.because ?? '',
  ]
    .filter(Boolean)
    .join('\n');

/** Whether anything is wrong that a way may mend. */
const wrong = computed(() => {
  const v = state.bench.value?.reading?.verdict;
  return !!v && v.stop + v.caution > 0;
});
const ready = computed(() => state.bench.value?.state === 'done' && !state.bench.value.stale);
const one = (s: WaySlip) => {
  const f = s.figures[0];
  return f ? `${f.before} → ${f.after}` : costWords(s.cost) || 'no figure changes';
};
const proposals = ref<HTMLElement[]>([]);
/** Walks along the proposed slips: each shows the model with all up to it. */
async function along(e: KeyboardEvent, k: number) {
  const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
  if (by) {
    const to = Math.max(0, Math.min(state.proposed.value.length - 1, k + by));
    state.walk(to);
    await nextTick();
    proposals.value[to]?.focus();
  } else return;
  e.preventDefault();
}
const findingOf = (id: string) => (state.bench.value?.reading?.findings ?? []).find((f) => f.id === id);
function move(from: number, to: number) {
  const slips = moved(state.slips.value, from, to);
  if (slips !== state.slips.value) state.lay.mutate(slips);
}
const remove = (k: number) => state.lay.mutate(without(state.slips.value, k));
const toggle = (k: number) => state.lay.mutate(toggled(state.slips.value, k));
function key(e: KeyboardEvent, k: number) {
  if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowLeft')) move(k, k - 1);
  else if (e.altKey && (e.key === 'ArrowDown' || e.key === 'ArrowRight')) move(k, k + 1);
  else if (e.key === 'Delete') remove(k);
  else return;
  e.preventDefault();
}
</script>

<template>
  <footer class="tape" aria-label="Mend tape">
    <svg class="ticks" viewBox="0 0 1920 9" preserveAspectRatio="xMinYMin slice" aria-hidden="true">
      <path :d="TICKS" stroke="#8C8371" />
    </svg>
    <h2>
      Mend tape<span :title="(fixed?.fixed ?? []).join('\n')">{{
        !tape.length ? 'nothing on it' : fixed ? `${fixed.fixed.length} fixed, ${fixed.fresh.length} new` : `${tape.length} in order`
      }}</span>
    </h2>
    <ol v-if="tape.length || state.proposed.value.length" class="slips">
      <li
        v-for="(s, k) in tape"
        :key="k"
        class="slip"
        :class="{ off: !s.on, failed: s.run && !s.run.applied, trying: s.on && !s.run }"
        tabindex="0"
        draggable="true"
        :title="whole(s)"
        :aria-label="`${k + 1}. ${words(s)}: ${line(s)}. Alt and arrows move it, Delete takes it off.`"
        @keydown="key($event, k)"
        @dragstart="dragged = k"
        @dragover.prevent
        @drop.prevent="dragged !== null && move(dragged, k)"
        @dragend="dragged = null"
      >
        <span class="grip" aria-hidden="true" /><span class="no">{{ k + 1 }}</span>
        <div class="text">
          <b>{{ words(s) }}</b><br /><span class="mono">{{ line(s) }}</span>
        </div>
        <button
          v-if="typeof s.before === 'number'"
          class="btn plain"
          :aria-label="`Move ${words(s)} before ${s.before + 1}`"
          @click="move(k, s.before)"
        >
          before {{ s.before + 1 }}
        </button>
        <button
          :aria-label="s.on ? `Switch ${words(s)} off` : `Switch ${words(s)} on`"
          :aria-pressed="s.on"
          class="switch"
          @click="toggle(k)"
        >
          <i />
        </button>
        <button :aria-label="`Take ${words(s)} off the tape`" class="away" @click="remove(k)">×</button>
      </li>
      <li
        v-for="(s, k) in state.proposed.value"
        :key="`way ${k}`"
        class="slip proposed"
        :class="{ walked: state.walked.value === k, folded: s.options.length > 1 }"
      >
        <button
          ref="proposals"
          class="look"
          :aria-pressed="state.walked.value === k"
          :title="['Shows the model with it; arrows walk on.', ...s.clears].join('\n')"
          @click="state.walk(k)"
          @keydown="along($event, k)"
        >
          <span class="no">{{ tape.length + k + 1 }}</span>
          <span class="text"
            ><b>{{ words(s) }}</b
            ><br /><span class="mono">{{ one(s) }}</span
            ><span v-if="s.options.length > 1" class="unseen">, there is a choice</span></span
          >
        </button>
      </li>
      <li v-for="l in state.left.value" :key="l.id" class="yours" :title="l.because">
        <span>{{ l.title }}</span><button v-if="findingOf(l.id)" class="btn plain" @click="state.show(findingOf(l.id)!)">Show it</button>
      </li>
    </ol>
    <TrialCard v-if="trying" />
    <WayDesk v-if="state.wayOpen.value" />
    <p v-if="!tape.length && !state.proposed.value.length" class="faded small hint">
      Mends that you choose are laid here in order and played on a copy; what you brought stays as it is.
    </p>
    <div class="end">
      <button
        v-if="wrong || state.wayOpen.value"
        class="btn"
        :aria-expanded="state.wayOpen.value"
        :disabled="!ready"
        title="Looks for the fewest mends that make it fit, and shows them before anything is laid on the tape"
        @click="state.wayOpen.value ? state.closeWay() : state.openWay()"
      >
        The way to Fit
      </button>
      <button
        v-if="state.safeMends.value.length && !state.wayOpen.value"
        class="btn"
        :disabled="state.lay.isPending.value"
        title="Mends that change nothing to see"
        @click="state.putAll(state.safeMends.value)"
      >
        All {{ state.safeMends.value.length }} safe
      </button>
      <button v-if="!state.wayOpen.value" class="btn" @click="$emit('recipes')">Recipes …</button>
      <button class="btn" :disabled="!state.bench.value?.can_undo || state.step.isPending.value" @click="state.step.mutate('undo')">
        Undo
      </button>
      <button class="btn" :disabled="!state.bench.value?.can_redo || state.step.isPending.value" @click="state.step.mutate('redo')">
        Redo
      </button>
      <button class="btn main big" :disabled="!state.bench.value?.reading || state.bench.value.stale" @click="$emit('export')">
        Export rev {{ state.bench.value?.revision.number }} …
      </button>
    </div>
  </footer>
</template>

<style scoped>
.tape {
  min-height: var(--hl-tape-h);
  flex: none;
  background: var(--hl-paper-deep);
  border-top: 1px solid var(--hl-rule-strong);
  position: relative;
  display: flex;
  align-items: center;
  padding: 9px 16px 2px;
  gap: 10px;
}
.ticks {
  position: absolute;
  left: 0;
  top: 0;
  width: 100%;
  height: 9px;
}
h2 {
  font: 600 15px/1.1 var(--hl-font-display);
  width: 92px;
  flex: none;
  white-space: nowrap;
}
h2 span {
  display: block;
  font: 400 12px var(--hl-font-text);
  color: var(--hl-ink-faded);
}
.slips {
  display: flex;
  gap: 9px;
  list-style: none;
  margin: 0;
  padding: 3px;
  overflow-x: auto;
  flex: 1;
  min-width: 0;
}
.slip {
  height: 42px;
  flex: none;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule);
  border-radius: 2px;
  box-shadow: var(--hl-shadow-slip);
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 4px 0 6px;
  font-size: 12.5px;
  line-height: 1.22;
  cursor: grab;
}
.slip.off,
.slip.trying {
  background: transparent;
  border-style: dashed;
  border-color: var(--hl-rule-strong);
  box-shadow: none;
}
.slip.off {
  color: var(--hl-ink-faded);
}
.slip.proposed {
  background: transparent;
  border: 1.5px dashed var(--hl-verdigris);
  box-shadow: none;
  cursor: pointer;
  position: relative;
}
.slip.proposed.walked {
  background: var(--hl-sheet);
}
.look {
  display: flex;
  align-items: center;
  gap: 8px;
  border: 0;
  background: none;
  padding: 0;
  height: 100%;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
}
.unseen {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
/* A slip with a choice has a folded corner. */
.slip.folded::after {
  content: '';
  position: absolute;
  right: -1.5px;
  top: -1.5px;
  border: 7px solid;
  border-color: var(--hl-paper-deep) var(--hl-paper-deep) var(--hl-verdigris) var(--hl-verdigris);
}
.yours {
  flex: none;
  max-width: 240px;
  height: 42px;
  padding: 3px 8px;
  font-size: 12.5px;
  line-height: 1.2;
  background: var(--hl-paper);
  border: 1px solid var(--hl-rule);
  display: flex;
  align-items: center;
  gap: 6px;
}
.yours span {
  overflow: hidden;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
}
.slip.failed {
  border-color: var(--hl-caution-mark);
}
.slip.failed .mono {
  color: var(--hl-caution-text);
}
.text {
  max-width: 236px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.grip {
  width: 8px;
  height: 20px;
  background: repeating-linear-gradient(0deg, var(--hl-ink-ghost) 0 1px, transparent 1px 4px);
}
.no {
  font: 600 15px var(--hl-font-display);
  color: var(--hl-verdigris-text);
}
.switch,
.away {
  border: 0;
  background: none;
  width: 26px;
  height: 24px;
  cursor: pointer;
  padding: 0;
  display: grid;
  place-items: center;
  color: var(--hl-ink-faded);
  font-size: 15px;
}
.switch i {
  width: 24px;
  height: 13px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 8px;
  position: relative;
  background: var(--hl-sheet);
}
.switch i::after {
  content: '';
  position: absolute;
  width: 9px;
  height: 9px;
  border-radius: 50%;
  top: 1px;
  left: 1px;
  background: var(--hl-rule-strong);
}
.switch[aria-pressed='true'] i {
  background: var(--hl-verdigris);
  border-color: var(--hl-verdigris);
}
.switch[aria-pressed='true'] i::after {
  left: 12px;
  background: var(--hl-sheet);
}
.hint {
  flex: 1;
}
@media (max-width: 760px) {
  .tape {
    flex-wrap: wrap;
    padding: 11px 8px 4px;
  }
  .hint {
    flex-basis: calc(100% - 102px);
  }
}
.end {
  margin-left: auto;
  display: flex;
  gap: 8px;
  align-items: center;
  flex: none;
}
</style>
