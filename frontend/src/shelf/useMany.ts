// One thing done with many models, and undone again.
import { useQueryClient } from '@tanstack/vue-query';
import { ref } from 'vue';
import { api } from '../api/client';
import { many } from '../batches/batch';
import { undoable } from './undo';

type Act = Parameters<typeof api.many>[1];

const SAYS: Record<Act, string> = {
  'judge-by': 'judged by another sheet',
  tag: 'tagged',
  untag: 'without that tag',
  'take-off': 'taken off the shelf',
  'bring-back': 'brought back',
  'throw-away': 'thrown away',
};
/** What takes an act back; what has none is not taken back here. */
const BACK: Partial<Record<Act, Act>> = { tag: 'untag', untag: 'tag', 'take-off': 'bring-back', 'bring-back': 'take-off' };

export function useMany(then: () => void = () => {}) {
  const queries = useQueryClient();
  const busy = ref(false);
  const renew = () => queries.invalidateQueries({ queryKey: ['shelf'] });
  async function act(models: number[], what: Act, value = '') {
    busy.value = true;
    try {
      const done = (await api.many(models, what, value)).models;
      const back = BACK[what];
      undoable.value = {
        says: `${many(done.length, 'model')} ${SAYS[what]}.`,
        back:
          back && done.length
            ? async () => {
                await api.many(done, back, value);
                undoable.value = null;
                await renew();
              }
            : null,
      };
      then();
    } catch (e) {
      undoable.value = { says: (e as Error).message, back: null };
    } finally {
      busy.value = false;
      await renew();
    }
  }
  return { act, busy };
}
