// The rows of a sheet: by station first the values, each with the check that is held to it, then the checks that ask for no value.
import type { Catalogue, CheckFacts, SheetValue } from '../api/client';
import { OWN } from './useDraft';

export interface Row {
  key: string;
  value?: SheetValue;
  check?: CheckFacts;
}
export interface Section {
  rows: Row[];
  rest: Row[];
}
const SHEET = 'The sheet';

export function sections(values: SheetValue[], checks: CheckFacts[], stations: Catalogue['stations']): [string, Section][] {
  const known = new Map(checks.map((c) => [c.id, c]));
  const out = new Map<string, Section>([[SHEET, { rows: [], rest: [] }]]);
  for (const s of stations) out.set(s.name, { rows: [], rest: [] });
  const placed = new Set<string>();
  for (const value of values) {
    if (OWN.includes(value.path)) continue;
    const check = value.checks.map((id) => known.get(id)).find((c) => c !== undefined);
    const group = check?.station ?? (value.group === 'Limits' || value.group === 'Names' ? SHEET : value.group);
    if (!out.has(group)) out.set(group, { rows: [], rest: [] });
    // Where several values are held to by one check, the first of them carries how grave it is.
    const first = check !== undefined && !placed.has(check.id);
    if (check) placed.add(check.id);
    out.get(group)!.rows.push({ key: value.path, value, check: first ? check : undefined });
  }
  for (const check of checks) if (!placed.has(check.id)) out.get(check.station)?.rest.push({ key: check.id, check });
  return [...out].filter(([, s]) => s.rows.length || s.rest.length);
}

/** What a check gives where no sheet says otherwise: told by a shipped sheet that says nothing of it. */
export function standard(check: CheckFacts, sheets: Catalogue['sheets'], base: string): string {
  const quiet = sheets.find((s) => !(check.id in s.results) && check.results[s.slug]);
  return quiet ? check.results[quiet.slug]! : (check.results[base] ?? 'caution');
}
