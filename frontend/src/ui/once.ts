// Things that are made when they are first wanted and then kept.
import { ref, watch, type Ref } from 'vue';

/** True from the first time that a condition holds. */
export function once(condition: Ref<boolean>): Ref<boolean> {
  const ever = ref(condition.value);
  watch(condition, (now) => (ever.value ||= now));
  return ever;
}
