import { describe, expect, it } from 'vitest';
import { at, countAt, fewestWithin, placeOf } from './curve';

const POINTS = [
  { triangles: 8000, greatest: 0, mean: 0 },
  { triangles: 2000, greatest: 0.002, mean: 0.0002 },
  { triangles: 500, greatest: 0.01, mean: 0.001 },
];

describe('the curve of distance against triangles', () => {
  it('gives what was measured at its points and what lies between them elsewhere', () => {
    expect(at(POINTS, 2000)).toEqual(POINTS[1]);
    // Half way from 8,000 to 2,000 in ratios is 4,000.
    expect(at(POINTS, 4000).greatest).toBeCloseTo(0.001, 9);
    expect(at(POINTS, 9000)).toEqual(POINTS[0]);
    expect(at(POINTS, 100)).toEqual(POINTS[2]);
  });
  it('runs from every triangle to the fewest in equal shares, and back', () => {
    expect([countAt(POINTS, 0), countAt(POINTS, 0.5), countAt(POINTS, 1)]).toEqual([8000, 2000, 500]);
    for (const n of [8000, 3333, 500]) expect(countAt(POINTS, placeOf(POINTS, n))).toBe(n);
  });
  it('finds how far one may go for a distance', () => {
    expect(fewestWithin(POINTS, 0.002)).toBeGreaterThanOrEqual(2000);
    expect(fewestWithin(POINTS, 0.002)).toBeLessThan(2030);
    expect(fewestWithin(POINTS, 0)).toBe(8000);
    expect(fewestWithin(POINTS, 1)).toBe(500);
  });
});
