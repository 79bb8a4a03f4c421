// What is said to those who do not see the page change.
import { ref } from 'vue';

export const said = ref('');
/** Say a sentence, also where it is the same as the last one. */
export function announce(text: string) {
  said.value = text === said.value ? `${text}\u00a0` : text;
}
