// A sheet in the hand: edits of each, step by step, until they are kept or undone; turning to another tab loses none.
import { computed, onBeforeUnmount, onMounted, reactive, type Ref } from 'vue';
import type { SheetPage } from '../api/client';
import { patchBetween, valueAt, withValue, type Tree } from './sheet';

/** What a sheet has of its own in any case. */
export const OWN = ['slug', 'version'];
const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

export function useDraft(slug: Ref<string>, page: Ref<SheetPage | undefined>, base: Ref<Tree | undefined>) {
  const edits = reactive(new Map<string, Tree[]>());
  const steps = computed(() => edits.get(slug.value) ?? []);
  const stored = computed(() => page.value?.sheet as unknown as Tree | undefined);
  const draft = computed(() => steps.value.at(-1) ?? stored.value);
  /** What the sheet says otherwise than the shipped one that it begins from, as edited. */
  const changes = computed(() => {
    if (!base.value || !draft.value) return {};
    const patch = patchBetween(base.value, draft.value);
    for (const key of OWN) delete patch[key];
    return patch;
  });
  const at = (path: string) => (draft.value ? valueAt(draft.value, path) : null);
  function edit(path: string, value: unknown) {
    if (draft.value && !same(at(path), value)) edits.set(slug.value, [...steps.value, withValue(draft.value, path, value)]);
  }
  function undo() {
    if (steps.value.length > 1) edits.set(slug.value, steps.value.slice(0, -1));
    else edits.delete(slug.value);
  }
  const edited = (path: string) => Boolean(stored.value) && !same(at(path), valueAt(stored.value!, path));
  const differs = (path: string) => Boolean(base.value) && at(path) !== null && !same(at(path), valueAt(base.value!, path));
  const guard = (e: BeforeUnloadEvent) => edits.size && e.preventDefault();
  onMounted(() => window.addEventListener('beforeunload', guard));
  onBeforeUnmount(() => window.removeEventListener('beforeunload', guard));
  return { edits, steps, draft, changes, at, edit, undo, edited, differs, forget: () => edits.delete(slug.value) };
}
export type Draft = ReturnType<typeof useDraft>;
