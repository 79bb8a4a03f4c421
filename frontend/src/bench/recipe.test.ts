import { expect, test } from 'vitest';
import { recipeOf } from './recipe';

test('what was saved here and what the command line wrote are both recipes', () => {
  const saved = recipeOf('{"schema":1,"name":"Quay house","mends":[{"mend":"placement.bake","params":{}}]}', 'x.json');
  expect(saved).toEqual({ name: 'Quay house', slips: [{ mend: 'placement.bake', params: {}, on: true }] });
  const told = '{"schema":1,"mends":[{"mend":"a.b","params":{"k":1},"applied":true},{"mend":"c.d","params":{},"applied":false}]}';
  expect(recipeOf(told, 'tape.json')).toEqual({ name: 'tape', slips: [{ mend: 'a.b', params: { k: 1 }, on: true }] });
});

test('what is none is one sentence with its place', () => {
  expect(() => recipeOf('mud', 'a.json')).toThrow('a.json is not JSON');
  expect(() => recipeOf('{}', 'a.json')).toThrow('no list of mends');
  expect(() => recipeOf('[{"mend":"a.b"},{}]', 'a.json')).toThrow('at 1, is no mend');
});
