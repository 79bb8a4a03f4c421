<script setup lang="ts">
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, ref, watch } from 'vue';
import ResultMark from '../ui/ResultMark.vue';
import LostImage from './LostImage.vue';
import { useBench, type Kind } from './useBench';
import { exact, figure, mendWords } from './words';

const props = defineProps<{ kind: Kind }>();
const state = useBench('reading', 'selection', 'choices', 'changes', 'tape');
/** Which of the findings of this kind is looked at; it follows what is shown on the stage. */
const all = computed(() => props.kind.findings);
const at = ref(all.value[0]!.id);
const place = computed(() =>
  Math.max(
    0,
    all.value.findIndex((f) => f.id === at.value),
  ),
);
const finding = computed(() => all.value[place.value]!);
const letter = computed(() => state.letterOf(finding.value));
const shown = computed(() => state.finding.value?.id === finding.value.id);
watch(
  () => state.finding.value?.id,
  (id) => {
    if (all.value.some((f) => f.id === id)) at.value = id!;
  },
  { immediate: true },
);
function step(by: number) {
  const next = all.value[(place.value + by + all.value.length) % all.value.length]!;
  if (shown.value) state.show(next);
  at.value = next.id;
}
const measured = computed(() => figure(finding.value.measured));
const wanted = computed(() => figure(finding.value.wanted));
/** The check's place in the guide, which opens beside the Bench. */
const guide = computed(() => `/guide/${finding.value.check.split('.')[0]}#${finding.value.check}`);
const canShow = computed(() => !!finding.value.elements || finding.value.node !== null);
/** What mends all findings of this kind at once, where that is not the same as what mends this one. */
const forAll = computed(() => {
  const left = props.kind.mends.filter((m) => !state.onTape(m.mend, m.params));
  const same =
    left.length === 1 &&
    finding.value.mends.some((m) => m.mend === left[0]!.mend && JSON.stringify(m.params) === JSON.stringify(left[0]!.params));
  return all.value.length > 1 && !finding.value.waived && !same ? left : [];
});
/** The finding that this one follows from: mended there, it goes too. */
const cause = computed(() => {
  const found = finding.value.under ? state.findings.value.find((f) => f.id === finding.value.under) : undefined;
  // The same on another part is the same card.
  return found?.check === finding.value.check ? undefined : found;
});
const origin = computed(() =>
  !cause.value
    ? ''
    : cause.value.station === finding.value.station && state.letterOf(cause.value)
      ? `finding ${state.letterOf(cause.value)}`
      : `a finding at ${cause.value.station}`,
);
/** Whether what is offered is still being played on copies: that comes after the verdict. */
const trying = computed(() => ['waiting', 'running'].includes(state.bench.value?.reading?.offers ?? ''));
/** What an offer was found to do when it was tried on a copy. */
const price = (m: { tried: boolean; costs: string[]; needs_format?: string }) =>
  m.needs_format
    ? `Tried: this goes, but the model's own format cannot hold it; export it as ${m.needs_format.toUpperCase()}`
    : !m.tried
      ? trying.value
        ? 'Still being tried on a copy; press it to try it now'
        : 'Not tried yet: try it to see what it does'
      : m.costs.length
        ? `Tried: this goes, nothing comes. It costs: ${m.costs.join('; ')}`
        : 'Tried: this goes, nothing comes';
/** The reference of an image that leads nowhere. */
const lost = computed(() =>
  finding.value.result === 'stop' && !finding.value.waived && ['textures.missing', 'textures.absolute'].includes(finding.value.check)
    ? String(finding.value.values.image ?? '')
    : '',
);
const waiving = ref(false);
const reason = ref('');
/** How somebody calls themselves, kept in this browser. */
const by = ref(localStorage.getItem('handlens-name') ?? '');
const waivedBy = computed(() => {
  const w = finding.value.waiver;
  const day = w ? new Date(w.created).toLocaleDateString('en', { day: 'numeric', month: 'long', year: 'numeric' }) : '';
  return w ? `Waived${w.by ? ` by ${w.by}` : ''} on ${day}, at rev ${w.number}` : 'Waived';
});
function waive() {
  if (!reason.value.trim()) return;
  localStorage.setItem('handlens-name', by.value.trim());
  state.waive.mutate({ finding: finding.value.id, reason: reason.value.trim(), by: by.value.trim() });
  waiving.value = false;
}
watch(
  () => state.asked.value,
  (id) => {
    if (id !== finding.value.id) return;
    state.asked.value = '';
    waiving.value = true;
  },
);
</script>

