<script setup lang="ts">
// The guide: a first hour, a page a station with all of its checks, a glossary.
import { useQuery } from '@tanstack/vue-query';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from '../api/client';
import { nameTab } from '../app/title';
import ResultMark from '../ui/ResultMark.vue';
import { pages } from './pages';

const route = useRoute();
const router = useRouter();
const text = ref<HTMLElement>();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const { data: checks, error, refetch } = useQuery({ queryKey: ['checks'], queryFn: api.checks, staleTime: Infinity });

const key = computed(() => String(route.params.page ?? ''));
const page = computed(() => pages.get(key.value));
const station = computed(() => catalogue.value?.stations.find((s) => s.slug === key.value));
const stations = computed(() => catalogue.value?.stations.filter((s) => pages.has(s.slug)) ?? []);
/** Stations of the house have checks and no page of ours. */
const known = computed(() => !!page.value || !!station.value);
const own = computed(() => (station.value ? (checks.value?.filter((c) => c.id.startsWith(`${key.value}.`)) ?? []) : []));
const order = ['stop', 'caution', 'note', 'off'];
const worst = (results: Record<string, string>) => order.find((r) => Object.values(results).includes(r)) ?? 'note';
const mends = (ids: string[]) => ids.map((id) => catalogue.value?.mends.find((m) => m.id === id)?.title ?? id).join('; ');

/** The page, with mends by the names on their buttons: ids are for the command line. */
const html = computed(() => {
  const titles = new Map((catalogue.value?.mends ?? []).map((m) => [m.id, m.title]));
  return (page.value?.html ?? '').replace(/<code>([a-z-]+\.[a-z-]+)<\/code>/g, (whole, id: string) =>
    titles.has(id) ? `<b title="${id}">${titles.get(id)!.replace(/&/g, '&amp;').replace(/</g, '&lt;')}</b>` : whole,
  );
});
/** Links of the Markdown stay in the app. */
function follow(e: MouseEvent) {
  const to = (e.target as Element).closest('a')?.getAttribute('href');
  if (!to?.startsWith('/guide') || e.ctrlKey || e.metaKey || e.shiftKey) return;
  e.preventDefault();
  void router.push(to);
}
watch(
  [key, () => route.hash, own],
  async () => {
    nameTab(page.value && key.value ? `${page.value.title}, guide` : 'Guide');
    await nextTick();
    const at = route.hash ? document.getElementById(route.hash.slice(1)) : null;
    if (!at) text.value?.scrollTo({ top: 0 });
    at?.scrollIntoView({ block: 'start' });
    at?.focus({ preventScroll: true });
  },
  { immediate: true },
);
</script>

<template>
  <div class="guide">
    <nav aria-label="Guide">
      <RouterLink to="/guide" :class="{ on: key === '' }">How to read it</RouterLink>
      <RouterLink to="/guide/first-hour" :class="{ on: key === 'first-hour' }">A first hour</RouterLink>
      <b>Stations</b>
      <RouterLink v-for="s in stations" :key="s.slug" :to="`/guide/${s.slug}`" :class="{ on: key === s.slug }"
        ><span class="number">{{ s.number }}</span
        >{{ s.name }}</RouterLink
      >
      <b>Beside the route</b>
      <RouterLink to="/guide/way-to-fit" :class="{ on: key === 'way-to-fit' }">The way to Fit</RouterLink>
      <RouterLink to="/guide/batches" :class="{ on: key === 'batches' }">Batches</RouterLink>
      <RouterLink to="/guide/by-hand" :class="{ on: key === 'by-hand' }">By hand</RouterLink>
      <RouterLink to="/guide/rule-sheets" :class="{ on: key === 'rule-sheets' }">Rule sheets</RouterLink>
      <RouterLink class="last" to="/guide/glossary" :class="{ on: key === 'glossary' }">Glossary</RouterLink>
    </nav>
    <main ref="text">
      <!-- eslint-disable-next-line vue/no-v-html -- our own Markdown, built in -->
      <article v-if="page" class="text" @click="follow" v-html="html" />
      <p v-else-if="!known && catalogue" class="text">The guide has no page of this name. <RouterLink to="/guide">All pages</RouterLink></p>
      <section v-if="station" aria-label="Checks">
        <h2>Every check of {{ station.name }}</h2>
        <p v-if="error" class="faded">{{ error.message }} <button class="btn" @click="refetch()">Try again</button></p>
        <div v-for="c in own" :id="c.id" :key="c.id" class="check" :class="{ here: route.hash === `#${c.id}` }" tabindex="-1">
          <h3>
            <ResultMark :result="worst(c.results)" /> {{ c.title }} <code>{{ c.id }}</code>
          </h3>
          <p>{{ c.does }}</p>
          <dl>
            <dt>Why</dt>
            <dd>{{ c.why }}</dd>
            <dt>Measured</dt>
            <dd>{{ c.measured }}</dd>
            <template v-if="c.mends.length">
              <dt>Mends</dt>
              <dd>{{ mends(c.mends) }}</dd>
            </template>
            <dt>Source</dt>
            <dd>{{ c.source }}</dd>
          </dl>
        </div>
      </section>
    </main>
  </div>
