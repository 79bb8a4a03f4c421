import { describe, expect, it } from 'vitest';
import { suited } from '../stage/beside';
import { foldAt, type Span } from './fold';
import { rangeOf, withBelow } from './pieces/ways';

describe('where a panel ends', () => {
  const rows = (...ends: number[]) => ends.slice(1).map((bottom, k): Span => [ends[k]!, bottom, false]);
  it('leaves whole what the edge would cut, and no more room empty than that takes', () => {
    expect(foldAt(100, [[80, 110, true]], 0)).toBe(80);
    expect(foldAt(100, [[100, 130, true]], 0)).toBe(100);
    // Rows of a table: the last that is whole stays, however many stand on each other.
    expect(foldAt(100, rows(20, 45, 70, 95, 120), 0)).toBe(95);
  });
  it('rather cuts a text than what can be pressed, or than leaving the panel empty', () => {
    const columns: Span[] = [
      [10, 105, false],
      [70, 92, true],
    ];
    expect(foldAt(100, columns, 0)).toBe(100);
    expect(foldAt(90, columns, 0)).toBe(70);
    expect(foldAt(100, [[10, 110, true]], 50)).toBe(50);
  });
});

describe('picking in the tree', () => {
  const rows = [
    { node: 4, parent: -1 },
    { node: 1, parent: 4 },
    { node: 7, parent: 1 },
    { node: 2, parent: -1 },
  ];
  it('takes a range as it is seen, either way', () => {
    expect(rangeOf(rows, 7, 4)).toEqual([4, 1, 7]);
    expect(rangeOf(rows, 99, 2)).toEqual([2]);
  });
  it('takes what hangs below', () => {
    expect([...withBelow(rows, [4])].sort()).toEqual([1, 4, 7]);
    expect([...withBelow(rows, [2])]).toEqual([2]);
  });
});

describe('what stands beside a model', () => {
  it('suits its size', () => {
    expect([0.009, 0.2, 1.7, 30].map(suited)).toEqual(['button', 'rule', 'staff', 'hut']);
  });
});
