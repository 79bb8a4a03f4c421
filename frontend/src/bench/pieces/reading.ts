// What the server says of the revision: its stations and findings, by kind and in order.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, type ComputedRef } from 'vue';
import { api, type Bench, type Finding } from '../../api/client';
import type { components } from '../../api/schema';

/** Findings of one kind, which stand on one card, and the calls that mend them all. */
export interface Kind {
  findings: Finding[];
  mends: components['schemas']['Kind']['mends'];
}

export function useReading(revision: ComputedRef<number>) {
  const queries = useQueryClient();
  const key = computed(() => ['bench', revision.value]);
  let changes = 0;
  /** What was asked for already: once is enough, whatever becomes of it. */
  const askedFor = new Set<string>();
  /** What came back of a change stands for what is there now. */
  function took(b: Bench) {
    changes++;
    queries.setQueryData(key.value, b);
  }
  const query = useQuery({
    queryKey: key,
    // What was asked before a change and comes in after it is of before: it must not stand for what is there now.
    queryFn: async () => {
      const [asked, mine] = [changes, key.value];
      const seen = await api.bench(revision.value);
      // Looking asks for nothing: who looks at a state of the tape that was never read has it read; what a batch asked for goes before the
      // batch then, and what is offered is tried.
      const wanted = seen.state === 'unread' || seen.state === 'waiting' || (seen.state === 'done' && seen.reading?.offers === 'none');
      const about = `${revision.value}/${seen.version}/${seen.state}`;
      const found = wanted && !askedFor.has(about) ? await api.readAgain(revision.value) : seen;
      if (wanted) askedFor.add(about);
      return asked === changes ? found : (queries.getQueryData<Bench>(mine) ?? found);
    },
    // The job stream tells when an inspection ends; asking now and then covers a stream that was cut.
    refetchInterval: (q) => {
      const b = q.state.data;
      if (!b) return false;
      // What is offered is tried after the verdict, and comes one by one.
      if (!['waiting', 'running'].includes(b.state)) return ['waiting', 'running'].includes(b.reading?.offers ?? '') ? 2500 : false;
      // Of a model that is read for the first time the picture and the verdict come one after the other.
      return b.reading && !b.stale && b.picture ? 1500 : 500;
    },
  });
  const bench = query.data;
  const stations = computed(() => bench.value?.reading?.stations ?? []);
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
  return { query, took, bench, stations, findings, kindsOf, letterOf };
}
export type Reading = ReturnType<typeof useReading>;
