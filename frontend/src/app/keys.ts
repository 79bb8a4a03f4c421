// Single keys, one table for what they do and what the help sheet says. They can be switched off in help.
import { onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';

export interface Key {
  keys: string[];
  says: string;
  run: (e: KeyboardEvent) => void;
}

export const singleKeys = ref(localStorage.getItem('single-keys') !== 'off');
// Shallow: what a deep one holds is another object than what was put in, so that nothing would ever be found and taken out again.
export const keySheet = shallowRef<{ title: string; keys: Key[] }[]>([]);
export const setSingleKeys = (on: boolean) => {
  singleKeys.value = on;
  localStorage.setItem('single-keys', on ? 'on' : 'off');
};

const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && (e.target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(e.target.tagName));

/** Adds keys for as long as the component lives. */
export function useKeys(title: string, keys: Key[]) {
  const section = { title, keys };
  const listen = (e: KeyboardEvent) => {
    if (typing(e) || e.altKey || e.metaKey || document.querySelector('.p-dialog-mask')) return;
    const name = `${e.ctrlKey ? 'Ctrl+' : ''}${e.key}`;
    if (!singleKeys.value && !e.ctrlKey && name.length === 1) return;
    const key = keys.find((k) => k.keys.includes(name));
    if (!key) return;
    e.preventDefault();
    key.run(e);
  };
  onMounted(() => {
    keySheet.value = [...keySheet.value, section];
    addEventListener('keydown', listen);
  });
  onBeforeUnmount(() => {
    keySheet.value = keySheet.value.filter((s) => s !== section);
    removeEventListener('keydown', listen);
  });
}
