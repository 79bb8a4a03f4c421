import { describe, expect, it, test } from 'vitest';
import type { MendFacts } from '../api/client';
import { exact, figure, length, mendWords, tellLengths, typedLength, typedNumber } from './words';

describe('figures', () => {
  it.each([
    [{ value: 0.0042, unit: 'm' }, '4.2 mm'],
    [{ value: 1.23456, unit: 'm' }, '1.23 m'],
    [{ value: 0, unit: 'm' }, '0 m'],
    [{ value: 2.45e-13, unit: 'mm' }, 'under 0.001 mm'],
    [{ value: 3 * 2 ** 20, unit: 'bytes' }, '3 MiB'],
    [{ value: 0.01, unit: 'factor' }, '× 0.01'],
    [{ value: 89.96, unit: 'degrees' }, '90°'],
    [{ value: 0.1449, unit: 'share' }, '14.5 %'],
    [{ value: 0.00001, unit: 'share' }, 'under 0.01 %'],
    [{ value: 184320, unit: 'count' }, '184,320'],
    [{ value: 12, unit: 'px' }, '12 px'],
    [{ value: 'Y', unit: 'text' }, 'Y'],
    [null, ''],
  ])('%j reads %s', (value, words) => expect(figure(value)).toBe(words));
  it('keeps every digit for who asks', () => expect(exact({ value: 1.23456789, unit: 'm' })).toBe('1.23456789 m'));
  it.each([
    [2000, '2 km'],
    [2, '2 m'],
    [0.255, '25.5 cm'],
    [0.0021, '2.1 mm'],
  ])('%d m reads %s', (m, words) => expect(length(m)).toBe(words));
});

describe('the words of a mend', () => {
  const facts = { title: 'Weld points' } as MendFacts;
  it('says the parameter that matters, and for whom', () => {
    expect(mendWords(facts, 'surface.weld', { parts: ['lid'] })).toBe('Weld points, lid');
    expect(mendWords(facts, 'surface.weld', { parts: ['lid', 'net'] })).toBe('Weld points, 2 parts');
    expect(mendWords(undefined, 'size.scale', { factor: 100, unit: 'cm' })).toBe('It is in metres');
    const scale = { title: 'Scale the whole model', button: 'Scale × {factor}' } as MendFacts;
    expect(mendWords(scale, 'size.scale', { factor: 0.0254 })).toBe('Scale × 0.0254');
    expect(mendWords(scale, 'size.scale', {})).toBe('Scale the whole model');
    const drop = { title: 'Drop clips', button: 'Drop {clips}' } as MendFacts;
    expect(mendWords(drop, 'motion.drop-clips', { clips: ['wade', 'rest', 'fly'] })).toBe('Drop wade, rest …');
    expect(mendWords(drop, 'motion.drop-clips', { clips: [] })).toBe('Drop clips');
    expect(mendWords(undefined, 'house.unknown', {})).toBe('house.unknown');
  });
});

test('a length may be typed with its units, and a number alone is in the unit of its field', () => {
  expect(typedLength('7 ft 10.5 in', 1)).toBeCloseTo(2.4003, 6);
  expect(typedLength('24', 0.001)).toBeCloseTo(0.024, 9);
  expect(typedLength('-2,5 cm', 1)).toBeCloseTo(-0.025, 9);
  expect(typedLength('4 furlongs', 1)).toBeNaN();
  expect(typedLength('', 1)).toBeNaN();
  expect(typedLength('1,609 mi', 1)).toBeCloseTo(1609 * 1609.344, 3);
  expect(['1,500', '1,5', '0,125', ''].map((text) => typedNumber('triangles', text))).toEqual([1500, 1.5, 0.125, NaN]);
  expect(typedNumber('width_mm', '1,500')).toBe(1500);
});

test('lengths are told in feet where that is wished', () => {
  tellLengths('feet');
  expect([figure({ value: 2.4, unit: 'm' }), figure({ value: 9.4, unit: 'mm' }), length(1609.344 * 3)]).toEqual([
    '7 ft 10.5 in',
    '0.37 in',
    '3 mi',
  ]);
  tellLengths('metric');
  expect(figure({ value: 2.4, unit: 'm' })).toBe('2.4 m');
});
