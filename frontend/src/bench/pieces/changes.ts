// The changes that a person makes to what is kept: the tape, the intent, the sheet, waivers.
import { useMutation, useQueryClient } from '@tanstack/vue-query';
import { useToast } from 'primevue/usetoast';
import { ref, type ComputedRef } from 'vue';
import { api, type Intent, type Slip } from '../../api/client';
import { tellWindows } from '../../app/windows';
import type { Reading } from './reading';

export function useChanges(revision: ComputedRef<number>, { bench, took }: Reading) {
  const queries = useQueryClient();
  const toast = useToast();
  const key = () => ({ queryKey: ['bench', revision.value] });
  const complain = (e: Error) => toast.add({ severity: 'error', summary: e.message, life: 9000 });
  /** A tape that was changed elsewhere meanwhile is fetched as it is now. */
  const refused = (e: Error) => (complain(e), queries.invalidateQueries(key()));
  /** Looked at anew here, and in other windows that show it. */
  const looked = () => (tellWindows([['bench'], ['shelf']]), queries.invalidateQueries(key()));
  const laid: typeof took = (b) => (took(b), tellWindows([['bench', revision.value]]));
  const version = () => bench.value?.version ?? null;
  const lay = useMutation({
    mutationFn: (slips: Slip[]) => api.layTape(revision.value, slips, version()),
    onSuccess: laid,
    onError: refused,
  });
  const step = useMutation({
    mutationFn: (f: 'undo' | 'redo') => api[f](revision.value, version()),
    onSuccess: laid,
    onError: refused,
  });
  const again = useMutation({ mutationFn: () => api.readAgain(revision.value), onSuccess: took, onError: complain });
  const change = useMutation({
    // What was seen goes along, so that only fields that were changed here are changed there.
    mutationFn: (c: { sheet?: string; intent?: Intent; name?: string }) =>
      api.changeModel(bench.value!.model, c.intent ? { ...c, intent_seen: bench.value!.intent } : c),
    onError: complain,
    onSettled: looked,
  });
  const waive = useMutation({
    mutationFn: ({ finding, reason, by }: { finding: string; reason: string | null; by?: string }) =>
      reason === null ? api.unwaive(bench.value!.model, finding) : api.waive(bench.value!.model, finding, reason, by ?? ''),
    onError: complain,
    onSettled: looked,
  });
  /** Id of the finding whose waiving is asked for by key; its card opens the form. */
  const asked = ref('');
  return { complain, lay, step, again, change, waive, asked };
}
export type Changes = ReturnType<typeof useChanges>;
