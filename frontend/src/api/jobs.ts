// Jobs as the server tells of them, live. One stream for the whole page.
import { computed, reactive, readonly } from 'vue';
import type { Job } from './client';

const state = reactive({ jobs: [] as Job[], connected: false });
const listeners = new Set<(ended: Job[]) => void>();
let source: EventSource | null = null;
const live = (j: Job) => j.state === 'waiting' || j.state === 'running';

function take(jobs: Job[]) {
  const before = new Map(state.jobs.map((j) => [j.id, j]));
  const ended = jobs.filter((j) => !live(j) && (before.has(j.id) ? live(before.get(j.id)!) : state.connected));
  state.jobs = jobs;
  state.connected = true;
  if (ended.length) for (const f of listeners) f(ended);
}

/** Opens the stream, once. */
export function followJobs() {
  if (source) return;
  source = new EventSource('/api/jobs/stream');
  source.onmessage = (e) => take((JSON.parse(e.data as string) as { jobs: Job[] }).jobs);
}

/** Calls back with jobs that have just ended; returns how to stop listening. */
export function onJobsEnded(f: (ended: Job[]) => void) {
  listeners.add(f);
  return () => listeners.delete(f);
}

export const jobs = readonly(state);
export const underWay = computed(() => state.jobs.filter(live));
