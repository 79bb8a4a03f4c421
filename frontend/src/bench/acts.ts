// What can be done with picked faces: which mend it is, what it asks for, and the call that a part's faces make.
export interface Field {
  name: string;
  says: string;
  type?: string;
  value?: string;
  optional?: boolean;
  choices?: string[];
}
export interface Act {
  name: string;
  says: string;
  mend: string;
  fields: Field[];
  params: (form: Record<string, string>, faces: string, part: string) => Record<string, unknown>;
  /** Wants one face, or faces of one part. */
  one?: boolean;
  part?: boolean;
  /** What is pointed at on the stage for its first two fields, and how that is said. */
  asks?: 'places' | 'vertices' | 'material';
  ask?: string;
  /** Whether what is split off is said to be not of the thing. */
  aside?: boolean;
}

const faces = (_: Record<string, string>, faces: string, part: string) => ({ faces, parts: [part] });
export const ACTS: Act[] = [
  { name: 'turn', says: 'Turns these faces over, normals with them.', mend: 'facing.turn', fields: [], params: faces },
  {
    name: 'paint',
    says: 'Gives these faces a material: one of the model, or a plain new one of a colour.',
    mend: 'slots.give',
    fields: [
      { name: 'material', says: 'Material' },
      { name: 'colour', says: 'Colour, where it is new', type: 'color', value: '#b8a88a', optional: true },
    ],
    params: (f, of, part) => ({ faces: of, material: f.material, colour: f.colour, parts: [part] }),
  },
  {
    name: 'merge',
    says: 'Makes one polygon of faces that share sides and lie flat.',
    mend: 'surface.merge-faces',
    fields: [],
    params: faces,
  },
  {
    name: 'cut',
    says: 'Cuts the face in two.',
    mend: 'surface.cut-face',
    one: true,
    asks: 'places',
    ask: 'Point at two places of its rim: near a corner for the corner, else a place on the side.',
    fields: [
      { name: 'begins', says: 'From' },
      { name: 'ends', says: 'to' },
    ],
    params: (f, of, part) => ({ face: Number(of), begins: f.begins, ends: f.ends, parts: [part] }),
  },
  {
    name: 'join',
    says: 'Makes two vertices one: the first moves to the second.',
    mend: 'surface.join-points',
    part: true,
    asks: 'vertices',
    ask: 'Point near the vertex that moves, then near the one that it is joined to.',
    fields: [
      { name: 'vertex', says: 'Vertex' },
      { name: 'to_vertex', says: 'to vertex' },
    ],
    params: (f, _, part) => ({ vertex: Number(f.vertex), to_vertex: Number(f.to_vertex), parts: [part] }),
  },
  {
    name: 'split off',
    says: 'Makes these faces a part of its own, which hangs on the one that they were of.',
    mend: 'surface.split-off',
    fields: [{ name: 'name', says: 'Name of the new part', optional: true }],
    params: (f, of, part) => ({ faces: of, name: f.name, parts: [part] }),
  },
  {
    name: 'set aside',
    says: 'Splits these faces off and says that they are not of the thing: they count for nothing and stay behind when it is written.',
    mend: 'surface.split-off',
    part: true,
    aside: true,
    fields: [{ name: 'name', says: 'Name of the new part', value: 'aside' }],
    params: (f, of, part) => ({ faces: of, name: f.name, parts: [part] }),
  },
  {
    name: 'raise',
    says: 'Moves these faces out of their surface, or into it, with walls along the rim; a sheet becomes a body.',
    mend: 'surface.raise',
    fields: [{ name: 'height', says: 'Height in mm, below 0 they sink', type: 'number', value: '10' }],
    params: (f, of, part) => ({ faces: of, height_mm: Number(f.height), parts: [part] }),
  },
  {
    name: 'remove',
    says: 'Takes these faces out; an opening stays where they were.',
    mend: 'surface.remove-faces',
    fields: [],
    params: faces,
  },
  {
    name: 'keep by name',
    says: 'Keeps these faces as a set with a name, to be taken up again; OBJ writes it as a group.',
    mend: 'surface.name-faces',
    fields: [{ name: 'name', says: 'Name' }],
    params: (f, of, part) => ({ faces: of, name: f.name, parts: [part] }),
  },
];
