// Trying a mend before it is kept, and laying an earlier revision over this one: both show another model inside the loupe.
import { computed, ref, watch, type ComputedRef } from 'vue';
import { api, type Bench, type Slip, type Trial } from '../api/client';

export interface OtherModel { inspection: number; words: string }

export function useTrial(revision: ComputedRef<number>, bench: ComputedRef<Bench | undefined>, slips: ComputedRef<Slip[]>, complain: (e: Error) => void) {
  const tried = ref<Slip | null>(null);
  const trial = ref<Trial | null>(null);
  const compared = ref<number | null>(null);
  let ticket = 0;

  /** Reads the model with one more mend, without keeping it. */
  async function tryOut(mend: string, params: Record<string, unknown>) {
    const mine = ++ticket;
    compared.value = null;
    tried.value = { mend, params, on: true };
    trial.value = null;
    try {
      for (;;) {
        const now = await api.tryOut(revision.value, [...slips.value, tried.value]);
        if (mine !== ticket) return;
        trial.value = now;
        if (now.state !== 'waiting' && now.state !== 'running') return;
        await new Promise((done) => setTimeout(done, 350));
        if (mine !== ticket) return;
      }
    } catch (e) {
      if (mine === ticket) putBack();
      complain(e as Error);
    }
  }
  function putBack() {
    ticket++;
    tried.value = trial.value = compared.value = null;
  }
  const compare = (id: number | null) => {
    putBack();
    compared.value = id;
  };
  watch(revision, putBack);
  const other = computed<OtherModel | null>(() => {
    if (trial.value?.state === 'done' && trial.value.run?.applied) return { inspection: trial.value.inspection, words: 'with the mend that is being tried' };
    const r = bench.value?.revisions.find((x) => x.id === compared.value);
    return r?.stage ? { inspection: r.stage, words: `rev ${r.number}` } : null;
  });
  return { tried, trial, compared, other, tryOut, putBack, compare };
}
