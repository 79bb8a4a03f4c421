// The destination that "as received" draws like; the server's rule sheets say how each of them does it.
import type { components } from '../api/schema';

/** How a destination draws, and how many joints it lets carry a vertex, where its sheet limits that. */
export type Receiver = components['schemas']['Receiver'] & { influences?: number | null };

export const PLAIN_RECEIVER: Receiver = {
  kind: 'engine',
  back_faces: 'as-material',
  lines: false,
  alpha: 'as-material',
  mirrored: 'turned',
  draw_order: 'by-part',
  default_material: '#C4BDAF',
  skinned_node: 'ignored',
  blended_shadow: 'none',
};

/** What tells two receivers' drawings apart. */
export const drawingOf = (r: Receiver) =>
  [r.back_faces, r.alpha, r.mirrored, r.draw_order, r.default_material, r.skinned_node, r.influences].join(' ');
