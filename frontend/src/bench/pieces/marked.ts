// What is marked on the model now.
import { shallowRef, watch, type ComputedRef } from 'vue';
import type { DisplayModel } from '../../stage/displayCopy';
import type { Marked, Spot } from '../useEvidence';
import type { Opened } from './opened';

export function useMarked(revision: ComputedRef<number>, { finding }: Opened) {
  const marked = shallowRef<Marked | null>(null);
  /** What a difference is about, while it is shown; a finding that is opened takes its place. */
  const spot = shallowRef<Spot | null>(null);
  watch([finding, revision], () => (spot.value = null));
  /** The model that the stage drew last, for small pictures of what it is made of. */
  const drawn = shallowRef<DisplayModel | null>(null);
  return { marked, spot, drawn };
}
