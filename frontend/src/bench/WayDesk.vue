<script setup lang="ts">
// The way to Fit above the tape: what is asked first, what each proposed slip does and costs, what there is to choose, and how it ends.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Select from 'primevue/select';
import { computed, reactive, ref, watch } from 'vue';
import { api, type AskedQuestion, type Intent, type WaySlip } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { useBench } from './useBench';
import { costWords, figure, mendWords, typedLength } from './words';

const state = useBench('reading', 'choices', 'changes', 'tape', 'way', 'selection');
const queries = useQueryClient();
const way = state.found;
const words = (s: { mend: string; params: Record<string, unknown> }) => mendWords(state.mendFacts(s.mend), s.mend, s.params);
const many = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`;
const slip = computed(() => (state.walked.value === null ? null : (state.proposed.value[state.walked.value] ?? null)));
const reading = computed(() => slip.value && (!state.trial.trial.value || ['waiting', 'running'].includes(state.trial.trial.value.state)));
const own = computed(() => way.value?.branches.find((b) => b.sheet === state.bench.value?.sheet) ?? null);
const others = computed(() => way.value?.branches.filter((b) => b.sheet !== state.bench.value?.sheet) ?? []);
const nameOf = (slug: string) => state.catalogue.value?.sheets.find((s) => s.slug === slug)?.name ?? slug;
const ends = computed(() => {
  if (!own.value) return '';
  const fit = !own.value.after.stop && !own.value.after.unlooked?.length;
  const n = state.proposed.value.length;
  const after = n ? ` after ${many(n, 'mend')}` : fit ? ' as it is' : '; no mend helps';
  const yours = state.left.value.length;
  return `${fit ? 'Fit' : 'Held'}${after}${yours ? ` · ${yours} ${yours === 1 ? 'is' : 'are'} yours` : ''}`;
});
const verdict = (v: { stop: number; caution: number }) => `${many(v.stop, 'stop')}, ${many(v.caution, 'caution')}`;
const looks = computed(() => {
  const l = way.value?.looks;
  if (!l) return '';
  const worst = [...l.sides].sort((a, b) => b.pixels - a.pixels)[0]!;
  const far = l.distance_m === null ? '' : `; the surface is off by ${figure({ value: l.distance_m, unit: 'm' })} at most`;
  return l.worst
    ? `${Number(l.mean.toPrecision(3))} of ${l.of.toLocaleString('en')} pixels differ in the mean of twelve sides, ${l.worst.toLocaleString('en')} at most, from ${worst.words}${far}.`
    : `No pixel differs from any of twelve sides${far}.`;
});

// What is asked first: filled in with what the model suggests, and put down only by a press.
const form = reactive<Record<string, string>>({});
watch(
  state.questions,
  (asked) => {
    for (const q of asked) form[q.key] ??= q.suggestion === null ? '' : String(q.suggestion);
  },
  { immediate: true },
);
const choicesOf = (q: AskedQuestion) => {
  const name = q.key.split('.')[0]!;
  return (state.catalogue.value?.intent.find((f) => f.name === name)?.choices ?? []).map((c) => ({
    value: String(c.value),
    words: c.words,
  }));
};
const wrong = computed(() => {
  const text = form['expected.height_m'] ?? '';
  return text !== '' && !(typedLength(text, 1) > 0) ? `${text} is no height; type metres, or a length with its unit.` : '';
});
function answer(take: boolean) {
  const said: Record<string, unknown> = {};
  for (const q of take ? state.questions.value : []) {
    const text = form[q.key] ?? '';
    if (text === '') continue;
    if (q.key === 'expected.height_m') said.expected = { ...state.bench.value!.intent.expected, height_m: typedLength(text, 1) };
    else said[q.key] = q.key === 'copies' ? Number(text) : text;
  }
  state.answer(said as Partial<Intent>);
}
const shown = computed(() => !state.answered.value && state.waiting.value.length > 0 && !way.value && !state.seeking.value);

// Choices, and what is remembered of them.
const { data: rules } = useQuery({ queryKey: ['way-rules'], queryFn: api.wayRules, enabled: state.wayOpen });
const renewed = () => queries.invalidateQueries({ queryKey: ['way-rules'] });
const remember = useMutation({
  mutationFn: ({ check, mend }: { check: string; mend: string }) => api.rememberWay(check, mend),
  onSettled: renewed,
  onError: state.complain,
});
const forget = useMutation({ mutationFn: api.forgetWay, onSettled: renewed, onError: state.complain });
const taken = (s: WaySlip) => s.options.find((o) => o.chosen)?.rule ?? s.mend;
const remembered = (check: string, mend: string) => rules.value?.rules.some((r) => r.check === check && r.mend === mend) ?? false;
const recipe = ref('');
const keep = useMutation({
  mutationFn: () =>
    api.keepRecipe(
      recipe.value.trim(),
      state.proposed.value.map(({ mend, params }) => ({ mend, params, on: true })),
    ),
  onSuccess: () => ((recipe.value = ''), queries.invalidateQueries({ queryKey: ['recipes'] })),
  onError: state.complain,
});
const sheetChoices = computed(() => (state.catalogue.value?.sheets ?? []).filter((s) => s.slug !== state.bench.value?.sheet));
const GOALS = [
  { value: 'stop', words: 'stops alone' },
  { value: 'caution', words: 'stops and cautions' },
  { value: 'note', words: 'notes too' },
];
function showLeft(id: string) {
  const f = (state.bench.value?.reading?.findings ?? []).find((x) => x.id === id);
  if (f) state.show(f);
}
const there = (id: string) => (state.bench.value?.reading?.findings ?? []).some((x) => x.id === id);
</script>

<template>
  <section class="way" aria-label="The way to Fit">
    <header>
      <h2>The way to Fit</h2>
      <b v-if="way" class="ends" :class="own && !own.after.stop ? 'clear' : 'stop'" role="status">{{ ends }}</b>
      <button class="btn plain" aria-label="Close the way to Fit" @click="state.closeWay()">×</button>
    </header>
    <div class="for">
      <label
        >Mend <Select v-model="state.goal.value" :options="GOALS" option-label="words" option-value="value" aria-label="What is mended"
      /></label>
      <span class="small">for {{ nameOf(state.bench.value!.sheet) }} and</span>
      <label v-for="s in sheetChoices" :key="s.slug" class="small"
        ><input v-model="state.more.value" type="checkbox" :value="s.slug" /> {{ s.name }}</label
      >
    </div>
    <form v-if="shown" class="asked" @submit.prevent="answer(true)">
      <p>Some mends hang on what only you know. What the model suggests is filled in; change it where it is wrong.</p>
      <div v-for="q in state.questions.value" :key="q.key" class="question">
        <label :for="`ask ${q.key}`"
          ><ResultMark v-if="q.waiting" result="caution" :size="11" /> {{ q.asks
          }}<template v-if="q.key === 'expected.height_m'">, metres</template></label
        >
        <Select
          v-if="choicesOf(q).length"
          v-model="form[q.key]"
          :input-id="`ask ${q.key}`"
          :options="choicesOf(q)"
          option-label="words"
          option-value="value"
        />
        <input v-else :id="`ask ${q.key}`" v-model="form[q.key]" inputmode="decimal" autocomplete="off" />
        <span class="small faded">suggested: {{ q.words }}; {{ q.why }}</span>
      </div>
      <p v-if="wrong" class="stop small" role="alert">{{ wrong }}</p>
      <div class="acts">
        <button class="btn main" type="submit" :disabled="wrong !== ''">Say so and look</button>
        <button class="btn" type="button" @click="answer(false)">Look without saying</button>
      </div>
    </form>
    <p v-if="state.seeking.value || (state.asking.value && !way)" role="status" class="going">
      <ResultMark result="pending" :size="14" /> {{ state.wayJob.value?.phase ?? 'waiting' }} …
      <progress :value="state.wayJob.value?.share ?? 0" />
      <button v-if="state.wayJob.value" class="btn" @click="api.stopJob(state.wayJob.value.id)">Stop</button>
    </p>
    <p v-else-if="state.wayTrouble.value" class="stop" role="alert">
      {{ state.wayTrouble.value }} <button class="btn" @click="state.seek.mutate()">Look again</button>
    </p>
    <div v-if="way" class="found">
      <p v-if="way.ended" class="small"><ResultMark result="caution" :size="11" /> {{ way.ended }}</p>
      <article v-if="slip" class="slip-told">
        <h3>
          {{ (state.walked.value ?? 0) + 1 }}. {{ words(slip) }}
          <span v-if="reading" class="faded small"><ResultMark result="pending" :size="11" /> reading the model with it …</span>
          <span v-else class="faded small">shown in the loupe</span>
        </h3>
        <p v-for="t in slip.clears" :key="t" class="small"><ResultMark result="clear" :size="11" /> {{ t }}</p>
        <p v-for="t in slip.brings" :key="t" class="small"><ResultMark result="note" :size="11" /> comes with it: {{ t }}</p>
        <p class="small">
          <span v-for="f in slip.figures" :key="f.what" class="figure"
            >{{ f.what }} <span class="mono">{{ f.before }} → {{ f.after }}</span></span
          >
          <span v-if="costWords(slip.cost)" class="figure">{{ costWords(slip.cost) }}</span>
        </p>
        <p v-for="t in [...slip.kept.map((k) => `Kept and measured: ${k}`), ...slip.remarks]" :key="t" class="small faded">{{ t }}</p>
        <fieldset v-if="slip.options.length > 1">
          <legend class="small">One of these; each clears it</legend>
          <label v-for="o in slip.options" :key="o.title"
            ><input type="radio" name="option" :checked="o.chosen" @change="slip.checks[0] && state.choose(slip.checks[0], o.rule)" />
            {{ words(o)
            }}<span class="small faded">{{ costWords(o.cost) ? ` · ${costWords(o.cost)}` : ' · no figure changes' }}</span></label
          >
          <button
            v-if="slip.checks[0]"
            type="button"
            class="btn"
            @click="
              remembered(slip.checks[0], taken(slip))
                ? forget.mutate(slip.checks[0])
                : remember.mutate({ check: slip.checks[0], mend: taken(slip) })
            "
          >
            {{ remembered(slip.checks[0], taken(slip)) ? 'Choose anew for the next model' : 'Have it so for the next model too' }}
          </button>
        </fieldset>
      </article>
      <template v-else>
        <p v-if="own">
          {{ nameOf(own.sheet) }}: {{ verdict(own.before) }} → <b>{{ verdict(own.after) }}</b><template v-if="own.format"
            >; it goes out as <span class="mono">.{{ own.format }}</span
            >, since its own format cannot hold all of it</template
          >
        </p>
        <p v-if="state.more.value.length && own?.slips.length" class="small">
          For {{ nameOf(own.sheet) }} alone, when it is exported: {{ own.slips.map(words).join(', ') }}
        </p>
        <p v-for="b in others" :key="b.sheet">
          {{ b.name }}: {{ verdict(b.before) }} → <b>{{ verdict(b.after) }}</b><span v-if="b.slips.length" class="small"
            >; for it alone, when it is exported: {{ b.slips.map(words).join(', ') }}</span
          >
          <span v-for="l in b.left" :key="l.id" class="small faded block"
            ><ResultMark :result="l.result as 'stop'" :size="11" /> {{ l.title }}. {{ l.because }}</span
          >
        </p>
        <p v-if="way.slips.length" class="small">
          Together: {{ costWords(way.cost) || 'nothing that is drawn or stored changes in number' }}.
        </p>
        <figure v-if="looks">
          <img v-if="state.wayPicture.value" :src="state.wayPicture.value" alt="The side that changes most: before, after, and where" />
          <figcaption class="small">{{ looks }}<span v-if="state.wayPicture.value" class="faded"> Before, after, where.</span></figcaption>
        </figure>
        <ul v-if="state.left.value.length" class="left">
          <li v-for="l in state.left.value" :key="l.id">
            <ResultMark :result="l.result as 'stop'" :size="12" /> {{ l.title }}
            <span class="small faded block">{{ l.because }}</span>
            <button v-if="there(l.id)" class="btn" @click="showLeft(l.id)">Show it</button>
          </li>
        </ul>
      </template>
      <div class="acts">
        <button class="btn main" :disabled="!state.proposed.value.length && !others.some((b) => b.slips.length)" @click="state.layWay()">
          {{ state.proposed.value.length === 1 ? 'Lay this one on the tape' : `Lay these ${state.proposed.value.length} on the tape` }}
        </button>
        <button v-if="slip" class="btn" @click="state.walk(null)">Back to the whole way</button>
        <form class="keep" @submit.prevent="recipe.trim() && keep.mutate()">
          <input v-model="recipe" aria-label="Name of the recipe" placeholder="as a recipe called …" maxlength="80" />
          <button class="btn" :disabled="!recipe.trim() || !state.proposed.value.length">Keep it</button>
        </form>
      </div>
    </div>
  </section>
</template>

<style scoped>
.way {
  position: absolute;
  left: 16px;
  bottom: calc(100% + 8px);
  width: 620px;
  max-width: calc(100vw - 32px);
  max-height: min(66vh, 560px);
  overflow-y: auto;
  z-index: 5;
  background: var(--hl-sheet);
  border: 1px dashed var(--hl-rule-strong);
  border-radius: 3px;
  box-shadow: var(--hl-shadow-pop);
  padding: 8px 12px 10px;
  font-size: 13px;
  display: grid;
  gap: 6px;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
}
h2 {
  font: 600 17px/1.2 var(--hl-font-display);
  width: auto;
  flex: 1;
}
h3 {
  font: 600 14px/1.3 var(--hl-font-text);
}
.ends {
  border: 2px solid;
  border-radius: 4px;
  padding: 1px 9px;
  font: 600 14px/1.3 var(--hl-font-display);
  transform: rotate(-1deg);
}
.ends.clear {
  color: var(--hl-clear-text);
}
.ends.stop {
  color: var(--hl-stop-text);
}
.for {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 12px;
}
.for label {
  min-height: 24px;
}
.asked,
.found,
article {
  display: grid;
  gap: 5px;
}
.question {
  display: grid;
  grid-template-columns: 186px 190px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}
.question input,
.keep input {
  font: inherit;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: transparent;
  min-height: 24px;
  min-width: 0;
}
.going {
  display: flex;
  gap: 8px;
  align-items: center;
}
.figure {
  margin-right: 12px;
}
.block {
  display: block;
}
fieldset {
  border: 0;
  border-top: 1px solid var(--hl-rule);
  padding: 4px 0 0;
  margin: 0;
  display: grid;
  gap: 2px;
  justify-items: start;
}
fieldset label {
  min-height: 24px;
}
figure {
  margin: 0;
  display: grid;
  gap: 3px;
}
figure img {
  width: 330px;
  max-width: 100%;
  border: 1px solid var(--hl-rule);
}
.left {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
.left li {
  background: var(--hl-paper);
  border: 1px solid var(--hl-rule);
  padding: 4px 8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.keep {
  display: flex;
  gap: 6px;
  margin-left: auto;
}
progress {
  width: 160px;
  accent-color: var(--hl-verdigris);
}
</style>
