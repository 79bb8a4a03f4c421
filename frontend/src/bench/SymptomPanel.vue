<script setup lang="ts">
// From a look to its causes in this model, the likeliest first; a click on the spot that looks wrong narrows them.
import { useQuery } from '@tanstack/vue-query';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import { DRAWINGS } from './symptoms';
import { useBench } from './useBench';
import { mendWords } from './words';

const state = useBench('reading', 'selection', 'choices', 'changes', 'tape', 'ways');
const route = useRoute();
const router = useRouter();
const looks = computed(() => state.catalogue.value?.symptoms ?? []);
/** It lives in the address, so that a reload or a link brings it back. */
const look = computed({
  get: () => (typeof route.query.look === 'string' ? route.query.look : ''),
  set: (key: string) => void router.replace({ query: { ...route.query, look: key || undefined } }),
});
const chosen = computed(() => looks.value.find((l) => l.key === look.value));
const choosing = ref(!look.value);
const inspection = computed(() => state.bench.value?.reading?.inspection ?? null);
const part = computed(() => {
  const at = state.pointedAt.value;
  return at ? (state.findings.value.find((f) => f.node === at.node)?.part ?? `part ${at.node}`) : '';
});
const { data, error, refetch } = useQuery({
  queryKey: computed(() => [
    'causes',
    inspection.value,
    look.value,
    state.pointedAt.value,
    state.bench.value?.sheet,
    state.bench.value?.intent,
    state.findings.value.map((f) => f.waived).join('|'),
  ]),
  queryFn: () =>
    api.causes(inspection.value!, {
      ...(chosen.value && { symptom: chosen.value.key }),
      ...(state.pointedAt.value && { node: state.pointedAt.value.node, face: state.pointedAt.value.face }),
    }),
  enabled: computed(() => inspection.value !== null && (!!chosen.value || !!state.pointedAt.value)),
});
const causes = computed(() =>
  (data.value?.causes ?? []).flatMap((c) => {
    const finding = state.findings.value.find((f) => f.id === c.finding);
    return finding ? [{ ...c, f: finding }] : [];
  }),
);
function choose(key: string) {
  look.value = key;
  choosing.value = false;
}
const first = (f: { mends: { mend: string; params: Record<string, unknown> }[] }) => f.mends[0];
</script>

