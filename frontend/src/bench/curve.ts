// The measured curve of distance against triangles, read between its points.
import type { components } from '../api/schema';

export type CurvePoint = components['schemas']['CurvePoint'];

/** Where a count lies between the counts that were measured, on a scale of ratios; distances run straight between two points. */
export function at(points: CurvePoint[], triangles: number): CurvePoint {
  const first = points[0]!;
  if (triangles >= first.triangles) return first;
  const k = points.findIndex((p) => p.triangles <= triangles);
  if (k < 0) return points[points.length - 1]!;
  const [above, below] = [points[k - 1]!, points[k]!];
  const share = Math.log(above.triangles / triangles) / Math.log(above.triangles / below.triangles);
  const between = (a: number, b: number) => a + (b - a) * share;
  return { triangles, greatest: between(above.greatest, below.greatest), mean: between(above.mean, below.mean) };
}

/** The count at a place of the slider: 0 is every triangle, 1 the fewest that were measured, in steps that each take the same share. */
export function countAt(points: CurvePoint[], place: number): number {
  const [most, least] = [points[0]!.triangles, points[points.length - 1]!.triangles];
  return Math.round(most * Math.pow(least / most, Math.min(Math.max(place, 0), 1)));
}

export function placeOf(points: CurvePoint[], triangles: number): number {
  const [most, least] = [points[0]!.triangles, points[points.length - 1]!.triangles];
  if (most === least) return 0;
  return Math.min(Math.max(Math.log(most / triangles) / Math.log(most / least), 0), 1);
}

/** The fewest triangles that lie no farther off than a distance in metres. */
export function fewestWithin(points: CurvePoint[], distance: number): number {
  let best = points[0]!.triangles;
  for (let place = 0; place <= 1; place += 1 / 512) {
    const count = countAt(points, place);
    if (at(points, count).greatest > distance) break;
    best = count;
  }
  return best;
}
