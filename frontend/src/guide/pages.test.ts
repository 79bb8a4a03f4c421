import { expect, it } from 'vitest';
import { address, page, pages } from './pages';

it('keeps links between pages in the app and shows others as plain words', () => {
  expect(address('surface.md')).toBe('/guide/surface');
  expect(address('README.md')).toBe('/guide');
  expect(address('skin.md#skin.sums')).toBe('/guide/skin#skin.sums');
  expect(address('../checks.md')).toBeNull();
  const made = page('x/odd.md', '# Odd\n\n[in](size.md) and [out](../checks.md)\n');
  expect(made.title).toBe('Odd');
  expect(made.html).toContain('<a href="/guide/size">in</a> and out');
});

it('has a page for every link', () => {
  const links = [...pages.values()].flatMap((p) => [...p.html.matchAll(/href="\/guide\/?([^"#]*)/g)].map((m) => m[1]!));
  expect(links.length).toBeGreaterThan(12);
  expect(links.filter((key) => !pages.has(key))).toEqual([]);
});
