// Motion on the stage: a clip played or scrubbed, a joint pulled, and what both make of the model and of the one in the loupe.
import { Euler, Matrix4, Quaternion, Vector3, type Mesh } from 'three';
import { onBeforeUnmount, watch } from 'vue';
import type { DisplayModel, Shapes } from '../stage/displayCopy';
import type { Posing, Pull } from '../stage/rig';
import type { StageContext } from './stageState';

/** Seconds that a step goes where the clip's keys do not say. */
const STEP = 1 / 30;
const DEGREES = 180 / Math.PI;
/** Joints that have handles at once; of more only those round the chosen one. */
const MOST_HANDLES = 300;

export function useMotion({ stage, model, state, other }: StageContext) {
  const pulls = new Map<number, Pull>();
  let last = 0;
  let asked = 0;

  const rig = () => model.value?.rig ?? null;
  const clip = () => rig()?.clips[state.clip] ?? null;
  const seconds = () => clip()?.seconds ?? 0;

  /** Sets everything where clip, time and pulls put it; at rest as the file has it. */
  function pose() {
    const m = model.value;
    const s = stage.value;
    if (!m?.rig || !s) return;
    place(m, state.posed);
    // The model inside the loupe goes along: by the clip of that name, and by joints of the same names.
    if (other.value?.rig) place(other.value, state.posed);
    s.modelChanged();
    placeJoints();
  }

  function place(m: DisplayModel, posed: boolean) {
    const r = m.rig!;
    const same = m === model.value;
    const now = posed ? (same ? clip() : (r.clips.find((c) => c.name === clip()?.name) ?? null)) : null;
    const own = posed ? (same ? pulls : renamed(m)) : new Map<number, Pull>();
    const shapes = r.pose(now, state.time, own);
    for (const [node, mesh] of m.parts) {
      shape(mesh, shapes.get(node));
      const posing = mesh.userData.posing as Posing | null;
      if (posing) {
        posing.uniforms.uPosed.value = Number(posed);
        r.hand(mesh, posing);
        continue;
      }
      const world = r.worlds.get(node);
      if (!world) continue;
      if (posed) mesh.matrix.copy(world).multiply(middle.makeTranslation(mesh.userData.middle as Vector3));
      else mesh.matrix.copy(mesh.userData.still);
      mesh.updateMatrixWorld(true);
    }
  }
  const middle = new Matrix4();

  /** Pulls of the model, by the joints of the same names in another. */
  function renamed(m: DisplayModel) {
    const named = new Map(m.rig!.joints.map((j) => [bare(j.name), j.node]));
    const out = new Map<number, Pull>();
    for (const [node, pull] of pulls) {
      const to = named.get(bare(rig()!.joints.find((j) => j.node === node)?.name ?? ''));
      if (to !== undefined) out.set(to, pull);
    }
    return out;
  }
  const bare = (name: string) => name.slice(name.lastIndexOf(':') + 1);

  /** Shapes a mesh by morph weights; none given takes it back to what the file has. */
  function shape(mesh: Mesh, weights: number[] | undefined) {
    const s = mesh.geometry.userData.shapes as (Shapes & { shaped?: boolean }) | undefined;
    if (!s || (!weights && !s.shaped)) return;
    const out = s.attribute.array as Float32Array;
    out.set(s.still);
    s.shaped = !!weights;
    weights?.forEach((w, k) => {
      const by = w - (s.weights[k] ?? 0);
      const offsets = s.offsets[k];
      if (by && offsets) for (let i = 0; i < out.length; i++) out[i]! += by * offsets[i]!;
    });
    s.attribute.needsUpdate = true;
  }

  /** Where joints stand in the picture, for their handles. */
  function placeJoints() {
    const s = stage.value;
    const r = rig();
    if (!s || !r || !state.pulling) return void (state.joints.length && (state.joints = []));
    const at = new Map<number, { x: number; y: number; z: number }>();
    const p = new Vector3();
    const shown = r.joints.length <= MOST_HANDLES ? r.joints : r.around(state.joint).slice(0, MOST_HANDLES);
    for (const j of shown) {
      p.setFromMatrixPosition(r.worlds.get(j.node)!).project(s.camera);
      at.set(j.node, { x: (p.x * 0.5 + 0.5) * s.w, y: (-p.y * 0.5 + 0.5) * s.h, z: p.z });
    }
    state.joints = shown
      .filter((j) => at.get(j.node)!.z < 1)
      .map((j) => ({ node: j.node, name: j.name, ...at.get(j.node)!, above: at.get(r.jointAbove(j.node) ?? -1) ?? null }));
  }

  // --- playing ------------------------------------------------------------------------------

  function run() {
    if (!state.playing) return;
    const s = stage.value;
    const now = s?.now() ?? 0;
    const length = seconds();
    let time = state.time + ((now - last) / 1000) * state.speed;
    last = now;
    if (time >= length) {
      if (state.loop && length > 0) time %= length;
      else {
        time = length;
        state.playing = false;
      }
    }
    state.time = time;
    pose();
    asked = requestAnimationFrame(run);
  }
  function play(on = !state.playing) {
    if (!clip() || !(seconds() > 0)) return;
    cancelAnimationFrame(asked);
    state.playing = on;
    if (!on) return;
    state.posed = true;
    if (state.time >= seconds()) state.time = 0;
    last = stage.value?.now() ?? 0;
    asked = requestAnimationFrame(run);
  }
  /** Goes to a moment, and stays there. */
  function seek(time: number) {
    play(false);
    Object.assign(state, { posed: true, time: Math.min(seconds(), Math.max(0, time)) });
    pose();
  }
  /** A step of a frame: as far as the clip's keys usually stand apart. */
  function stepFrame(by: number) {
    const times = clip()?.channels[0]?.times;
    const apart = times && times.length > 1 ? (times[times.length - 1]! - times[0]!) / (times.length - 1) : STEP;
    seek(state.time + by * Math.min(apart, STEP));
  }
  function chooseClip(k: number) {
    play(false);
    Object.assign(state, { clip: k, time: 0, posed: true });
    pose();
  }
  const rest = (on: boolean) => {
    play(false);
    state.posed = !on;
    pose();
  };

  // --- pulling ------------------------------------------------------------------------------

  const pullOf = (node: number) => pulls.get(node) ?? { turn: new Quaternion(), move: new Vector3() };
  function show(node: number) {
    const { turn, move } = pullOf(node);
    const e = new Euler().setFromQuaternion(turn, 'XYZ');
    state.pull = { x: e.x * DEGREES, y: e.y * DEGREES, z: e.z * DEGREES, mx: move.x, my: move.y, mz: move.z };
  }
  function set(node: number, pull: Pull) {
    pulls.set(node, pull);
    state.pulled = pulls.size;
    state.posed = true;
    play(false);
    show(node);
    pose();
  }
  /** Turns the chosen joint by figures, in degrees about its own axes, and moves it in metres. */
  function pullTo(to: Partial<typeof state.pull>) {
    if (state.joint === null) return;
    const p = { ...state.pull, ...to };
    const turn = new Quaternion().setFromEuler(new Euler(p.x / DEGREES, p.y / DEGREES, p.z / DEGREES, 'XYZ'));
    set(state.joint, { turn, move: new Vector3(p.mx, p.my, p.mz) });
  }
  /** Turns the chosen joint about the line of sight, or moves it across it: what a drag does. */
  function drag(turn: number, across: [number, number]) {
    const [s, r] = [stage.value, rig()];
    if (!s || !r || state.joint === null) return;
    const world = r.worlds.get(state.joint)!;
    const at = new Vector3().setFromMatrixPosition(world);
    const pull = pullOf(state.joint);
    if (turn) {
      const [t, q, scale] = [new Vector3(), new Quaternion(), new Vector3()];
      world.decompose(t, q, scale);
      const axis = s.camera.position.clone().sub(at).normalize().applyQuaternion(q.invert());
      pull.turn = pull.turn.clone().multiply(new Quaternion().setFromAxisAngle(axis, turn)).normalize();
    }
    if (across[0] || across[1]) {
      const metres = (2 * s.camera.position.distanceTo(at) * Math.tan((s.camera.fov * Math.PI) / 360)) / s.h;
      const [right, up] = [new Vector3(), new Vector3()];
      s.camera.matrixWorld.extractBasis(right, up, new Vector3());
      pull.move = pull.move
        .clone()
        .addScaledVector(right, across[0] * metres)
        .addScaledVector(up, -across[1] * metres);
    }
    set(state.joint, pull);
  }
  function reset(all = false) {
    if (all) pulls.clear();
    else if (state.joint !== null) pulls.delete(state.joint);
    state.pulled = pulls.size;
    if (state.joint !== null) show(state.joint);
    if (!pulls.size && state.clip < 0) state.posed = false;
    pose();
  }
  /** The turn of the chosen joint as a quaternion, for the core to work out. */
  const turnOf = (node: number) => pullOf(node).turn.toArray();
  /** Goes to the next joint, or the one before. */
  function nextJoint(by: number) {
    const all = rig()?.joints ?? [];
    if (!all.length) return;
    const at = all.findIndex((j) => j.node === state.joint);
    state.joint = all[(at + by + all.length) % all.length]!.node;
  }

  watch(model, (m) => {
    play(false);
    pulls.clear();
    const names = m?.rig?.clips.map((c) => c.name) ?? [];
    const kept = names.indexOf(state.clips[state.clip] ?? '');
    const clips = m?.rig?.clips.length ? names : [];
    Object.assign(state, {
      clips,
      clip: kept >= 0 ? kept : clips.length ? 0 : -1,
      hasJoints: !!m?.rig?.joints.length,
      posed: false,
      pulled: 0,
    });
    state.seconds = seconds();
    if (!clips.length) state.motion = false;
    if (!state.hasJoints) state.pulling = false;
    pose();
  });
  watch(
    () => state.clip,
    () => (state.seconds = seconds()),
  );
  watch([() => state.joint, () => state.pulling], () => {
    if (state.joint !== null) show(state.joint);
    placeJoints();
  });
  watch(other, pose);
  onBeforeUnmount(() => cancelAnimationFrame(asked));
  return { play, seek, stepFrame, chooseClip, rest, pullTo, drag, reset, turnOf, nextJoint, placeJoints };
}
