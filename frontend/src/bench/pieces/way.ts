// The way to Fit: what is asked before it, what was found, which slip of it is looked at, and laying it on the tape.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, reactive, ref, watch } from 'vue';
import { api, type Intent, type WaySlip } from '../../api/client';
import { jobs } from '../../api/jobs';
import type { Changes } from './changes';
import type { Reading } from './reading';
import type { Tape } from './tape';

const RUNNING = ['waiting', 'running'];

export function useWay({ bench }: Reading, { change, complain }: Changes, tape: Tape) {
  const queries = useQueryClient();
  const wayOpen = ref(false);
  const goal = ref<'stop' | 'caution' | 'note'>('caution');
  /** Destinations beside the model's own. */
  const more = ref<string[]>([]);
  /** What was chosen on this way: by check the mend. */
  const prefer = reactive<Record<string, string>>({});
  const walked = ref<number | null>(null);
  /** Whether what is asked was answered, or passed over, so that the search may begin. */
  const answered = ref(false);
  const inspection = computed(() => bench.value?.reading?.inspection ?? null);
  const ready = computed(() => inspection.value !== null && bench.value?.state === 'done' && !bench.value.stale);
  const sheets = computed(() => [bench.value?.sheet ?? '', ...more.value.filter((s) => s !== bench.value?.sheet)]);
  const intent = computed(() => JSON.stringify(bench.value?.intent ?? {}));

  const questionsQuery = useQuery({
    queryKey: computed(() => ['questions', inspection.value, bench.value?.sheet, intent.value]),
    queryFn: () => api.questions(inspection.value!),
    enabled: computed(() => wayOpen.value && ready.value),
  });
  const questions = computed(() => questionsQuery.data.value?.questions ?? []);
  /** Questions for which findings wait: those come first, before anything is looked for. */
  const waiting = computed(() => questions.value.filter((q) => q.waiting > 0));

  const wish = (begin: boolean) => ({ sheets: sheets.value, goal: goal.value, prefer: { ...prefer }, begin });
  const key = computed(() => ['way', inspection.value, intent.value, JSON.stringify(wish(false)), bench.value?.version]);
  const query = useQuery({
    queryKey: key,
    queryFn: () => api.way(inspection.value!, wish(false)),
    enabled: computed(() => wayOpen.value && ready.value),
    refetchInterval: (q) => (RUNNING.includes(q.state.data?.state ?? '') ? 400 : false),
  });
  const seek = useMutation({
    mutationFn: () => api.way(inspection.value!, wish(true)),
    onSuccess: (made) => queries.setQueryData(key.value, made),
    onError: complain,
  });
  const found = computed(() => (query.data.value?.state === 'done' ? query.data.value.way : null));
  const seeking = computed(() => seek.isPending.value || RUNNING.includes(query.data.value?.state ?? ''));
  const job = computed(() => jobs.jobs.find((j) => j.id === query.data.value?.job));
  /** Why there is no way though one was looked for: a search that was stopped can be begun anew as well. */
  const ended = computed(() => {
    const now = query.data.value;
    return now?.state === 'failed' || now?.state === 'cancelled' ? (now.error ?? 'The search was stopped.') : '';
  });
  const trouble = computed(() => query.error.value?.message ?? questionsQuery.error.value?.message ?? ended.value);
  // One press: where nothing that only a person knows is waited for, the search begins by itself.
  watch(
    [() => query.data.value?.state, () => questionsQuery.isSuccess.value, answered, ready],
    () => {
      const state = query.data.value?.state;
      if (!wayOpen.value || !ready.value || state !== 'none' || seek.isPending.value || !questionsQuery.isSuccess.value) return;
      if (answered.value || !waiting.value.length) seek.mutate();
    },
    { immediate: true },
  );
  watch(
    () => JSON.stringify(key.value),
    () => walk(null),
  );

  /** Slips for the destination that the Bench judges by: those for all, then its own. */
  const proposed = computed<WaySlip[]>(() => {
    const way = found.value;
    const own = way?.branches.find((b) => b.sheet === bench.value?.sheet)?.slips ?? [];
    return way && wayOpen.value ? [...way.slips, ...(more.value.length ? [] : own)] : [];
  });
  const left = computed(() => found.value?.branches.find((b) => b.sheet === bench.value?.sheet)?.left ?? []);
  const plain = (slips: WaySlip[]) => slips.map(({ mend, params }) => ({ mend, params, on: true }));
  /** Shows the model with the slips up to one; null: as it is. */
  function walk(k: number | null) {
    walked.value = k;
    if (k === null) {
      if (wayOpen.value || tape.trial.before.value.length) tape.trial.putBack();
    } else void tape.trial.tryTape(plain(proposed.value.slice(0, k + 1)));
  }
  /** Says what was asked, and begins once that is kept: else it would be looked for by what was said before. */
  async function answer(said: Partial<Intent>) {
    try {
      if (Object.keys(said).length) await change.mutateAsync({ intent: { ...bench.value!.intent, ...said } });
      answered.value = true;
    } catch {
      // What was refused has been said; the form stands as it was.
    }
  }
  const choose = (check: string, mend: string) => (prefer[check] = mend);
  async function layWay() {
    const way = found.value;
    if (!way) return;
    const slips = plain(proposed.value);
    try {
      if (more.value.length)
        await api.keepBranches(
          bench.value!.revision.id,
          Object.fromEntries(way.branches.map((b) => [b.sheet, b.slips.map(({ mend, params }) => ({ mend, params }))])),
        );
      closeWay();
      tape.putAll(slips);
    } catch (e) {
      complain(e as Error);
    }
  }
  function closeWay() {
    walk(null);
    wayOpen.value = false;
  }
  function openWay() {
    answered.value = false;
    wayOpen.value = true;
  }
  return {
    wayOpen,
    goal,
    more,
    prefer,
    walked,
    questions,
    waiting,
    asking: computed(() => questionsQuery.isPending.value),
    answered,
    answer,
    found,
    wayPicture: computed(() => (query.data.value?.picture ? `/api/ways/${query.data.value.id}/picture` : null)),
    seeking,
    seek,
    wayJob: job,
    wayTrouble: trouble,
    proposed,
    left,
    walk,
    choose,
    layWay,
    openWay,
    closeWay,
  };
}