<template>
  <article
    class="card"
    :class="[finding.waived ? 'waived' : finding.result, { shown }]"
    :aria-label="`${finding.waived ? 'waived' : finding.result}: ${finding.title}`"
  >
    <h3>
      <ResultMark :result="finding.waived ? 'waived' : finding.result" />{{ finding.title }}<i aria-hidden="true">{{ letter }}</i>
    </h3>
    <div v-if="all.length > 1" class="steps" role="group" :aria-label="`${all.length} findings of this kind`">
      <button class="btn plain" aria-label="The one before" @click="step(-1)">‹</button
      ><span class="mono">{{ (place + 1).toLocaleString('en') }} of {{ all.length.toLocaleString('en') }}</span
      ><button class="btn plain" aria-label="The next one" @click="step(1)">›</button>
    </div>
    <p
      v-if="measured && wanted && measured !== wanted"
      class="mono figures"
      :title="`${exact(finding.measured)} · ${exact(finding.wanted)}`"
    >
      {{ measured }} <span class="faded">measured · wanted</span> {{ wanted }}
    </p>
    <div class="acts">
      <button v-if="canShow" class="btn" :aria-pressed="shown" @click="state.show(shown ? null : finding)">
        {{ shown ? 'Take the mark off' : 'Show it' }}
      </button>
      <template v-if="!finding.waived">
        <template v-for="(m, k) in finding.mends" :key="k">
          <span v-if="k && m.choice" class="faded small or">or</span>
          <button
            class="btn"
            :class="state.onTape(m.mend, m.params) ? 'done' : 'main'"
            :disabled="state.onTape(m.mend, m.params) || state.lay.isPending.value"
            :title="price(m)"
            @click="state.put(m.mend, m.params)"
          >
            {{ state.onTape(m.mend, m.params) ? 'On the tape' : mendWords(state.mendFacts(m.mend), m.mend, m.params)
            }}<span v-if="m.needs_format"> · needs {{ m.needs_format.toUpperCase() }}</span>
          </button>
        </template>
        <button
          v-if="finding.mends[0] && !state.onTape(finding.mends[0].mend, finding.mends[0].params)"
          class="btn"
          @click="state.trial.tryOut(finding.mends[0].mend, finding.mends[0].params)"
        >
          Try it
        </button>
        <button v-if="forAll.length" class="btn" :disabled="state.lay.isPending.value" @click="state.putAll(forAll)">
          All {{ all.length.toLocaleString('en') }}:
          {{ mendWords(state.mendFacts(forAll[0]!.mend), forAll[0]!.mend, { ...forAll[0]!.params, parts: [] }) }}
        </button>
        <button class="btn plain" @click="waiving = true">Waive …</button>
      </template>
      <button v-else class="btn plain" @click="state.waive.mutate({ finding: finding.id, reason: null })">Let it count again</button>
    </div>
    <p v-if="finding.waived" class="why">{{ waivedBy }}: {{ finding.waived }}</p>
    <p v-else class="why">
      <span v-if="cause" class="faded" :title="cause.title">Follows from {{ origin }}. </span>{{ `${finding.why}\u00a0`
      }}<a
        class="guide"
        :href="guide"
        target="_blank"
        :aria-label="`Guide: ${finding.title}`"
        title="What this check looks for, in the guide"
        >?</a
      >
    </p>
    <LostImage v-if="lost" :reference="lost" />
    <Dialog v-model:visible="waiving" modal header="Accept this finding?" dismissable-mask>
      <p>
        <b>{{ finding.title }}</b>
      </p>
      <p class="faded small">{{ finding.why }} It stays listed as waived, with your reason, on later revisions too.</p>
      <form :id="`waive-${finding.id}`" class="reason" @submit.prevent="waive">
        <label :for="`why-${finding.id}`">Why</label
        ><InputText :id="`why-${finding.id}`" v-model="reason" size="small" maxlength="400" autocomplete="off" autofocus />
        <label :for="`who-${finding.id}`">Your name</label
        ><InputText :id="`who-${finding.id}`" v-model="by" size="small" maxlength="80" placeholder="if you like" autocomplete="off" />
      </form>
      <template #footer
        ><button class="btn" @click="waiving = false">Leave it</button
        ><button class="btn main" type="submit" :form="`waive-${finding.id}`" :disabled="!reason.trim()">Waive it</button></template
      >
    </Dialog>
  </article>
</template>

<style scoped>
.or {
  align-self: center;
}
.card {
  border: 1px solid var(--hl-rule);
  border-left: 4px solid;
  border-radius: 3px;
  padding: 4px 9px 6px;
  background: var(--hl-sheet);
  font-size: 13px;
  line-height: 1.3;
  display: flex;
  flex-direction: column;
  color: inherit;
}
.card.stop {
  border-left-color: var(--hl-stop-mark);
  background: #fdf6f3;
  color: inherit;
}
.card.caution {
  border-left-color: var(--hl-caution-mark);
  background: #fdf8ec;
  color: inherit;
}
.card.note {
  border-left-color: var(--hl-note-mark);
  color: inherit;
}
.card.waived {
  border-left-color: var(--hl-waived-mark);
  background: var(--hl-waived-wash);
  color: var(--hl-ink-soft);
}
.card.shown {
  box-shadow: 0 0 0 1.5px var(--hl-ink);
}
h3 {
  font: 700 13.5px/1.3 var(--hl-font-text);
  display: flex;
  gap: 6px;
  align-items: baseline;
  overflow-wrap: anywhere;
}
h3 :deep(svg) {
  align-self: flex-start;
  margin-top: 2px;
}
h3 i {
  margin-left: auto;
  font: italic 500 14px var(--hl-font-display);
  color: var(--hl-ink-faded);
}
.steps {
  display: flex;
  align-items: center;
  gap: 2px;
  font-size: 12.5px;
  margin: 0 0 1px 16px;
  color: var(--hl-ink-soft);
}
.steps .btn {
  min-width: 24px;
  text-align: center;
}
.figures {
  font-size: 12.5px;
}
.why {
  margin: 4px 0 0;
  color: var(--hl-ink-soft);
  font-size: 12.5px;
}
/* Inline, so that it stays on the line of the last word. */
.guide {
  padding: 1px 5px;
  font: 600 12px/1 var(--hl-font-figure);
  color: var(--hl-ink-soft);
  border: 1px solid var(--hl-rule);
  border-radius: 9px;
  text-decoration: none;
}
.acts {
  display: flex;
  gap: 4px 6px;
  margin-top: 3px;
  flex-wrap: wrap;
}
.acts .btn {
  max-width: 100%;
  white-space: normal;
  text-align: left;
  height: auto;
  min-height: 24px;
}
.reason {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 10px;
  align-items: center;
  margin-top: 10px;
  min-width: 460px;
}
</style>
