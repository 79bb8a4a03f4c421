// Windows of one browser that show the same model stay in step: whoever changes something tells the others, which look again.
import { useQueryClient } from '@tanstack/vue-query';
import { onBeforeUnmount, onMounted } from 'vue';

const NAME = 'handlens-changed';

/** Tell other windows that something was changed. keys: of the queries that are stale then. */
export function tellWindows(keys: unknown[][]) {
  if (typeof BroadcastChannel === 'undefined') return;
  const channel = new BroadcastChannel(NAME);
  channel.postMessage(keys);
  channel.close();
}

/** Look again whenever another window says that something was changed. */
export function useWindows() {
  const queries = useQueryClient();
  let channel: BroadcastChannel | null = null;
  onMounted(() => {
    if (typeof BroadcastChannel === 'undefined') return;
    channel = new BroadcastChannel(NAME);
    channel.onmessage = (e: MessageEvent<unknown[][]>) => {
      for (const queryKey of e.data) void queries.invalidateQueries({ queryKey });
    };
  });
  onBeforeUnmount(() => channel?.close());
}
