// Commands: what "/" searches. Pages add theirs for as long as they live.
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, type ComputedRef } from 'vue';

export interface Command {
  group: string;
  name: string;
  hint?: string;
  run: () => void;
}

/** Whether the find box is open: what is dear to list is asked for then. */
export const searching = ref(false);
const sources = shallowRef<ComputedRef<Command[]>[]>([]);
export const commands = computed(() => sources.value.flatMap((s) => s.value));

export function useCommands(list: () => Command[]) {
  const source = computed(list);
  onMounted(() => (sources.value = [...sources.value, source]));
  onBeforeUnmount(() => (sources.value = sources.value.filter((s) => !Object.is(s, source))));
}

/** Commands whose words all begin with what is typed, in any order; exact beginnings of the name first. */
export function matching(all: Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return all.slice(0, 40);
  const fits = (c: Command) => {
    const have = `${c.name} ${c.group} ${c.hint ?? ''}`.toLowerCase();
    return words.every((w) => have.includes(w));
  };
  const begins = (c: Command) => (c.name.toLowerCase().startsWith(typed.toLowerCase().trim()) ? 0 : 1);
  return all
    .filter(fits)
    .sort((a, b) => begins(a) - begins(b))
    .slice(0, 40);
}
