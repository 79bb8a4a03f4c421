// A rule sheet in the hand: values by their paths, and what differs from the one that it begins from (RFC 7396, JSON merge patch).
export type Tree = { [key: string]: unknown };

const isTree = (x: unknown): x is Tree => typeof x === 'object' && x !== null && !Array.isArray(x);

/** The value at a path such as `limits.parts`; of results the whole id of a check is one name. */
export function valueAt(sheet: Tree, path: string): unknown {
  let here: unknown = sheet;
  for (const name of names(path)) here = isTree(here) ? here[name] : undefined;
  return here ?? null;
}

/** A copy of the sheet with another value at a path; null takes it out. */
export const withValue = (sheet: Tree, path: string, value: unknown): Tree => replaced(sheet, names(path), value);

function replaced(tree: Tree, [first, ...rest]: string[], value: unknown): Tree {
  const out = { ...tree };
  const below = tree[first!];
  if (rest.length) out[first!] = replaced(isTree(below) ? below : {}, rest, value);
  else if (value === null || value === undefined || value === '') delete out[first!];
  else out[first!] = value;
  return out;
}

/** What the second says otherwise than the first, as a merge patch. */
export function patchBetween(before: Tree, after: Tree): Tree {
  const out: Tree = {};
  for (const key of Object.keys(before)) if (!(key in after)) out[key] = null;
  for (const [key, value] of Object.entries(after)) {
    const was = before[key];
    if (isTree(value) && isTree(was)) {
      const inner = patchBetween(was, value);
      if (Object.keys(inner).length) out[key] = inner;
    } else if (JSON.stringify(was) !== JSON.stringify(value)) out[key] = value;
  }
  return out;
}

function names(path: string): string[] {
  const [first, ...rest] = path.split('.');
  return first === 'results' && rest.length ? [first, rest.join('.')] : [first!, ...rest];
}
