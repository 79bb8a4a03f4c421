// A recipe from a file: one that was saved here, or what `mend --json` wrote.
import type { Slip } from '../api/client';

/** Its name and mends; those that did not apply where it was written are left out. Throws one sentence. */
export function recipeOf(text: string, file: string): { name: string; slips: Slip[] } {
  let tree: unknown;
  try {
    tree = JSON.parse(text);
  } catch {
    throw new Error(`${file} is not JSON; give a recipe that was saved here, or what mend --json wrote.`);
  }
  const listed = Array.isArray(tree) ? tree : (tree as { mends?: unknown } | null)?.mends;
  if (!Array.isArray(listed) || !listed.length) throw new Error(`${file} has no list of mends.`);
  const slips = listed.flatMap((entry: { mend?: unknown; params?: unknown; applied?: boolean }, k) => {
    if (typeof entry?.mend !== 'string' || typeof (entry.params ?? {}) !== 'object') throw new Error(`${file}, at ${k}, is no mend.`);
    return entry.applied === false ? [] : [{ mend: entry.mend, params: (entry.params ?? {}) as Record<string, never>, on: true }];
  });
  const named = (tree as { name?: unknown }).name;
  return { name: typeof named === 'string' && named.trim() ? named.trim() : file.replace(/\.json$/i, ''), slips };
}
