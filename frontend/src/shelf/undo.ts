// What was done last with many models, for as long as it can be taken back from here.
import { shallowRef } from 'vue';

export const undoable = shallowRef<{ says: string; back: (() => Promise<void>) | null } | null>(null);
