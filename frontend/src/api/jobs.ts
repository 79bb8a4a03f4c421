// Jobs as the server tells of them, live. One stream for the whole page.
import { computed, reactive, readonly } from 'vue';
import type { Job } from './client';

const state = reactive({ jobs: [] as Job[], connected: false, troubles: [] as string[] });
const listeners = new Set<(ended: Job[]) => void>();
let source: EventSource | null = null;
let silence = 0;
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
  source.onmessage = (e) => {
    const told = JSON.parse(e.data as string) as { jobs: Job[] | null; troubles: string[] };
    window.clearTimeout(silence);
    state.troubles = told.troubles;
    // Without its database the server knows of no jobs: those last told of stay.
    if (told.jobs) take(told.jobs);
  };
  // A stream that ends in its turn is there again at once; one that stays away is told.
  source.onerror = () => {
    window.clearTimeout(silence);
    silence = window.setTimeout(() => (state.troubles = ['Hand Lens does not answer just now; it is tried again by itself.']), 3000);
  };
}

/** Calls back with jobs that have just ended; returns how to stop listening. */
export function onJobsEnded(f: (ended: Job[]) => void) {
  listeners.add(f);
  return () => listeners.delete(f);
}

export const jobs = readonly(state);
/** Parts of Hand Lens that do not run just now, a sentence each. */
export const troubles = computed(() => state.troubles);
export const underWay = computed(() => state.jobs.filter(live));
