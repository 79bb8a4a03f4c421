import { expect, test } from 'vitest';
import { compared, contentsOf } from './still';

const known = {
  files: [
    { path: 'hut.obj', sha256: 'b' },
    { path: 'hut.mtl', sha256: 'm' },
    { path: 'oak.png', sha256: 'p' },
    { path: 'iron.png', sha256: 'i' },
  ],
  earlier: [{ path: 'hut.obj', sha256: 'a', number: 1 }],
};

test('each file is told as the same, older, changed, missing or not ours', () => {
  const there = new Map([
    ['hut.obj', 'a'],
    ['hut.mtl', 'm'],
    ['oak.png', 'x'],
    ['notes.txt', 'n'],
  ]);
  expect(compared(there, known)).toEqual([
    { path: 'hut.mtl', state: 'same' },
    { path: 'hut.obj', state: 'older', number: 1 },
    { path: 'iron.png', state: 'missing' },
    { path: 'notes.txt', state: 'foreign' },
    { path: 'oak.png', state: 'changed' },
  ]);
});

test('the digest is that of the published example, and our own manifest is passed over', async () => {
  // FIPS 180-4's example: SHA-256 of "abc".
  const found = await contentsOf([new File(['abc'], 'abc.txt'), new File(['{}'], 'handlens-manifest.json')]);
  expect([...found]).toEqual([['abc.txt', 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad']]);
});
