// One registry of lenses: what each is called, which look it draws, and how it reads without colour.
import type { LookName } from '../stage/looks';

export interface Lens { look: LookName; name: string; legend: string }

export const LENSES: Lens[] = [
  { look: 'received', name: 'As received', legend: 'Back faces are not drawn, lines are absent; a lost picture shows as a paper tile with its name.' },
  { look: 'facing', name: 'Facing', legend: 'Plain paper faces you; hatching is the back of a face.' },
];