</template>

<style scoped>
.guide {
  height: calc(100dvh - var(--hl-bar-h));
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
}
nav {
  border-right: 1px solid var(--hl-rule);
  padding: 18px 0 18px 16px;
  overflow: auto;
  display: flex;
  flex-direction: column;
}
nav a {
  color: var(--hl-ink-soft);
  text-decoration: none;
  padding: 4px 10px 4px 8px;
  border-left: 3px solid transparent;
}
nav a.on {
  border-left-color: var(--hl-verdigris);
  color: var(--hl-ink);
  font-weight: 700;
}
nav b {
  font: 600 14px var(--hl-font-display);
  margin: 12px 0 4px 8px;
}
.number {
  display: inline-block;
  min-width: 22px;
  font-family: var(--hl-font-display);
  color: var(--hl-ink-faded);
}
.last {
  margin-top: 12px;
}
main {
  overflow: auto;
  padding: 20px 34px 60px;
}
.text,
section {
  max-width: 760px;
  font-size: 15px;
  line-height: 1.5;
}
.text :deep(a),
.text a {
  color: var(--hl-verdigris-text);
}
.text :deep(h1) {
  font: 600 28px/1.2 var(--hl-font-display);
  margin-bottom: 8px;
}
.text :deep(h2),
section h2 {
  font: 600 18px/1.3 var(--hl-font-display);
  margin: 20px 0 4px;
}
.text :deep(p) {
  margin: 6px 0;
}
.text :deep(ul),
.text :deep(ol) {
  margin: 6px 0;
  padding-left: 22px;
}
.text :deep(li) {
  margin: 3px 0;
}
.text :deep(code),
code {
  font: 13px var(--hl-font-figure);
}
.text :deep(pre) {
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule);
  padding: 8px 12px;
  overflow: auto;
}
.text :deep(table) {
  border-collapse: collapse;
}
.text :deep(th),
.text :deep(td) {
  text-align: left;
  padding: 3px 18px 3px 0;
  border-bottom: 1px solid var(--hl-rule);
}
.check {
  border-top: 1px solid var(--hl-rule);
  padding: 8px 0 10px;
  scroll-margin-top: 12px;
  outline: none;
}
.check.here {
  box-shadow: -4px 0 0 var(--hl-verdigris);
  padding-left: 8px;
}
h3 {
  font: 700 15px/1.3 var(--hl-font-text);
}
h3 code {
  font-weight: 400;
  color: var(--hl-ink-faded);
  margin-left: 6px;
}
dl {
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 2px 10px;
  margin: 4px 0 0;
  font-size: 14px;
}
dt {
  color: var(--hl-ink-faded);
}
dd {
  margin: 0;
}
</style>
