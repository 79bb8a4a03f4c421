// Faces that somebody pointed at: which they are on each part, how they are pointed at, and the way back.
import { onScopeDispose, ref, shallowRef, watch, type ComputedRef } from 'vue';
import type { Mask } from '../../stage/faces';
import type { Marks } from './marks';

export const HOWS = {
  one: { name: 'one', says: 'a click takes the face under it' },
  drawn: { name: 'drawn', says: 'drag a line round them' },
  box: { name: 'box', says: 'drag a box over them' },
  flat: { name: 'flat', says: 'a click takes what lies flat with it' },
  slot: { name: 'slot', says: 'a click takes all of its part in that material' },
  piece: { name: 'piece', says: 'a click takes all that hangs together' },
  island: { name: 'island', says: 'a click takes the UV island' },
  strip: { name: 'strip', says: 'a click near a side of a quad takes the run across it' },
} as const;
export type How = keyof typeof HOWS;
/** How a click changes what is picked: in its place, beside it, or out of it. */
export type Adding = 'new' | 'add' | 'away';
export type Picks = ReadonlyMap<number, Mask>;
/** What is being asked for on the stage beside faces: places on a rim, vertices, or a face to take the material of. */
export type Asking = { what: 'places' | 'vertices' | 'material'; found: string[] } | null;

const NOTHING: Picks = new Map();
/** What was picked on a revision when its page was left: a look elsewhere loses nothing. Of the last few alone. */
const left = new Map<number, Picks>();
const MOST_LEFT = 3;
/** Steps that can be taken back. */
const STEPS = 100;

export function usePicks(revision: ComputedRef<number>, { drawn }: Marks) {
  const picking = ref(false);
  const how = ref<How>('one');
  const adding = ref<Adding>('new');
  const degrees = ref(1);
  /** Whether a line or box takes what is hidden behind other faces too. */
  const through = ref(false);
  const faces = shallowRef<Picks>(NOTHING);
  const hidden = shallowRef<Picks>(NOTHING);
  const asking = shallowRef<Asking>(null);
  /** Where the pointer was when something was picked last, in pixels of the stage. */
  const at = shallowRef<{ x: number; y: number } | null>(null);
  const past = shallowRef<Picks[]>([]);
  const future = shallowRef<Picks[]>([]);

  const tidy = (next: Picks): Picks => new Map([...next].filter(([, m]) => m.includes(1)));
  function pick(next: Picks) {
    past.value = [...past.value, faces.value].slice(-STEPS);
    future.value = [];
    faces.value = tidy(next);
  }
  function step(from: typeof past, to: typeof past) {
    const last = from.value.at(-1);
    if (!last) return;
    to.value = [...to.value, faces.value];
    from.value = from.value.slice(0, -1);
    faces.value = last;
  }
  const back = () => step(past, future);
  const forth = () => step(future, past);
  function forget() {
    faces.value = hidden.value = NOTHING;
    past.value = future.value = [];
    asking.value = at.value = null;
  }
  const leave = (r: number) => {
    left.delete(r);
    if (faces.value.size) left.set(r, faces.value);
    for (const old of [...left.keys()].slice(0, Math.max(0, left.size - MOST_LEFT))) left.delete(old);
  };
  // The address has gone on already when the page is taken down.
  let shown = revision.value;
  watch(
    revision,
    (now, before) => {
      if (before !== undefined) leave(before);
      shown = now;
      forget();
      faces.value = left.get(now) ?? NOTHING;
    },
    { immediate: true },
  );
  onScopeDispose(() => leave(shown));
  // Faces are numbered by what is drawn: where a mend changed their number, a pick of before names others.
  watch(drawn, (now, before) => {
    if (!now) return;
    const named = (node: number) => !before || now.names.get(node) === before.names.get(node);
    const same = (node: number, mask: Mask) => countOf(now, node) === mask.length && named(node);
    if ([...faces.value].some(([n, m]) => !same(n, m)) || [...hidden.value].some(([n, m]) => !same(n, m))) forget();
  });
  return { picking, how, adding, degrees, through, faces, hidden, asking, at, past, future, pick, back, forth, forget };
}
export type PickState = ReturnType<typeof usePicks>;

/** Polygons of a drawn part. */
export function countOf(model: { parts: Map<number, { geometry: { userData: Record<string, unknown> } }> }, node: number): number {
  const origins = model.parts.get(node)?.geometry.userData.origins as { faces: Uint32Array } | undefined;
  return origins ? origins.faces.reduce((m, f) => (f > m ? f : m), -1) + 1 : 0;
}

/** What is picked with more of it, less of it, or something else in its place. */
export function changed(now: Picks, by: Picks, adding: Adding): Picks {
  if (adding === 'new') return by;
  const out = new Map(now);
  for (const [node, mask] of by) {
    const own = out.get(node)?.slice() ?? new Uint8Array(mask.length);
    for (let k = 0; k < mask.length; k++) if (mask[k]) own[k] = adding === 'add' ? 1 : 0;
    out.set(node, own);
  }
  return out;
}
