import { expect, test } from 'vitest';
import { patchBetween, valueAt, withValue } from './sheet';

const sheet = { name: 'Ferry gate', limits: { parts: 24 }, results: { 'slots.too-many': 'stop' }, textures: { formats: ['png'] } };

test('a value is found and replaced by its path, and a result by the whole id of its check', () => {
  expect(valueAt(sheet, 'results.slots.too-many')).toBe('stop');
  const edited = withValue(withValue(sheet, 'results.slots.too-many', 'note'), 'limits.draw_calls', 6);
  expect(edited.results).toEqual({ 'slots.too-many': 'note' });
  expect(edited.limits).toEqual({ parts: 24, draw_calls: 6 });
  expect(sheet.limits).toEqual({ parts: 24 });
});

test('a patch holds what differs, and null for what was taken out', () => {
  expect(patchBetween(sheet, withValue(sheet, 'limits.parts', null))).toEqual({ limits: { parts: null } });
  expect(patchBetween(sheet, withValue(sheet, 'textures.formats', ['png', 'jpeg']))).toEqual({
    textures: { formats: ['png', 'jpeg'] },
  });
  expect(patchBetween(sheet, sheet)).toEqual({});
});
