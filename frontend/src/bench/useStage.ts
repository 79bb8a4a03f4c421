// Ties the stage to the Bench: which display copy is drawn, what is isolated, what stands beside it.
import { Box3, Vector3 } from 'three';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import { api, type Finding, type Picture } from '../api/client';
import { readDisplayCopy } from '../stage/displayCopy';
import { beside, cubes, MEASURES, suited } from '../stage/beside';
import type { Receiver } from '../stage/receiver';
import { release } from '../stage/release';
import { Stage } from '../stage/stage';
import { attachTestHook, testClock, testing } from '../stage/testHook';
import { Viewer, type Side } from '../stage/viewer';
import { stageContext } from './stageState';
import { useEvidence, type Spot } from './useEvidence';
import { useLoupe } from './useLoupe';
import { useMotion } from './useMotion';
import type { OtherModel } from './useTrial';

/** A round length of about a sixth of the view, and how long it is on screen. */
function niceStep(metres: number) {
  const power = 10 ** Math.floor(Math.log10(metres));
  return power * ([1, 2, 5, 10].find((k) => k * power >= metres) ?? 10);
}

export interface Wanted {
  inspection: () => number | null;
  /** What is drawn: of which inspection, and which picture of it. */
  picture: () => Picture | null;
  finding: () => Finding | null;
  spot: () => Spot | null;
  part: () => number | null;
  other: () => OtherModel | null;
  receiver: () => Receiver;
  /** Parts that are picked in the tree with all below them, those that are out of sight, and how the rest stands meanwhile. */
  picked: () => ReadonlySet<number>;
  unseen: () => ReadonlySet<number>;
  rest: () => 'shown' | 'dimmed' | 'gone';
}

