import { describe, expect, it } from 'vitest';
import type { Batch, BatchModel } from '../api/client';
import { layingWords, left, since, step, verdictWords, word } from './batch';

const row = (more: Partial<BatchModel>): BatchModel =>
  ({ state: 'done', verdict: { stop: 0, caution: 0, note: 0, unlooked: 0 }, proved: null, ...more }) as BatchModel;

describe('a board', () => {
  it('says of each row how it stands, the gravest first', () => {
    const verdict = { stop: 1, caution: 0, note: 0, unlooked: 0 };
    expect(word(row({}))).toBe('Fit');
    expect(word(row({ proved: true }))).toBe('Proved');
    expect(word(row({ proved: true, verdict }))).toBe('Held');
    expect(word(row({ verdict: { ...verdict, stop: 0, unlooked: 1 } }))).toBe('Held');
    expect(word(row({ state: 'running', step: 'judge', verdict }))).toBe('Reading');
    expect(word(row({ state: 'running', step: 'export', verdict }))).toBe('Writing');
    expect(word(row({ state: 'waiting', verdict: null }))).toBe('Waiting');
    expect(word(row({ state: 'failed', verdict }))).toBe('Failed');
  });
  it('tells counts and times as people say them', () => {
    expect(verdictWords({ stop: 1, caution: 2, note: 9, unlooked: 0 })).toBe('1 stop, 2 cautions');
    expect(verdictWords({ stop: 0, caution: 0, note: 9, unlooked: 0 })).toBe('nothing to mend');
    expect([left(null), left(0.2), left(89), left(600), left(7200)]).toEqual(['', '1 s left', '89 s left', '10 min left', '2.0 h left']);
    expect(layingWords({ laid: 1, useless: 0, changed: 2 }, 'Put on')).toBe(
      'Put on 1 tape. 2 tapes changed meanwhile, and were left alone.',
    );
  });
  it('says what is fewer and what is more since it was first judged, and nothing of what is the same', () => {
    const batch = { first_stops: 9, stops: 4, first_cautions: 3, cautions: 4 } as Batch;
    expect(since(batch)).toEqual([
      { fewer: 5, what: 'stops' },
      { fewer: -1, what: 'caution' },
    ]);
    expect(since({ ...batch, stops: 9, cautions: 3 } as Batch)).toEqual([]);
  });
  it('is walked cell by cell and never left', () => {
    expect(step('ArrowRight', 0, 0, 3, 2)).toEqual([0, 1]);
    expect(step('ArrowRight', 0, 1, 3, 2)).toBeNull();
    expect(step('ArrowUp', 0, 1, 3, 2)).toBeNull();
    expect(step('PageDown', 1, 1, 3, 2)).toEqual([2, 1]);
    expect(step('End', 1, 0, 3, 2)).toEqual([1, 1]);
    expect(step('x', 1, 0, 3, 2)).toBeNull();
  });
});
