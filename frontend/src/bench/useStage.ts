// Ties the stage to the Bench: which display copy is drawn, what is marked, isolated and set beside it.
import { Box3, Vector3, type Group } from 'three';
import { onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch, type Ref } from 'vue';
import { api, type Finding } from '../api/client';
import { readDisplayCopy, type DisplayModel } from '../stage/displayCopy';
import type { LookName } from '../stage/looks';
import { mark, unmark } from '../stage/marks';
import { beside, cubes, person } from '../stage/props';
import { Stage } from '../stage/stage';
import { attachTestHook, testClock, testing } from '../stage/testHook';
import { TOKENS } from '../stage/tokens';
import { Viewer, type Side } from '../stage/viewer';

/** A round length of about a sixth of the view, and how long it is on screen. */
function niceStep(metres: number) {
  const power = 10 ** Math.floor(Math.log10(metres));
  return power * ([1, 2, 5, 10].find((k) => k * power >= metres) ?? 10);
}

export function useStage(canvas: Ref<HTMLCanvasElement | undefined>, holder: Ref<HTMLElement | undefined>, inspection: () => number | null, finding: () => Finding | null, part: () => number | null) {
  const stage = shallowRef<Stage | null>(null);
  const viewer = shallowRef<Viewer | null>(null);
  const model = shallowRef<DisplayModel | null>(null);
  const state = reactive({ loading: true, error: '', side: 'free' as Side, look: null as LookName | null, person: true, cubes: false, floorStep: 1, bar: 0, barMetres: 1, x: 360, y: 320, r: 130, pinned: false, leader: null as { x: number; y: number } | null });
  const lost = ref('');
  let marked: Group[] = [];
  let at: Vector3 | null = null;
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
      if (!known || Math.abs(Math.log(stage.value.size / before)) > 0.05) viewer.value!.fit(view());
      known = true;
    } catch (e) {
      state.error = (e as Error).message;
    } finally {
      state.loading = false;
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
    state.leader = null;
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
    s.invalidate();
    await viewer.value!.flyTo(made.box);
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
      state.leader = p.z < 1 ? { x: (p.x * 0.5 + 0.5) * s.w, y: (-p.y * 0.5 + 0.5) * s.h } : null;
    }
  }

  function choose(look: LookName | null) {
    const s = stage.value;
    if (!s) return;
    state.look = look;
    if (look) s.setLook(look);
    s.loupe.set({ shape: look ? 'circle' : 'none', x: state.x, y: state.y, r: state.r });
    s.schedule();
  }
  function moveLoupe(x: number, y: number) {
    if (!state.look || state.pinned) return;
    Object.assign(state, { x, y });
    stage.value?.loupe.set({ x, y });
  }
  function nudgeLoupe(change: { x?: number; y?: number; r?: number }) {
    state.x += change.x ?? 0;
    state.y += change.y ?? 0;
    state.r = Math.min(210, Math.max(100, state.r + (change.r ?? 0)));
    stage.value?.loupe.set({ x: state.x, y: state.y, r: state.r });
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
  return { state, stage, viewer, lost, choose, moveLoupe, nudgeLoupe, fit, walk };
}
