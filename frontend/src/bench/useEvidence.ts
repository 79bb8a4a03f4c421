// Evidence: a finding's elements on the stage, place by place, with the rest paled or taken away.
import { Box3, Vector3, type Group, type Mesh } from 'three';
import { shallowRef, watch } from 'vue';
import { api, type Finding } from '../api/client';
import { bestDirection } from '../stage/flight';
import type { Origins } from '../stage/displayCopy';
import { mark, unmark } from '../stage/marks';
import { TOKENS } from '../stage/tokens';
import type { StageContext } from './stageState';

/** What is marked now, for the table and the UV panel: whose parts, and which elements. */
export interface Marked {
  kind: string;
  nodes: number[];
  indices: Int32Array;
  result: 'stop' | 'caution' | 'note';
  uvSet?: number;
}

/** A difference that is shown: faces of a part, or the whole of it where none are named. */
export interface Spot {
  node: number;
  faces: number[];
  /** Materials whose faces are marked, on whatever part they are; the part is not asked then. */
  materials?: number[];
}

export function useEvidence(
  { stage, viewer, model, state, lost }: StageContext,
  inspection: () => number | null,
  finding: () => Finding | null,
  spot: () => Spot | null,
) {
  const marked = shallowRef<Marked | null>(null);
  let groups: Group[] = [];
  let pointed: Group[] = [];
  let at: Vector3 | null = null;
  let spots: Box3[] = [];
  let ticket = 0;

  function clear() {
    unmark(groups);
    unmark(pointed);
    groups = [];
    pointed = [];
    spots = [];
    at = null;
    marked.value = null;
    Object.assign(state, { leader: null, place: 0, places: 0, flying: false });
    lost.value = '';
    setApart();
    stage.value?.invalidate();
  }

  async function show() {
    const mine = ++ticket;
    const [s, m, f, id] = [stage.value, model.value, finding(), inspection()];
    if (!s || !m) return;
    clear();
    if (!f) return spot() ? showSpot(spot()!, mine) : undefined;
    const kind = f.elements?.kind ?? 'nodes';
    const [node, result] = [f.node ?? null, f.result as Marked['result']];
    let indices = f.elements ? new Int32Array(0) : Int32Array.from(node === null ? [] : [node]);
    let places: Float32Array | undefined;
    try {
      if (f.elements && id !== null) {
        const reduced = node !== null && m.parts.get(node)?.geometry.userData.reduced && ['faces', 'edges', 'vertices'].includes(kind);
        [indices, places] = await Promise.all([api.elements(id, f.id), reduced ? api.marks(id, f.id) : undefined]);
      }
    } catch (e) {
      if (mine === ticket) lost.value = (e as Error).message;
    }
    if (mine !== ticket || model.value !== m) return;
    const made = mark(m, { kind, node, indices, ...(places ? { places } : {}) }, TOKENS[result]);
    groups = made.groups;
    if (made.box.isEmpty()) {
      lost.value ||= 'This is not a thing that is drawn, so there is nothing to mark.';
      return;
    }
    marked.value = {
      kind,
      nodes: kind === 'nodes' ? [...indices] : node === null ? [] : [node],
      indices,
      result,
      ...(f.elements?.uv_set === undefined ? {} : { uvSet: f.elements.uv_set }),
    };
    at = made.box.getCenter(new Vector3());
    spots = made.places;
    state.places = spots.length;
    setApart();
    await fly(made.box, mine);
  }

  /** Marks what a difference is about. A reduced part has not all of its faces, so it is marked whole. */
  async function showSpot(at: Spot, mine: number) {
    const m = model.value!;
    const whole = !at.faces.length || m.parts.get(at.node)?.geometry.userData.reduced;
    const made = at.materials
      ? mark(m, { kind: 'materials', node: null, indices: Int32Array.from(at.materials) }, TOKENS.band)
      : mark(m, { kind: whole ? 'nodes' : 'faces', node: at.node, indices: Int32Array.from(whole ? [at.node] : at.faces) }, TOKENS.stop);
    groups = made.groups;
    if (made.box.isEmpty()) return;
    setApart();
    // A slot is lit up where one stands; a difference is flown to.
    if (at.materials) return void stage.value?.invalidate();
    spots = made.places;
    state.places = spots.length;
    await fly(made.box, mine);
  }

  async function fly(box: Box3, mine: number, of = groups) {
    const [s, m, v] = [stage.value, model.value, viewer.value];
    if (!s || !m || !v) return;
    state.flying = true;
    const from = of.length ? await bestDirection(s, of, box, m.triangles, () => mine === ticket) : null;
    if (mine !== ticket) return;
    state.flying = false;
    await v.flyTo(box, from ?? undefined);
  }

  /** Goes to the next place of what is marked; before the first, all of it is in view. */
  async function step(by: number) {
    if (!spots.length) return;
    state.place = ((state.place - 1 + by + spots.length) % spots.length) + 1;
    const box = spots[state.place - 1]!;
    at = box.getCenter(new Vector3());
    await fly(box, ++ticket);
  }

  /** Pales whatever carries no mark, or takes it away where only what is marked is wanted. */
  function setApart() {
    const m = model.value;
    if (!m) return;
    const marks = new Set(groups.map((g) => g.parent));
    const apart = marks.size > 0 && marks.size < m.parts.size;
    for (const mesh of m.parts.values()) {
      const rest = apart && !marks.has(mesh);
      mesh.userData.apart = rest;
      mesh.userData.pale = rest || mesh.userData.dim;
      mesh.userData.away = rest && state.alone;
      mesh.visible = !mesh.userData.away && !mesh.userData.elsewhere;
    }
    stage.value?.modelChanged();
  }

  /** Marks one triangle that was pointed at elsewhere, beside what a finding marks, and flies to it. */
  function point(mesh: Mesh, triangle: number, box: Box3) {
    const [s, m] = [stage.value, model.value];
    if (!s || !m) return;
    unmark(pointed);
    const face = (mesh.geometry.userData.origins as Origins).faces[triangle]!;
    pointed = mark(m, { kind: 'faces', node: mesh.userData.node as number, indices: Int32Array.of(face) }, TOKENS.ink).groups;
    at = box.getCenter(new Vector3());
    s.invalidate();
    void fly(box, ++ticket, pointed);
  }

  /** Marks the sides of faces that tear in a pull, until a finding is opened. */
  function markTorn(part: { node: number; edges: number[] }) {
    const m = model.value;
    if (!m) return;
    clear();
    const made = mark(m, { kind: 'edges', node: part.node, indices: Int32Array.from(part.edges) }, TOKENS.caution);
    groups = made.groups;
    spots = made.places;
    state.places = spots.length;
    // Where they lie at rest is near enough to where they are pulled to.
    void fly(made.box, ++ticket);
  }

  /** Marks what is picked in the tree, without a leader and without flying there; a finding that is opened takes its place. */
  function frame(nodes: ReadonlySet<number>) {
    const m = model.value;
    if (!m || finding() || spot()) return;
    ticket++;
    clear();
    const drawn = [...nodes].filter((n) => m.parts.has(n));
    if (drawn.length && drawn.length < m.parts.size)
      groups = mark(m, { kind: 'nodes', node: null, indices: Int32Array.from(drawn) }, TOKENS.band).groups;
    stage.value?.invalidate();
  }

  watch([finding, spot, model], show);
  watch(() => state.alone, setApart);
  watch([() => state.walking, marked], () => {
    for (const g of groups) g.visible = !state.walking;
    stage.value?.invalidate();
  });
  return { marked, frame, step, point, markTorn, clear, place: () => (state.walking ? null : at) };
}
