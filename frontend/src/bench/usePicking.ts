// Pointing at faces on the stage: by click, by a drawn line or box, and by a cross that the arrows move.
import { Vector3, type BufferAttribute, type Group } from 'three';
import { onBeforeUnmount, reactive, ref, watch, type Ref } from 'vue';
import type { Origins } from '../stage/displayCopy';
import type { Mask } from '../stage/faces';
import { facesWithin, hitAt, type Hit } from '../stage/picking';
import { drawPick, facesOf, hideFaces } from '../stage/picks';
import { unmark } from '../stage/marks';
import { seenFrom } from '../stage/visible';
import { changed, type Adding, type Picks, type PickState } from './pieces/picks';
import type { StageContext } from './stageState';

/** Pixels that a pointer may wander while it still clicks, and within which a corner is meant rather than its side. */
const STILL = 4;
const CORNER = 12;

export function usePicking(
  { stage, model }: StageContext,
  holder: Ref<HTMLElement | undefined>,
  picks: PickState,
  complain: (words: string) => void,
) {
  const line = ref<[number, number][]>([]);
  const cross = reactive({ shown: false, x: 0, y: 0 });
  let from: [number, number] | null = null;
  let drawing = false;
  let groups: Group[] = [];

  const at = (e: PointerEvent): [number, number] => {
    const r = holder.value!.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  };
  const adding = (e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): Adding =>
    e.shiftKey ? 'add' : e.ctrlKey || e.metaKey ? 'away' : picks.adding.value;
  const outlined = () => !picks.asking.value && (picks.how.value === 'drawn' || picks.how.value === 'box');

  function down(e: PointerEvent): boolean {
    if (!picks.picking.value || e.button !== 0) return false;
    cross.shown = false;
    from = at(e);
    drawing = outlined();
    if (!drawing) return false;
    line.value = [from];
    holder.value!.setPointerCapture(e.pointerId);
    e.stopImmediatePropagation();
    return true;
  }
  function move(e: PointerEvent): boolean {
    if (!drawing || !from) return false;
    extend(at(e));
    e.stopImmediatePropagation();
    return true;
  }
  function extend([x, y]: [number, number]) {
    const [x0, y0] = from!;
    if (picks.how.value === 'box') line.value = [from!, [x, y0], [x, y], [x0, y]];
    else if (Math.hypot(x - line.value.at(-1)![0], y - line.value.at(-1)![1]) > 3) line.value = [...line.value, [x, y]];
  }
  function up(e: PointerEvent) {
    if (!picks.picking.value || !from) return;
    const [x, y] = at(e);
    const still = Math.hypot(x - from[0], y - from[1]) < STILL;
    if (drawing && !still) {
      extend([x, y]);
      enclose(adding(e));
    } else if (still) click(x, y, adding(e));
    drawing = false;
    from = null;
    line.value = [];
  }

  /** Takes what lies within the drawn line. */
  function enclose(how: Adding) {
    const [s, m] = [stage.value, model.value];
    if (!s || !m || line.value.length < 3) return;
    if (m.reducedFrom)
      return complain('This model is drawn with fewer triangles than it has, so faces of those parts cannot be pointed at.');
    const seen = picks.through.value ? null : seenFrom(s, m);
    const shown = line.value.map(([x, y]) => s.loupe.beneath(x, y));
    took(facesWithin(s, m, shown, seen), how, ...line.value.at(-1)!);
  }

  function click(x: number, y: number, how: Adding) {
    const [s, m] = [stage.value, model.value];
    if (!s || !m) return;
    const hit = hitAt(s, m, ...s.loupe.beneath(x, y));
    if (hit && hit.mesh.geometry.userData.reduced)
      return complain('This part is drawn with fewer triangles than it has, so its faces cannot be pointed at.');
    if (picks.asking.value) return void (hit && answer(hit));
    if (!hit || hit.face < 0) return took(new Map(), how, x, y);
    took(new Map([[hit.node, maskOf(hit)]]), how, x, y);
  }

  function maskOf(hit: Hit): Mask {
    const faces = facesOf(hit.mesh);
    switch (picks.how.value) {
      case 'flat':
        return faces.flat(hit.face, picks.degrees.value);
      case 'slot':
        return faces.slot(hit.face);
      case 'piece':
        return faces.piece(hit.face);
      case 'island':
        return faces.island(hit.face);
      case 'strip': {
        const side = sideNear(hit);
        if (side) return faces.strip(hit.face, side.places);
        break;
      }
    }
    const mask = faces.empty();
    mask[hit.face] = 1;
    return mask;
  }

  function took(by: Picks, how: Adding, x: number, y: number) {
    picks.pick(changed(picks.faces.value, by, how));
    picks.at.value = { x, y };
  }

  /** Where a drawn vertex of a part appears, in pixels. */
  function shownAt(hit: Hit, vertex: number): [number, number] {
    const position = hit.mesh.geometry.attributes.position as BufferAttribute;
    return onStage(new Vector3().fromBufferAttribute(position, vertex).applyMatrix4(hit.mesh.matrixWorld));
  }
  function onStage(place: Vector3): [number, number] {
    const s = stage.value!;
    const p = place.clone().project(s.camera);
    return [(p.x * 0.5 + 0.5) * s.w, (0.5 - p.y * 0.5) * s.h];
  }
  /** Drawn vertices of the polygon that was hit, by their place. */
  function cornersOf(hit: Hit): Map<number, number> {
    const faces = facesOf(hit.mesh);
    return new Map(
      [...faces.of(hit.face)].flatMap((t) => [0, 1, 2].map((k) => faces.t.index[3 * t + k]!)).map((v) => [faces.places[v]!, v]),
    );
  }
  /** The side of the polygon that was hit which is nearest to where it was, and how far along. */
  function sideNear(hit: Hit) {
    const corners = cornersOf(hit);
    const loop = facesOf(hit.mesh).outline(hit.face);
    const [x, y] = onStage(hit.point);
    let best: { places: [number, number]; ends: [number, number]; share: number; far: number } | null = null;
    loop.forEach((a, k) => {
      const b = loop[(k + 1) % loop.length]!;
      const ends: [number, number] = [corners.get(a)!, corners.get(b)!];
      const [[ax, ay], [bx, by]] = [shownAt(hit, ends[0]), shownAt(hit, ends[1])];
      const along = Math.max(
        0,
        Math.min(1, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / Math.max((bx - ax) ** 2 + (by - ay) ** 2, 1e-9)),
      );
      const far = Math.hypot(ax + along * (bx - ax) - x, ay + along * (by - ay) - y);
      if (!best || far < best.far) best = { places: [a, b], ends, share: along, far };
    });
    return best as { places: [number, number]; ends: [number, number]; share: number; far: number } | null;
  }

  /** Answers what is asked for on the stage: a material, a vertex, or a place on the rim of the picked face. */
  function answer(hit: Hit) {
    const asked = picks.asking.value!;
    const stored = (v: number) => (hit.mesh.geometry.userData.origins as Origins).vertex[v]!;
    if (asked.what === 'material') {
      const slot = facesOf(hit.mesh).t.slots[hit.triangle] ?? -1;
      const name = model.value!.materials[slot];
      if (name === undefined) return complain('This face has no material.');
      const twice = model.value!.materials.filter((n) => n === name).length > 1;
      picks.asking.value = { what: 'material', found: [twice ? `${name}~${slot}` : name] };
      return;
    }
    const own = picks.faces.value.get(hit.node);
    if (!own || (asked.what === 'places' && !own[hit.face])) return complain('Point at the face that is picked.');
    const [x, y] = onStage(hit.point);
    const far = (v: number) => Math.hypot(shownAt(hit, v)[0] - x, shownAt(hit, v)[1] - y);
    const near = [...cornersOf(hit).values()].map((v) => ({ v, far: far(v) })).sort((a, b) => a.far - b.far)[0]!;
    let words = `${stored(near.v)}`;
    if (asked.what === 'places' && near.far > CORNER) {
      const side = sideNear(hit);
      if (!side) return;
      // Near a half, a third or a quarter that is meant.
      const round = [0.25, 1 / 3, 0.5, 2 / 3, 0.75].find((r) => Math.abs(r - side.share) < 0.03) ?? side.share;
      words = `${stored(side.ends[0])}-${stored(side.ends[1])}:${round.toFixed(4)}`;
    }
    picks.asking.value = { what: asked.what, found: [...asked.found, words].slice(-2) };
  }

  /** Arrows move a cross, Enter picks at it; with a drawn line or a box the first Enter begins it and the second ends it. */
  function key(e: KeyboardEvent): boolean {
    if (!picks.picking.value || !stage.value) return false;
    const arrows: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    const way = arrows[e.key];
    if (way && !e.altKey) {
      if (!cross.shown) Object.assign(cross, { shown: true, x: stage.value.w / 2, y: stage.value.h / 2 });
      const step = e.shiftKey ? 40 : e.ctrlKey ? 1 : 8;
      cross.x = Math.max(0, Math.min(stage.value.w, cross.x + way[0] * step));
      cross.y = Math.max(0, Math.min(stage.value.h, cross.y + way[1] * step));
      if (drawing) extend([cross.x, cross.y]);
      return true;
    }
    if (e.key !== 'Enter') return false;
    if (!cross.shown) Object.assign(cross, { shown: true, x: stage.value.w / 2, y: stage.value.h / 2 });
    if (!outlined()) click(cross.x, cross.y, adding(e));
    else if (!drawing) {
      drawing = true;
      from = [cross.x, cross.y];
      line.value = [from];
    } else {
      enclose(adding(e));
      drawing = false;
      from = null;
      line.value = [];
    }
    return true;
  }

  function draw() {
    unmark(groups);
    groups = [];
    const m = model.value;
    if (!m) return;
    for (const [node, mask] of picks.picking.value ? picks.faces.value : []) {
      const mesh = m.parts.get(node);
      if (mesh && mask.length === facesOf(mesh).count) groups.push(drawPick(mesh, mask));
    }
    stage.value?.modelChanged();
  }
  watch([picks.faces, picks.picking, model], draw);
  // What a large part needs takes a blink: taken before the first click, one part at a time.
  let preparing = 0;
  watch([picks.picking, model], () => {
    clearTimeout(preparing);
    const left = picks.picking.value ? [...(model.value?.parts.values() ?? [])].filter((m) => !m.geometry.userData.reduced) : [];
    const next = () => {
      const mesh = left.pop();
      if (!mesh) return;
      facesOf(mesh).prepare();
      preparing = window.setTimeout(next, 0);
    };
    preparing = window.setTimeout(next, 0);
  });
  watch([picks.hidden, model], (_, [before]) => {
    if (!picks.hidden.value.size && !before?.size) return;
    // Parts that show one mesh share what is drawn of it.
    const masks = new Map<unknown, Mask>();
    for (const [node, mask] of picks.hidden.value) masks.set(model.value?.parts.get(node)?.geometry, mask);
    for (const mesh of model.value?.parts.values() ?? [])
      if (!mesh.geometry.userData.reduced) hideFaces(mesh, masks.get(mesh.geometry) ?? null);
    stage.value?.modelChanged();
  });
  onBeforeUnmount(() => (clearTimeout(preparing), unmark(groups)));
  return { down, move, up, key, line, cross };
}
