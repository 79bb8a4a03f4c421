import { describe, expect, it } from 'vitest';
import type { MendFacts, Slip } from '../api/client';
import { holds, moved, toggled, without } from './tape';

const tape: Slip[] = ['bake', 'scale', 'weld'].map((mend) => ({ mend, params: {}, on: true }));
const order = (slips: Slip[]) => slips.map((s) => s.mend).join(' ');
const facts = {
  parameters: [
    { name: 'distance', default: 0.001 },
    { name: 'parts', default: null },
  ],
} as unknown as MendFacts;

describe('the order of a tape', () => {
  it('moves a slip before and behind others', () => {
    expect(order(moved(tape, 0, 2))).toBe('scale weld bake');
    expect(order(moved(tape, 2, 0))).toBe('weld bake scale');
  });
  it('stays as it is where there is no such place', () => {
    for (const to of [-1, 0, 3]) expect(moved(tape, 0, to)).toBe(tape);
  });
  it('takes out one, and switches one off and on', () => {
    expect(order(without(tape, 1))).toBe('bake weld');
    expect(toggled(tape, 1).map((s) => s.on)).toEqual([true, false, true]);
    expect(toggled(toggled(tape, 1), 1)).toEqual(tape);
    expect(tape[1]!.on).toBe(true);
  });
  it('knows a call by what it comes to, not by how much of it is written', () => {
    const laid: Slip[] = [{ mend: 'weld', params: { distance: 0.001 }, on: true }];
    expect(holds(laid, facts, 'weld', {})).toBe(true);
    expect(holds(laid, facts, 'weld', { distance: 0.002 })).toBe(false);
    expect(holds(laid, facts, 'bake', { distance: 0.001 })).toBe(false);
  });
});
