import { describe, expect, it } from 'vitest';
import { matching, type Command } from './commands';

const run = () => undefined;
const all: Command[] = [
  { group: 'Part', name: 'bulwark', run },
  { group: 'Station', name: 'Surface', hint: 'whole and clean', run },
  { group: 'Mend', name: 'Weld surface points', run },
];
const names = (typed: string) => matching(all, typed).map((c) => c.name);

describe('search', () => {
  it('takes words in any order, of name, group and hint', () => {
    expect(names('points weld')).toEqual(['Weld surface points']);
    expect(names('clean station')).toEqual(['Surface']);
    expect(names('quay')).toEqual([]);
  });
  it('puts what begins so first', () => expect(names('SURF')).toEqual(['Surface', 'Weld surface points']));
  it('lists forty at most', () => {
    const many = Array.from({ length: 50 }, (_, k) => ({ group: 'Part', name: `plank ${k}`, run }));
    expect([matching(many, ' ').length, matching(many, 'plank').length]).toEqual([40, 40]);
  });
});