export function useStage(canvas: Ref<HTMLCanvasElement | undefined>, holder: Ref<HTMLElement | undefined>, wanted: Wanted) {
  const context = stageContext();
  const { stage, viewer, model, state, lost } = context;
  const loupe = useLoupe(context);
  const motion = useMotion(context);
  const evidence = useEvidence(context, wanted.inspection, wanted.finding, wanted.spot);
  let observer: ResizeObserver | null = null;
  let known = false;
  let flown: number | null = null;
  const still = () => testing() || matchMedia('(prefers-reduced-motion: reduce)').matches;

  onMounted(() => {
    const box = holder.value!;
    try {
      const dpr = Number(new URLSearchParams(location.search).get('dpr')) || 1;
      stage.value = new Stage(canvas.value!, { size: [box.clientWidth, box.clientHeight], ...(testing() ? { now: testClock, dpr } : {}) });
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
    if (testing())
      attachTestHook(s, {
        viewer: viewer.value,
        busy: () => state.flying || state.making,
        parts: () => [...(model.value?.parts ?? [])].map(([node, m]) => ({ name: model.value!.names.get(node), visible: m.visible })),
      });
    watch(wanted.receiver, (r) => s.setReceiver(r), { immediate: true });
    watch(() => wanted.picture()?.content ?? null, load, { immediate: true });
    watch([wanted.part, model, wanted.unseen, wanted.rest], isolate);
    watch([wanted.picked, model], () => (isolate(), evidence.frame(wanted.picked())));
    watch(() => [state.measure, state.cubes, state.walking], props);
    watch([wanted.other, model], layOther);
  });
  onBeforeUnmount(() => {
    observer?.disconnect();
    viewer.value?.dispose();
    stage.value?.dispose();
  });

  async function load(content: number | null) {
    const picture = wanted.picture();
    if (content === null || !picture || !stage.value) return;
    state.loading = true;
    state.error = '';
    try {
      const made = await readDisplayCopy(await api.stage(picture.inspection, content));
      if (wanted.picture()?.content !== content) return;
      const before = model.value ? stage.value.size : 0;
      evidence.clear();
      const ground = -made.origin.y;
      const box = new Box3().setFromObject(made.root);
      const size = box.isEmpty() ? 1 : Math.max(box.getSize(new Vector3()).length(), 1e-6);
      // The ground plane is drawn only where it is near the model; far off, the model stands on a floor of its own.
      state.floorStep = niceStep(size / 8);
      stage.value.setModel(made.root, state.floorStep, Math.abs(ground - box.min.y) < size * 2 ? ground : box.min.y);
      model.value = made;
      props();
      if (state.look) loupe.setLoupe({ look: state.look });
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
    const o = wanted.other();
    if (!s || !m) return;
    if (!o) {
      if (state.beside) {
        s.setOther(null);
        context.other.value = null;
        Object.assign(state, { beside: '', shape: 'circle' });
        loupe.setLoupe({ look: null, swapped: false });
        // Of what was a hundred times as large nothing would be seen from where both were.
        viewer.value!.fit(view());
      }
      return;
    }
    try {
      const made = await readDisplayCopy(await o.load());
      if (wanted.other()?.key !== o.key || model.value !== m) return;
      made.root.position.copy(made.origin).sub(m.origin);
      s.setOther(made.root);
      context.other.value = made;
      Object.assign(state, { beside: o.words, alone: false });
      // Both in view, since the one may be a hundred times the other.
      viewer.value!.fit(s.box.clone().union(new Box3().setFromObject(made.root)));
      loupe.setLoupe({ look: 'built', shape: 'split', x: Math.round(s.w / 2), y: Math.round(s.h / 2), swapped: false, pinned: false });
    } catch (e) {
      lost.value = (e as Error).message;
    }
  }

  function isolate() {
    const m = model.value;
    if (!m || !stage.value) return;
    // A joint is chosen to be pulled: all stays in view.
    const asked = wanted.part();
    const only = asked !== null && m.rig?.joints.some((j) => j.node === asked) && !m.parts.has(asked) ? null : asked;
    for (const [node, mesh] of m.parts) {
      const picked = wanted.picked();
      const others = picked.size > 0 && !picked.has(node);
      // A coarser level stands where the thing itself does: it is seen by itself alone.
      const level = (mesh.userData.role as string).startsWith('level') && only !== node && !picked.has(node);
      mesh.userData.elsewhere =
        (only !== null && node !== only) || level || wanted.unseen().has(node) || (others && wanted.rest() === 'gone');
      mesh.userData.dim = others && wanted.rest() === 'dimmed';
      mesh.userData.pale = mesh.userData.dim || mesh.userData.apart;
      mesh.visible = !mesh.userData.elsewhere && !mesh.userData.away;
    }
    const mesh = only === null ? null : m.parts.get(only);
    stage.value.modelChanged();
    if (mesh && only !== flown) void viewer.value!.flyTo(new Box3().setFromObject(mesh));
    flown = only;
  }

  function props() {
    const s = stage.value;
    if (!s || !model.value) return;
    release(s.extras);
    s.extras.clear();
    const height = s.box.max.y - Math.min(0, s.box.min.y);
    const gap = s.size * 0.12;
    let reach = 0;
    let left = 0;
    const sides = s.box.getSize(new Vector3());
    state.suited = suited(Math.max(sides.x, sides.y, sides.z));
    const asked = state.measure === 'suited' ? state.suited : state.measure;
    const measure = state.walking ? undefined : MEASURES.find((m) => m.key === asked);
    if (measure) {
      const made = measure.make(sides.y);
      made.position.copy(beside(s.box, measure.wide, gap)).setY(s.box.min.y);
      made.position.x += measure.shift;
      s.extras.add(made);
      left = measure.wide + gap;
      reach = new Box3().setFromObject(made).getSize(new Vector3()).length() + gap;
    }
    // Metre cubes beside a speck or a mountain would hide or vanish.
    const fair = s.size > 0.02 && s.size < 60 && !state.walking;
    if (state.cubes && fair) {
      const c = cubes(height);
      c.position.copy(beside(s.box, 1, gap + left)).setY(s.box.min.y);
      s.extras.add(c);
      reach = Math.max(reach, 3, height + 2);
    }
    s.extraReach = reach;
    s.invalidate();
  }

  /** What is laid over the picture, after each drawing: scale bar, leader and names. */
  function overlays() {
    const s = stage.value!;
    const d = s.camera.position.distanceTo(viewer.value!.controls.target);
    const pixel = (2 * d * Math.tan((s.camera.fov * Math.PI) / 360)) / s.h;
    state.barMetres = niceStep(pixel * 90);
    state.bar = state.barMetres / pixel;
    const at = evidence.place();
    const p = at?.clone().project(s.camera);
    const [x = 0, y = 0] = p ? s.loupe.through((p.x * 0.5 + 0.5) * s.w, (-p.y * 0.5 + 0.5) * s.h) : [];
    state.leader = p && p.z < 1 ? { x, y } : null;
    loupe.placeNames();
    motion.placeJoints();
  }

  /** The model, and what stands beside it where it is not a speck against that. */
  function view() {
    const s = stage.value!;
    const box = s.box.clone();
    const all = new Box3().setFromObject(s.extras);
    const tall = (b: Box3) => b.max.y - b.min.y;
    return !all.isEmpty() && tall(box) > 0.45 * tall(all) ? box.union(all) : box;
  }
  /** Flies to one triangle of a part: what was pointed at on the UV sheet. */
  function point(node: number, triangle: number) {
    const mesh = model.value?.parts.get(node);
    if (!mesh) return;
    const index = mesh.geometry.index!.array;
    const corners = [0, 1, 2].map((k) =>
      new Vector3().fromBufferAttribute(mesh.geometry.attributes.position!, index[3 * triangle + k]!).applyMatrix4(mesh.matrixWorld),
    );
    evidence.point(mesh, triangle, new Box3().setFromPoints(corners));
  }
  const fit = () => stage.value && viewer.value?.fit(view());
  const walk = (side: Exclude<Side, 'free'>) => stage.value && viewer.value?.walk(side, view());
  return { ...context, ...loupe, motion, markTorn: evidence.markTorn, marked: evidence.marked, step: evidence.step, point, fit, walk };
}
