// What can be done with picked faces: a mend that has its button there, and what its declaration says that it asks for.
import type { MendFacts } from '../api/client';
import type { Asking } from './pieces/picks';
import { typedNumber } from './words';

type Field = MendFacts['parameters'][number];
const POINTED: Record<string, NonNullable<Asking>['what']> = { rim: 'places', vertex: 'vertices' };

/** Kinds that the pick itself answers. */
const ANSWERED = ['faces', 'face', 'parts'];
export const fieldsOf = (m: MendFacts): Field[] => m.parameters.filter((p) => !ANSWERED.includes(p.kind));
/** Whether it is for one face, or for faces of one part. */
export const wantsOne = (m: MendFacts) => m.parameters.some((p) => p.kind === 'face');
export const wantsPart = (m: MendFacts) => m.parameters.some((p) => ['face', 'vertex', 'rim'].includes(p.kind));
/** What is to be pointed at on the stage beside the faces. */
export const asksFor = (m: MendFacts) => m.parameters.map((p) => POINTED[p.kind]).find((x) => x) ?? null;
export const ASKING: Record<NonNullable<Asking>['what'], string> = {
  places: 'Point at two places of its rim: near a corner for the corner, else a place on the side.',
  vertices: 'Point near the one vertex, then near the other.',
  material: 'Point at a face to take the material of.',
};

/** The parameters of the call for the faces of one part; null where something is not filled in, or no number. */
export function callOf(m: MendFacts, form: Record<string, string>, faces: string, part: string): Record<string, unknown> | null {
  const out: Record<string, unknown> = {};
  for (const p of m.parameters) {
    const typed = (form[p.name] ?? '').trim();
    if (p.kind === 'faces') out[p.name] = faces;
    else if (p.kind === 'face') out[p.name] = Number(faces);
    else if (p.kind === 'parts') out[p.name] = [part];
    else if (!typed && p.default === null) return null;
    else if (!typed) continue;
    else if (p.kind === 'number' || p.kind === 'vertex') {
      const n = typedNumber(p.name, typed);
      if (!Number.isFinite(n) || (n === 0 && !p.zero)) return null;
      out[p.name] = n;
    } else out[p.name] = typed;
  }
  return out;
}
