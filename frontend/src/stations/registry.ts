// Lenses: what each is called and how it reads come from the stations that bring them; here each has its mark in the rack.
import type { LookName } from '../stage/looks';
import told from './lenses.json';

export interface Lens {
  look: LookName;
  name: string;
  legend: string;
  mark: string;
}

const MARKS: Partial<Record<LookName, string>> = {
  received:
    '<circle cx="16" cy="16" r="10.5" fill="#D8CFBC"/><path d="M16 5.5a10.5 10.5 0 0 1 0 21Z" fill="#F6F1E7"/><path d="M16 5.5v21" stroke="#1E2A2F" stroke-width="1.2"/>',
  facing:
    '<circle cx="16" cy="16" r="10.5" fill="#D9A441"/><path d="M7 21 19 6M9.5 24 23 8M14 26 26 12M6 15 13 6.5M19 26l7-8" stroke="#3A2A0C" stroke-width="1.5"/>',
  wire: '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><path d="M8 12 24 10M7 19 25 21M13 6.5 11 26M20 6.5 22 25" stroke="#1E2A2F" stroke-width="1.2"/>',
  density:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><g fill="#1E2A2F"><circle cx="10" cy="12" r="1"/><circle cx="10" cy="19" r="1"/><circle cx="15" cy="9" r="1.1"/><circle cx="15" cy="15" r="1.3"/><circle cx="15" cy="22" r="1.3"/><circle cx="19" cy="12" r="1.5"/><circle cx="19" cy="18.5" r="1.7"/><circle cx="23" cy="15" r="1.8"/><circle cx="22.5" cy="21" r="1.6"/></g>',
  slots:
    '<circle cx="16" cy="16" r="10.5" fill="#E6DCC6"/><path d="M16 16V5.5A10.5 10.5 0 0 1 25.1 21.2Z" fill="#A9B8A4"/><path d="M16 16 25.1 21.2A10.5 10.5 0 0 1 6.9 21.2Z" fill="#8797A3"/>',
  checker:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><path d="M8 9.5h16M6 14h20M6 18.5h20M8 23h16M9.5 8v16M14 6v20M18.5 6v20M23 8v16" stroke="#2B756F"/>',
  layout:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><path d="M9 10h7v5h-7ZM17.500 12l6-2 1 7-5 1ZM10 18l6-1 2 6-7 1Z" fill="#A9B8A4" stroke="#1E2A2F" stroke-width="1.1" stroke-linejoin="round"/>',
  alpha:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><circle cx="13" cy="14" r="5.5" fill="#9FC3BB" fill-opacity=".8"/><circle cx="19" cy="18" r="5.5" fill="#9FC3BB" fill-opacity=".8"/>',
  normals:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><path d="M9 21a9 7 0 0 1 14 0" fill="none" stroke="#1E2A2F" stroke-width="1.4"/><path d="M16 17.500V8M11 19 8 11M21 19l3-8" stroke="#1E2A2F" stroke-width="1.2"/>',
  pivots:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><ellipse cx="16" cy="19" rx="6" ry="2.4" fill="none" stroke="#1E2A2F"/><path d="M16 8v15M8 19h16" stroke="#1E2A2F" stroke-width="1.2"/>',
  names:
    '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/><path d="M9 11h14v6H9Z" fill="none" stroke="#1E2A2F" stroke-width="1.2"/><path d="M16 17v6" stroke="#1E2A2F" stroke-width="1.2"/>',
  weights:
    '<circle cx="16" cy="16" r="10.5" fill="#F4EBDA"/><path d="M16 5.5a10.5 10.5 0 0 1 0 21Z" fill="#16605B"/><path d="M16 5.5a5.2 10.5 0 0 1 0 21Z" fill="#7FA39B"/>',
};
/** What a lens without a mark of its own has. */
const PLAIN = '<circle cx="16" cy="16" r="10.5" fill="#FFFDF8"/>';

export const LENSES: Lens[] = told.map(({ look, name, legend }) => ({
  look: look as LookName,
  name,
  legend,
  mark: MARKS[look as LookName] ?? PLAIN,
}));
