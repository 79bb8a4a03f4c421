<script setup lang="ts">
// A mend that is being tried: what it does, what it leaves, what it costs, before it is kept or put back.
import { computed } from 'vue';
import ResultMark from '../ui/ResultMark.vue';
import { useBench } from './useBench';
import { mendWords } from './words';

const state = useBench('reading', 'choices', 'tape');
const slip = computed(() => state.trial.tried.value);
const facts = computed(() => (slip.value ? state.mendFacts(slip.value.mend) : undefined));
const trial = computed(() => state.trial.trial.value);
const reading = computed(() => !trial.value || trial.value.state === 'waiting' || trial.value.state === 'running');
const trouble = computed(() => {
  if (reading.value) return '';
  if (trial.value!.state !== 'done') return trial.value!.error ?? 'It could not be read.';
  return trial.value!.run?.applied ? '' : (trial.value!.run?.because ?? 'It does not apply here.');
});
/** Whole lines of text are set one under the other, so that the difference can be read. */
const isLine = (f: { before: string; after: string }) => Math.max(f.before.length, f.after.length) > 28;
const lines = computed(() => (trial.value?.run?.figures ?? []).slice(0, 9).filter(isLine));
const figures = computed(() => (trial.value?.run?.figures ?? []).slice(0, 9).filter((f) => !isLine(f)));
/** What drawing costs, but for what the mend's own figures have said already. */
const price = computed(() => {
  const said = new Set((trial.value?.run?.figures ?? []).map((f) => f.what.toLowerCase()));
  return (trial.value?.price ?? []).filter((f) => !said.has(f.what.toLowerCase()));
});
const now = computed(() => state.bench.value?.reading?.verdict);
/** What goes and what comes with it: a mend that only moves the trouble is seen to do so before it is kept. */
const told = computed(() =>
  (
    [
      ['Goes', trial.value?.goes ?? []],
      ['Comes', trial.value?.comes ?? []],
    ] as [string, string[]][]
  ).filter(([, list]) => list.length),
);
const counted = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`;
</script>

<template>
  <section v-if="slip" class="trial" role="status" aria-label="A mend being tried">
    <h2>{{ mendWords(facts, slip.mend, slip.params) }} <span class="faded small">being tried, not on the tape</span></h2>
    <p v-if="reading" class="faded"><ResultMark result="pending" /> reading with it …</p>
    <p v-else-if="trouble"><ResultMark result="caution" /> {{ trouble }}</p>
    <template v-else>
      <table>
        <thead>
          <tr>
            <th>What</th>
            <th class="num">Before</th>
            <th class="num">After</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in lines" :key="f.what">
            <td colspan="3">
              {{ f.what }}<del class="mono">{{ f.before }}</del
              ><ins class="mono">{{ f.after }}</ins>
            </td>
          </tr>
          <tr v-for="f in figures" :key="f.what">
            <td>{{ f.what }}</td>
            <td class="num mono">{{ f.before }}</td>
            <td class="num mono">{{ f.after }}</td>
          </tr>
          <tr v-if="now && trial!.verdict">
            <td>findings</td>
            <td class="num mono">{{ counted(now.stop, 'stop') }}, {{ counted(now.caution, 'caution') }}</td>
            <td class="num mono">{{ counted(trial!.verdict.stop, 'stop') }}, {{ counted(trial!.verdict.caution, 'caution') }}</td>
          </tr>
          <tr v-for="f in price" :key="f.what" class="price">
            <td>{{ f.what }}</td>
            <td class="num mono">{{ f.before }}</td>
            <td class="num mono">{{ f.after }}</td>
          </tr>
          <tr v-if="!trial!.price.length" class="price">
            <td>Price to draw</td>
            <td colspan="2" class="num">the same</td>
          </tr>
        </tbody>
      </table>
      <p v-for="[what, list] in told" :key="what" class="small told">
        <ResultMark :result="what === 'Goes' ? 'clear' : 'caution'" /> <b>{{ what }}:</b> {{ list.slice(0, 3).join('; ')
        }}<span v-if="list.length > 3" class="faded" :title="list.join('\n')"> and {{ list.length - 3 }} more</span>
      </p>
      <p v-for="k in trial!.run?.kept ?? []" :key="k" class="small"><ResultMark result="clear" /> <b>Kept and measured:</b> {{ k }}</p>
      <p v-for="r in trial!.run?.remarks ?? []" :key="r" class="small">{{ r }}</p>
      <p v-if="facts" class="faded small">Keeps {{ facts.keeps }}. Costs {{ facts.costs }}.</p>
    </template>
    <div class="acts">
      <button class="btn main" :disabled="!state.trial.other.value" @click="state.keepTrial()">Keep it</button>
      <button class="btn" @click="state.trial.putBack()">Discard it</button>
    </div>
  </section>
</template>

<style scoped>
.trial {
  position: absolute;
  left: 16px;
  bottom: calc(100% + 8px);
  width: 500px;
  max-width: calc(100vw - 32px);
  z-index: 5;
  background: var(--hl-sheet);
  border: 1px dashed var(--hl-rule-strong);
  border-radius: 3px;
  box-shadow: var(--hl-shadow-pop);
  padding: 8px 12px 10px;
  font-size: 13px;
  display: grid;
  gap: 5px;
}
h2 {
  font: 600 16px/1.2 var(--hl-font-display);
  width: auto;
  white-space: normal;
}
h2 span {
  font-family: var(--hl-font-text);
  font-weight: 400;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  padding: 2px 6px;
  border-bottom: 1px solid var(--hl-rule);
  font-weight: 400;
  text-align: left;
}
th {
  color: var(--hl-ink-faded);
  font-size: 12px;
}
.num {
  text-align: right;
}
del,
ins {
  display: block;
  font-size: 12.5px;
  overflow-wrap: anywhere;
  text-decoration: none;
  padding: 1px 6px;
  border-left: 3px solid var(--hl-rule-strong);
}
del {
  color: var(--hl-ink-soft);
}
del::before {
  content: 'was ';
  color: var(--hl-ink-faded);
}
ins {
  border-left-color: var(--hl-verdigris);
}
ins::before {
  content: 'now ';
  color: var(--hl-ink-faded);
}
.told {
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
