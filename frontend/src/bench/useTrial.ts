// Trying a mend before it is kept, and laying an earlier revision over this one: both show another model inside the loupe.
import { computed, ref, watch, type ComputedRef } from 'vue';
import { api, type Bench, type Slip, type Trial } from '../api/client';

/** load: its display copy; key: which one it is, so that a slower answer is not taken for a later one. */
export interface OtherModel {
  key: string;
  load: () => Promise<ArrayBuffer>;
  words: string;
}

const kept = (inspection: number, words: string): OtherModel => ({
  key: `inspection ${inspection}`,
  load: () => api.stage(inspection),
  words,
});

export function useTrial(
  revision: ComputedRef<number>,
  bench: ComputedRef<Bench | undefined>,
  slips: ComputedRef<Slip[]>,
  complain: (e: Error) => void,
) {
  const tried = ref<Slip | null>(null);
  /** What is tried with it, in order: of a way all slips up to the one that is looked at. */
  const before = ref<Slip[]>([]);
  const trial = ref<Trial | null>(null);
  const compared = ref<number | null>(null);
  const readBack = ref<number | null>(null);
  let ticket = 0;

  /** Reads the model with one more mend, without keeping it. */
  const tryOut = (mend: string, params: Record<string, unknown>) => tryTape([{ mend, params, on: true }]);
  /** Reads the model with some mends more; the last one is the one that is looked at. */
  async function tryTape(more: Slip[]) {
    const mine = ++ticket;
    compared.value = readBack.value = null;
    before.value = more.slice(0, -1);
    tried.value = more.at(-1)!;
    trial.value = null;
    try {
      for (;;) {
        const now = await api.tryOut(revision.value, [...slips.value, ...more]);
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
    before.value = [];
    tried.value = trial.value = compared.value = readBack.value = null;
  }
  const compare = (id: number | null) => {
    putBack();
    compared.value = id;
  };
  /** Lays what was read back of an export beside what was sent. */
  const layReadBack = (id: number) => {
    putBack();
    readBack.value = id;
  };
  watch(revision, putBack);
  const other = computed<OtherModel | null>(() => {
    if (trial.value?.state === 'done' && trial.value.run?.applied) return kept(trial.value.inspection, 'with the mend that is being tried');
    const [exported, r] = [readBack.value, bench.value?.revisions.find((x) => x.id === compared.value)];
    if (exported !== null) return { key: `export ${exported}`, load: () => api.readBack(exported), words: 'as it was read back' };
    return r?.stage ? kept(r.stage, `rev ${r.number}`) : null;
  });
  return { tried, before, trial, compared, other, tryOut, tryTape, putBack, compare, layReadBack };
}
