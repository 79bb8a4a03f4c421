// What is marked on the model now.
import { shallowRef, watch, type ComputedRef } from 'vue';
import type { DisplayModel } from '../../stage/displayCopy';
import type { Marked, Spot } from '../useEvidence';
import type { Selection } from './selection';

export function useMarks(revision: ComputedRef<number>, { finding }: Selection) {
  const marked = shallowRef<Marked | null>(null);
  /** What a difference is about, while it is shown; a finding that is opened takes its place. */
  const spot = shallowRef<Spot | null>(null);
  watch([finding, revision], () => (spot.value = null));
  /** The model that the stage drew last, for small pictures of what it is made of. */
  const drawn = shallowRef<DisplayModel | null>(null);
  return { marked, spot, drawn };
}
export type Marks = ReturnType<typeof useMarks>;
