// Ties the stage to the Bench: which display copy is drawn, what is marked, isolated and set beside it.
import { Box3, Vector3, type Group } from 'three';
import { onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch, type Ref } from 'vue';
import { api, type Finding } from '../api/client';
import { readDisplayCopy, type DisplayModel } from '../stage/displayCopy';
import type { LookName } from '../stage/looks';
import { LARGEST, SMALLEST, type LoupeShape } from '../stage/loupe';
import { ensureOverlay } from '../stage/overlays';
import { mark, unmark } from '../stage/marks';
import { beside, cubes, person } from '../stage/props';
import { Stage } from '../stage/stage';
import { attachTestHook, testClock, testing } from '../stage/testHook';
import { TOKENS } from '../stage/tokens';
import type { OtherModel } from './useTrial';
import { Viewer, type Side } from '../stage/viewer';

/** A round length of about a sixth of the view, and how long it is on screen. */
function niceStep(metres: number) {
  const power = 10 ** Math.floor(Math.log10(metres));
  return power * ([1, 2, 5, 10].find((k) => k * power >= metres) ?? 10);
}

export function useStage(canvas: Ref<HTMLCanvasElement | undefined>, holder: Ref<HTMLElement | undefined>, inspection: () => number | null, finding: () => Finding | null, part: () => number | null, other: () => OtherModel | null) {
  const stage = shallowRef<Stage | null>(null);
  const viewer = shallowRef<Viewer | null>(null);
  const model = shallowRef<DisplayModel | null>(null);
  const state = reactive({ loading: true, error: '', side: 'free' as Side, look: null as LookName | null, person: true, cubes: false, floorStep: 1, bar: 0, barMetres: 1, shape: 'circle' as LoupeShape, zoom: 1, swapped: false, x: 360, y: 320, r: 130, pinned: false, leader: null as { x: number; y: number } | null, place: 0, places: 0, beside: '', labels: [] as { name: string; x: number; y: number }[] });
  const lost = ref('');
  let marked: Group[] = [];
  let at: Vector3 | null = null;
  let spots: Box3[] = [];
  let named: { name: string; at: Vector3 }[] = [];
  let observer: ResizeObserver | null = null;
  let known = false;
  const still = () => testing() || matchMedia('(prefers-reduced-motion: reduce)').matches;

  onMounted(() => {
    const box = holder.value!;
    try {
      stage.value = new Stage(canvas.value!, { size: [box.clientWidth, box.clientHeight], ...(testing() ? { now: testClock, dpr: 1 } : {}) });
    } catch {
      state.error = 'This browser cannot draw in 3D (WebGL 2 is off), so the stage stays empty; the ledger holds every finding in words.';
      state.loading = false;
      return;
    }
    const s = stage.value;
    viewer.value = new Viewer(s, box, still);
    viewer.value.onSide = (side) => (state.side = side);
    s.onDraw.add(overlays);
    observer = new ResizeObserver(() => s.resize(box.clientWidth, box.clientHeight));
    observer.observe(box);
    if (testing()) attachTestHook(s, { viewer: viewer.value });
    watch(inspection, load, { immediate: true });
    watch([finding, model], show);
    watch([part, model], isolate);
    watch(() => [state.person, state.cubes], props);
    watch([other, model], layOther);
  });
  onBeforeUnmount(() => {
    observer?.disconnect();
    viewer.value?.dispose();
    stage.value?.dispose();
  });

  async function load(id: number | null) {
    if (id === null || !stage.value) return;
    state.loading = true;
    state.error = '';
    try {
      const made = await readDisplayCopy(await api.stage(id));
      if (inspection() !== id) return;
      const before = model.value ? stage.value.size : 0;
      unmark(marked);
      marked = [];
      const ground = -made.origin.y;
      const box = new Box3().setFromObject(made.root);
      const size = box.isEmpty() ? 1 : Math.max(box.getSize(new Vector3()).length(), 1e-6);
      // The ground plane is drawn only where it is near the model; far off, the model stands on a floor of its own.
      state.floorStep = niceStep(size / 8);
      stage.value.setModel(made.root, state.floorStep, Math.abs(ground - box.min.y) < size * 2 ? ground : box.min.y);
      model.value = made;
      props();
      if (state.look) setLoupe({ look: state.look });
      if (!known || Math.abs(Math.log(stage.value.size / before)) > 0.05) viewer.value!.fit(view());
      known = true;
    } catch (e) {
      state.error = (e as Error).message;
    } finally {
      state.loading = false;
    }
  }

  /** Lays another model into the loupe at its true place beside this one, with a split line; or takes it out again. */
  async function layOther() {
    const s = stage.value;
    const m = model.value;
    const o = other();
    if (!s || !m) return;
    if (!o) {
      if (state.beside) {
        s.setOther(null);
        Object.assign(state, { beside: '', shape: 'circle' });
        setLoupe({ look: null, swapped: false });
      }
      return;
    }
    try {
      const made = await readDisplayCopy(await api.stage(o.inspection));
      if (other()?.inspection !== o.inspection || model.value !== m) return;
      made.root.position.copy(made.origin).sub(m.origin);
      s.setOther(made.root);
      state.beside = o.words;
      // Both in view, since the one may be a hundred times the other.
      viewer.value!.fit(s.box.clone().union(new Box3().setFromObject(made.root)));
      setLoupe({ look: 'built', shape: 'split', x: Math.round(s.w / 2), y: Math.round(s.h / 2), swapped: false, pinned: false });
    } catch (e) {
      lost.value = (e as Error).message;
    }
  }

  async function show() {
    const s = stage.value;
    const m = model.value;
    const f = finding();
    if (!s || !m) return;
    unmark(marked);
    marked = [];
    at = null;
    spots = [];
    Object.assign(state, { leader: null, place: 0, places: 0 });
    dim(false);
    lost.value = '';
    s.invalidate();
    if (!f) return;
    const id = inspection();
    let indices = new Int32Array(0);
    try {
      if (f.elements && id !== null) indices = await api.elements(id, f.id);
    } catch (e) {
      lost.value = (e as Error).message;
    }
    if (finding()?.id !== f.id || model.value !== m) return;
    const kind = f.elements?.kind ?? 'nodes';
    const evidence = { kind, node: f.node ?? null, indices: f.elements ? indices : Int32Array.from(f.node === null || f.node === undefined ? [] : [f.node]) };
    const made = mark(m, evidence, TOKENS[f.result as 'stop' | 'caution' | 'note']);
    marked = made.groups;
    if (made.box.isEmpty()) {
      lost.value ||= 'This is not a thing that is drawn, so there is nothing to mark.';
      return;
    }
    at = made.box.getCenter(new Vector3());
    spots = made.places;
    state.places = spots.length;
    dim(true);
    await viewer.value!.flyTo(made.box);
  }

  /** Goes to the next place of what is marked; before the first, all of it is in view. */
  async function step(by: number) {
    if (!spots.length) return;
    state.place = ((state.place - 1 + by + spots.length) % spots.length) + 1;
    const box = spots[state.place - 1]!;
    at = box.getCenter(new Vector3());
    await viewer.value!.flyTo(box);
  }

  /** Pales whatever carries no mark, so that the marked elements stand out. */
  function dim(on: boolean) {
    const marks = new Set(marked.map((g) => g.parent));
    for (const mesh of model.value?.parts.values() ?? []) {
      const pale = on && marked.length > 0 && !marks.has(mesh) && marks.size < model.value!.parts.size;
      mesh.userData.pale = pale;
    }
    stage.value?.invalidate();
  }

  function isolate() {
    const m = model.value;
    if (!m || !stage.value) return;
    const only = part();
    for (const [node, mesh] of m.parts) mesh.visible = only === null || node === only;
    const mesh = only === null ? null : m.parts.get(only);
    stage.value.modelChanged();
    if (mesh) void viewer.value!.flyTo(new Box3().setFromObject(mesh));
  }

  function props() {
    const s = stage.value;
    if (!s || !model.value) return;
    s.extras.clear();
    const height = s.box.max.y - Math.min(0, s.box.min.y);
    const gap = Math.max(0.12, s.size * 0.06);
    let reach = 0;
    let left = 0;
    // Beside a speck or a mountain they would hide or vanish, so they stand only beside what they can be compared with.
    const fair = s.size > 0.02 && s.size < 60;
    if (state.person && fair) {
      const p = person();
      p.position.copy(beside(s.box, 0.55, gap)).setY(s.box.min.y);
      s.extras.add(p);
      left = 0.55 + gap;
      reach = 3;
    }
    if (state.cubes && fair) {
      const c = cubes(height);
      c.position.copy(beside(s.box, 1, gap + left)).setY(s.box.min.y);
      s.extras.add(c);
      reach = Math.max(3, height + 2);
    }
    s.extraReach = reach;
    s.invalidate();
  }

  /** What is laid over the picture, after each drawing: scale bar and leader. */
  function overlays() {
    const s = stage.value!;
    const d = s.camera.position.distanceTo(viewer.value!.controls.target);
    const pixel = (2 * d * Math.tan((s.camera.fov * Math.PI) / 360)) / s.h;
    state.barMetres = niceStep(pixel * 90);
    state.bar = state.barMetres / pixel;
    if (at) {
      const p = at.clone().project(s.camera);
      const [x, y] = s.loupe.through((p.x * 0.5 + 0.5) * s.w, (-p.y * 0.5 + 0.5) * s.h);
      state.leader = p.z < 1 ? { x, y } : null;
    }
    state.labels = state.look === 'names' ? named.map((n) => ({ name: n.name, p: n.at.clone().project(s.camera) })).filter((n) => n.p.z < 1).map(({ name, p }) => ({ name, x: (p.x * 0.5 + 0.5) * s.w, y: (-p.y * 0.5 + 0.5) * s.h })) : [];
  }

  /** The loupe as the page has it, handed to the stage. */
  function setLoupe(change: Partial<Pick<typeof state, 'look' | 'shape' | 'zoom' | 'swapped' | 'x' | 'y' | 'r' | 'pinned'>>) {
    Object.assign(state, change);
    state.r = Math.min(LARGEST, Math.max(SMALLEST, state.r));
    state.zoom = Math.min(3, Math.max(1, state.zoom));
    const s = stage.value;
    if (!s) return;
    if (change.look && model.value) {
      ensureOverlay(model.value, change.look, s.size);
      if (change.look === 'names') nameParts();
    }
    const { x, y, r, zoom, pinned, swapped } = state;
    s.loupe.set({ shape: state.look ? state.shape : 'none', x, y, r, zoom, pinned, swapped, ...(state.look ? { look: state.look } : {}) });
  }
  const choose = (look: LookName | null) => setLoupe({ look });
  function moveLoupe(x: number, y: number) {
    if (state.look && !state.pinned && state.shape !== 'all') setLoupe({ x, y });
  }
  const nudgeLoupe = (change: { x?: number; y?: number; r?: number; zoom?: number }) =>
    setLoupe({ x: state.x + (change.x ?? 0), y: state.y + (change.y ?? 0), r: state.r + (change.r ?? 0), zoom: state.zoom + (change.zoom ?? 0) });

  /** The largest parts with their middles, for the names lens. */
  function nameParts() {
    const m = model.value!;
    const boxes = [...m.parts].map(([node, mesh]) => ({ name: m.names.get(node) ?? '', box: new Box3().setFromObject(mesh) }));
    const size = (b: Box3) => b.getSize(new Vector3()).length();
    named = boxes.sort((a, b) => size(b.box) - size(a.box)).slice(0, 40).map(({ name, box }) => ({ name, at: box.getCenter(new Vector3()) }));
  }
  /** The model, and what stands beside it where it is not a speck against that. */
  function view() {
    const s = stage.value!;
    const box = s.box.clone();
    const all = new Box3().setFromObject(s.extras);
    const tall = (b: Box3) => b.max.y - b.min.y;
    return !all.isEmpty() && tall(box) > 0.25 * tall(all) ? box.union(all) : box;
  }
  const fit = () => stage.value && viewer.value?.fit(view());
  const walk = (side: Exclude<Side, 'free'>) => stage.value && viewer.value?.walk(side, view());
  return { state, stage, viewer, lost, choose, setLoupe, moveLoupe, nudgeLoupe, step, fit, walk };
}
