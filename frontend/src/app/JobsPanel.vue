<script setup lang="ts">
import Popover from 'primevue/popover';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { api, type Job } from '../api/client';
import { jobs, underWay } from '../api/jobs';
import ResultMark from '../ui/ResultMark.vue';

const panel = ref<InstanceType<typeof Popover>>();
const toast = useToast();
const words = computed(() => {
  const n = underWay.value.length;
  const failed = jobs.jobs.filter((j) => j.state === 'failed').length;
  if (!n) return failed ? `${failed} ${failed === 1 ? 'job' : 'jobs'} failed` : jobs.jobs.length ? 'All jobs done' : 'No jobs';
  return n === 1 ? underWay.value[0]!.title : `${n} jobs under way`;
});
const share = computed(() => (underWay.value.length ? underWay.value.reduce((s, j) => s + j.share, 0) / underWay.value.length : 1));
const live = (j: Job) => j.state === 'waiting' || j.state === 'running';
/** How far a job is, or how many are begun before it. */
function progress(j: Job) {
  if (j.phase.startsWith('waiting for')) return j.phase;
  if (j.state !== 'waiting') return `${j.phase} · ${Math.round(j.share * 100)} %`;
  const n = j.before ?? 0;
  return n ? `waiting, ${n} ${n === 1 ? 'job' : 'jobs'} before it` : 'waiting, next in line';
}
const MARK: Record<string, string> = { done: 'clear', failed: 'stop', cancelled: 'nothing' };
async function act(f: () => Promise<unknown>) {
  try {
    await f();
  } catch (e) {
    toast.add({ severity: 'error', summary: (e as Error).message, life: 8000 });
  }
}
</script>

<template>
  <button class="jobs" aria-haspopup="true" @click="panel?.toggle($event)">
    {{ words }} <i aria-hidden="true"><b :style="{ width: `${100 * share}%` }" /></i>
  </button>
  <Popover ref="panel">
    <div class="list" tabindex="-1" autofocus>
      <h2>Jobs</h2>
      <p v-if="!jobs.jobs.length" class="faded">Nothing is being read, mended or written.</p>
      <ul>
        <li v-for="j in jobs.jobs" :key="j.id">
          <ResultMark :result="MARK[j.state] ?? 'pending'" :label="j.state" />
          <div class="what">
            <b>{{ j.title }}</b><span class="faded small">{{ j.error ?? (live(j) ? progress(j) : j.state) }}</span>
          </div>
          <button v-if="live(j)" class="btn" @click="act(() => api.stopJob(j.id))">Stop</button>
          <button v-else-if="j.state !== 'done'" class="btn" @click="act(() => api.tryJobAgain(j.id))">Try again</button>
        </li>
      </ul>
    </div>
  </Popover>
</template>

<style scoped>
.jobs {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 12.5px;
  color: var(--hl-ink-soft);
  border: 0;
  background: none;
  cursor: pointer;
  height: 28px;
}
i {
  display: block;
  width: 96px;
  height: 6px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 1px;
  position: relative;
  background: var(--hl-sheet);
}
i b {
  position: absolute;
  inset: 0 auto 0 0;
  background: repeating-linear-gradient(90deg, var(--hl-verdigris) 0 5px, var(--hl-verdigris-deep) 5px 6px);
}
.list {
  width: 380px;
  max-height: 60vh;
  overflow: auto;
}
h2 {
  font: 600 16px var(--hl-font-display);
  margin-bottom: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 5px 0;
  border-top: 1px solid var(--hl-rule);
}
.what {
  flex: 1;
  display: flex;
  flex-direction: column;
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
