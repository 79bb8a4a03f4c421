// The Bench's state: what the server says of the revision, what is open and marked, and the changes a person makes.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { useToast } from 'primevue/usetoast';
import { computed, ref, shallowRef, watch, type ComputedRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type Bench, type Finding, type Intent, type Slip } from '../api/client';
import type { Marked, Spot } from './useEvidence';
import type { components } from '../api/schema';
import { holds } from './tape';
import { useTrial } from './useTrial';

/** Findings of one kind, which stand on one card, and the calls that mend them all. */
export interface Kind {
  findings: Finding[];
  mends: components['schemas']['Kind']['mends'];
}
export type BenchState = ReturnType<typeof useBench>;

const plainSlips = (bench: Bench | undefined): Slip[] => (bench?.tape ?? []).map(({ mend, params, on }) => ({ mend, params, on }));

export function useBench(revision: ComputedRef<number>) {
  const route = useRoute();
  const router = useRouter();
  const queries = useQueryClient();
  const toast = useToast();
  const query = useQuery({
    queryKey: computed(() => ['bench', revision.value]),
    queryFn: () => api.bench(revision.value),
    // The job stream tells when an inspection ends; asking now and then covers a stream that was cut.
    refetchInterval: (q) => (['waiting', 'running'].includes(q.state.data?.state ?? '') ? 1500 : false),
  });
  const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
  const bench = query.data;
  /** Station by station, in each the worst first, else in the order of the checks. */
  const findings = computed(() => {
    const found = bench.value?.reading?.findings ?? [];
    const order = [...new Set(found.map((f) => f.station))];
    const rank = ['stop', 'caution', 'note'];
    return [...found].sort(
      (a, b) => order.indexOf(a.station) - order.indexOf(b.station) || rank.indexOf(a.result) - rank.indexOf(b.result),
    );
  });
  const kinds = computed<Kind[]>(() => {
    const told = bench.value?.reading?.kinds ?? [];
    const number = new Map(told.flatMap((k, n) => k.findings.map((id) => [id, n])));
    const made = new Map<number, Kind>();
    for (const f of findings.value) {
      const n = number.get(f.id)!;
      if (!made.has(n)) made.set(n, { findings: [], mends: told[n]!.mends });
      made.get(n)!.findings.push(f);
    }
    return [...made.values()];
  });
  const kindsOf = (station: string) => kinds.value.filter((k) => k.findings[0]!.station === station);
  /** The letter of a finding's card, which its mark on the stage bears too; none past the alphabet. */
  const letterOf = (f: Finding) =>
    'abcdefghijklmnopqrstuvwxyz'[kindsOf(f.station).findIndex((k) => k.findings.some((x) => x.id === f.id))] ?? '';
  const stations = computed(() => bench.value?.reading?.stations ?? []);

  // What is open lives in the address, so that a reload or a link brings it back.
  const look = (change: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...change } });
  // The worst station opens first, and stays open: a mend that clears it must not turn the page under one's eyes.
  const first = ref('');
  watch(stations, (all) => (first.value ||= (all.find((s) => s.counts.stop) ?? all.find((s) => s.counts.caution) ?? all[0])?.slug ?? ''), {
    immediate: true,
  });
  const station = computed({
    get: () => (typeof route.query.station === 'string' ? route.query.station : first.value),
    set: (slug: string) => look({ station: slug, finding: undefined }),
  });
  const finding = computed<Finding | null>(() => findings.value.find((f) => f.id === route.query.finding) ?? null);
  const show = (f: Finding | null) =>
    look(f ? { station: f.station.toLowerCase(), finding: f.id, part: undefined } : { finding: undefined, part: undefined });
  const part = computed<number | null>(() => (typeof route.query.part === 'string' ? Number(route.query.part) : null));
  const isolate = (node: number | null) => look({ part: node === null ? undefined : String(node) });

  const complain = (e: Error) => toast.add({ severity: 'error', summary: e.message, life: 9000 });
  const took = (b: Bench) => queries.setQueryData(['bench', revision.value], b);
  /** A tape that was changed elsewhere meanwhile is fetched as it is now. */
  const refused = (e: Error) => (complain(e), queries.invalidateQueries({ queryKey: ['bench', revision.value] }));
  const version = () => bench.value?.version ?? null;
  const lay = useMutation({
    mutationFn: (slips: Slip[]) => api.layTape(revision.value, slips, version()),
    onSuccess: took,
    onError: refused,
  });
  const step = useMutation({ mutationFn: (f: 'undo' | 'redo') => api[f](revision.value, version()), onSuccess: took, onError: refused });
  const again = useMutation({ mutationFn: () => api.readAgain(revision.value), onSuccess: took, onError: complain });
  const change = useMutation({
    mutationFn: (c: { sheet?: string; intent?: Intent; name?: string }) => api.changeModel(bench.value!.model, c),
    onError: complain,
    onSettled: () => queries.invalidateQueries({ queryKey: ['bench', revision.value] }),
  });

  const waive = useMutation({
    mutationFn: ({ finding, reason }: { finding: string; reason: string | null }) =>
      reason === null ? api.unwaive(bench.value!.model, finding) : api.waive(bench.value!.model, finding, reason),
    onError: complain,
    onSettled: () => queries.invalidateQueries({ queryKey: ['bench', revision.value] }),
  });

  const slips = computed(() => plainSlips(bench.value));
  const mendFacts = (id: string) => catalogue.value?.mends.find((m) => m.id === id);
  const onTape = (mend: string, params: Record<string, unknown>) => holds(slips.value, mendFacts(mend), mend, params);
  /** Every mend that changes nothing to see and is not on the tape yet, each once. */
  const safeMends = computed(() => {
    const calls = findings.value.filter((f) => !f.waived).flatMap((f) => f.mends);
    const fresh = calls.filter((m) => mendFacts(m.mend)?.safe && !onTape(m.mend, m.params));
    return fresh.filter((m, k) => fresh.findIndex((o) => o.mend === m.mend && JSON.stringify(o.params) === JSON.stringify(m.params)) === k);
  });
  const putAll = (calls: { mend: string; params: Record<string, unknown> }[]) =>
    lay.mutate([...slips.value, ...calls.map((c) => ({ ...c, on: true }))]);
  const put = (mend: string, params: Record<string, unknown>) => lay.mutate([...slips.value, { mend, params, on: true }]);
  const sheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === bench.value?.sheet));
  /** Whose drawing "as received" shows: the rule sheet's own receiver, or another that was chosen to look. */
  const receiving = ref<string | null>(null);
  watch(
    () => bench.value?.sheet,
    () => (receiving.value = null),
  );
  const receiverSheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === (receiving.value ?? bench.value?.sheet)));
  const marked = shallowRef<Marked | null>(null);
  /** What a difference is about, while it is shown; a finding that is opened takes its place. */
  const spot = shallowRef<Spot | null>(null);
  watch([finding, revision], () => (spot.value = null));
  const trial = useTrial(
    revision,
    computed(() => bench.value),
    slips,
    complain,
  );
  function keepTrial() {
    const t = trial.tried.value;
    trial.putBack();
    if (t) lay.mutate([...slips.value, t]);
  }
  /** Id of the finding whose waiving is asked for by key; its card opens the form. */
  const asked = ref('');
  return {
    asked,
    receiving,
    receiverSheet,
    marked,
    spot,
    trial,
    keepTrial,
    query,
    bench,
    catalogue,
    sheet,
    findings,
    kindsOf,
    letterOf,
    stations,
    station,
    finding,
    show,
    part,
    isolate,
    lay,
    step,
    again,
    change,
    waive,
    slips,
    onTape,
    put,
    putAll,
    safeMends,
    mendFacts,
  };
}
