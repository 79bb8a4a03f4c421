// What lies on the tape, what may be laid on it, and the mend that is tried before it is kept.
import { computed, type ComputedRef } from 'vue';
import type { Bench, Slip } from '../../api/client';
import { holds } from '../tape';
import { useTrial } from '../useTrial';
import type { Changes } from './changes';
import type { Choices } from './choices';
import type { Reading } from './reading';

type Call = { mend: string; params: Record<string, unknown> };
const plain = (bench: Bench | undefined): Slip[] => (bench?.tape ?? []).map(({ mend, params, on }) => ({ mend, params, on }));

export function useTape(revision: ComputedRef<number>, { bench, findings }: Reading, { mendFacts }: Choices, { lay, complain }: Changes) {
  const slips = computed(() => plain(bench.value));
  const onTape = (mend: string, params: Record<string, unknown>) => holds(slips.value, mendFacts(mend), mend, params);
  /** Every mend that changes nothing to see and is not on the tape yet, each once. */
  const safeMends = computed(() => {
    const calls = findings.value.filter((f) => !f.waived).flatMap((f) => f.mends);
    const fresh = calls.filter((m) => mendFacts(m.mend)?.safe && !onTape(m.mend, m.params));
    return fresh.filter((m, k) => fresh.findIndex((o) => o.mend === m.mend && JSON.stringify(o.params) === JSON.stringify(m.params)) === k);
  });
  const putAll = (calls: Call[]) =>
    // Of what a finding says of its offer the tape takes the call alone.
    lay.mutate([...slips.value, ...calls.map(({ mend, params }) => ({ mend, params, on: true }))]);
  const put = (mend: string, params: Record<string, unknown>) => putAll([{ mend, params }]);
  const trial = useTrial(
    revision,
    computed(() => bench.value),
    slips,
    complain,
  );
  function keepTrial() {
    const [t, before] = [trial.tried.value, trial.before.value];
    trial.putBack();
    if (t) lay.mutate([...slips.value, ...before, t]);
  }
  return { slips, onTape, put, putAll, safeMends, trial, keepTrial };
}
export type Tape = ReturnType<typeof useTape>;