<template>
  <section class="panel" aria-label="It looked wrong">
    <div v-if="choosing || (!chosen && !state.pointedAt.value)" class="ask">
      <h2>How did it look?</h2>
      <p class="faded small">Choose a look, or click the spot of the model that looks wrong.</p>
      <div class="looks">
        <button v-for="l in looks" :key="l.key" :aria-pressed="l.key === look" :title="l.says" @click="choose(l.key)">
          <!-- eslint-disable-next-line vue/no-v-html -- our own drawings -->
          <svg width="32" height="26" viewBox="0 0 32 26" aria-hidden="true" v-html="DRAWINGS[l.key] ?? ''" /><span>{{ l.name }}</span>
        </button>
      </div>
    </div>
    <template v-else>
      <div class="head">
        <!-- eslint-disable-next-line vue/no-v-html -- our own drawings -->
        <svg v-if="chosen" width="40" height="32" viewBox="0 0 32 26" aria-hidden="true" v-html="DRAWINGS[chosen.key] ?? ''" />
        <div>
          <h2>{{ chosen ? chosen.name[0]!.toUpperCase() + chosen.name.slice(1) : 'What is wrong at this spot' }}</h2>
          <p class="faded small">
            {{ chosen?.says }}<template v-if="state.pointedAt.value"> At {{ part }}.</template>
            <template v-else> Click the spot on the model to narrow it.</template>
          </p>
        </div>
        <button class="btn" @click="choosing = true">Another look …</button>
        <button v-if="state.pointedAt.value" class="btn" @click="state.pointedAt.value = null">The whole model</button>
      </div>
      <p v-if="error" class="stop" role="alert">{{ error.message }} <button class="btn" @click="refetch()">Try again</button></p>
      <p v-else-if="!data" class="faded" role="status"><ResultMark result="pending" /> looking through the findings …</p>
      <template v-else>
        <ol class="causes" aria-label="Causes in this model, the likeliest first">
          <li v-for="c in causes" :key="c.finding" :class="c.f.result">
            <h3><ResultMark :result="c.f.result" />{{ c.title }}</h3>
            <p class="small">
              <b v-if="chosen">Explains it {{ c.explains }}.&nbsp;</b>
              <span v-if="c.there"> It lies on what you pointed at.</span>
              <span class="faded">
                {{ c.f.station }}<template v-if="c.more">, and {{ c.more.toLocaleString('en') }} more of its kind</template></span
              >
            </p>
            <div class="acts">
              <button
                class="btn"
                :aria-pressed="state.finding.value?.id === c.finding"
                @click="state.show(state.finding.value?.id === c.finding ? null : c.f)"
              >
                Show it
              </button>
              <button
                v-if="first(c.f)"
                class="btn main"
                :disabled="state.onTape(first(c.f)!.mend, first(c.f)!.params) || state.lay.isPending.value"
                @click="state.put(first(c.f)!.mend, first(c.f)!.params)"
              >
                {{
                  state.onTape(first(c.f)!.mend, first(c.f)!.params)
                    ? 'On the tape'
                    : mendWords(state.mendFacts(first(c.f)!.mend), first(c.f)!.mend, first(c.f)!.params)
                }}
              </button>
              <button v-if="first(c.f)" class="btn" @click="state.trial.tryOut(first(c.f)!.mend, first(c.f)!.params)">Try it</button>
            </div>
            <p class="why small">{{ c.f.why }}</p>
          </li>
        </ol>
        <p v-if="!causes.length" class="none">
          <ResultMark result="clear" /> Nothing that was found in this model explains it. It may come from the destination: see
          <i>As received</i>, or judge by another sheet.
        </p>
        <p v-if="data.clear.length" class="faded small">
          <ResultMark result="clear" :size="12" /> Looked at and clear: {{ data.clear.join(', ').toLowerCase() }}.
        </p>
      </template>
    </template>
  </section>
</template>

<style scoped>
.panel {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 10px 14px 12px 50px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
}
.ask {
  display: grid;
  gap: 8px;
}
.looks {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 6px;
}
.looks button {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 44px;
  padding: 4px 8px;
  text-align: left;
  font-size: 13px;
  line-height: 1.2;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule);
  border-radius: 3px;
  cursor: pointer;
}
.looks button:hover {
  border-color: var(--hl-ink-faded);
}
.looks button[aria-pressed='true'] {
  border-color: var(--hl-verdigris);
  background: var(--hl-verdigris-wash);
}
.looks svg {
  flex: none;
}
.head {
  display: flex;
  gap: 8px;
  align-items: center;
}
.head > div {
  flex: 1;
  min-width: 0;
}
.head > * {
  flex: none;
}
.causes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
.causes li {
  border: 1px solid var(--hl-rule);
  border-left: 4px solid var(--hl-note-mark);
  border-radius: 3px;
  padding: 4px 9px 6px;
  color: inherit;
}
.causes li.stop {
  border-left-color: var(--hl-stop-mark);
  background: #fdf6f3;
}
.causes li.caution {
  border-left-color: var(--hl-caution-mark);
  background: #fdf8ec;
}
h3 {
  font: 700 13.5px/1.3 var(--hl-font-text);
  display: flex;
  gap: 6px;
  overflow-wrap: anywhere;
}
h3 :deep(svg) {
  flex: none;
  margin-top: 2px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  margin: 3px 0;
}
.acts .btn {
  height: auto;
  min-height: 24px;
  white-space: normal;
  text-align: left;
}
.why {
  color: var(--hl-ink-soft);
}
.none {
  padding: 8px 0;
}
</style>
