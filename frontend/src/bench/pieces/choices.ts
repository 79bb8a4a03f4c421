// What there is to choose from, and what is chosen: the rule sheet, and whose drawing "as received" shows.
import { useQuery } from '@tanstack/vue-query';
import { computed, ref, watch } from 'vue';
import { api } from '../../api/client';
import { tellLengths } from '../words';
import type { Reading } from './reading';

export function useChoices({ bench }: Reading) {
  const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
  watch(catalogue, (c) => c && tellLengths(c.lengths), { immediate: true });
  const sheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === bench.value?.sheet));
  /** The sheet whose receiver is shown: the model's own, or another that was chosen to look. */
  const receiving = ref<string | null>(null);
  watch(
    () => bench.value?.sheet,
    () => (receiving.value = null),
  );
  const receiverSheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === (receiving.value ?? bench.value?.sheet)));
  const mendFacts = (id: string) => catalogue.value?.mends.find((m) => m.id === id);
  return { catalogue, sheet, receiving, receiverSheet, mendFacts };
}
export type Choices = ReturnType<typeof useChoices>;
