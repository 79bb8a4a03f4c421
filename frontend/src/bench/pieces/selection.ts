// What is open on the Bench: it lives in the address, so that a reload or a link brings it back.
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Finding } from '../../api/client';
import type { Reading } from './reading';

export function useSelection({ stations, findings }: Reading) {
  const route = useRoute();
  const router = useRouter();
  const look = (change: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...change } });
  // The worst station opens first, and stays open: a mend that clears it must not turn the page under one's eyes.
  const first = ref('');
  watch(stations, (all) => (first.value ||= (all.find((s) => s.counts.stop) ?? all.find((s) => s.counts.caution) ?? all[0])?.slug ?? ''), {
    immediate: true,
  });
  /** What the address asks for and is no station; nothing while none are there. */
  const unknown = computed(() => {
    const asked = route.query.station;
    return typeof asked === 'string' && stations.value.length && !stations.value.some((s) => s.slug === asked) ? asked : '';
  });
  const station = computed({
    get: () => (typeof route.query.station === 'string' && !unknown.value ? route.query.station : first.value),
    set: (slug: string) => look({ station: slug, finding: undefined }),
  });
  const finding = computed<Finding | null>(() => findings.value.find((f) => f.id === route.query.finding) ?? null);
  const show = (f: Finding | null) =>
    look(f ? { station: f.station.toLowerCase(), finding: f.id, part: undefined } : { finding: undefined, part: undefined });
  /** The address of a line of a destination's answer: the finding that says the same, or its station where this sheet finds nothing. */
  watch(
    [() => route.query.check, stations],
    ([check, all]) => {
      if (typeof check !== 'string' || !all.length) return;
      const met = findings.value.find((f) => f.check === check);
      look({ check: undefined, station: check.split('.')[0], finding: met?.id });
    },
    { immediate: true },
  );
  const part = computed<number | null>(() => (typeof route.query.part === 'string' ? Number(route.query.part) : null));
  const isolate = (node: number | null) => look({ part: node === null ? undefined : String(node) });
  return { station, unknown, finding, show, part, isolate };
}
export type Selection = ReturnType<typeof useSelection>;
