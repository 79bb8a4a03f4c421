// Another model of the shelf, held to a joint to be looked at: it is drawn with the model and written with nothing.
import { Group, Quaternion, Vector3 } from 'three';
import { onBeforeUnmount, ref, watch } from 'vue';
import { api } from '../api/client';
import { readDisplayCopy } from '../stage/displayCopy';
import { release } from '../stage/release';
import type { StageContext } from './stageState';

export function useVisitor({ stage, model, state }: StageContext) {
  /** Inspection whose display copy is the visitor; none where nothing is held. */
  const visitor = ref<number | null>(null);
  const trouble = ref('');
  let drawn: Group | null = null;

  function leave() {
    if (!drawn) return;
    drawn.removeFromParent();
    release(drawn);
    drawn = null;
    stage.value?.modelChanged();
  }
  async function come(id: number | null) {
    leave();
    trouble.value = '';
    if (id === null) return;
    try {
      const made = await readDisplayCopy(await api.stage(id));
      if (visitor.value !== id || !model.value) return;
      drawn = new Group();
      // By its own origin it is held, not by the middle that it is drawn about.
      made.root.position.copy(made.origin);
      drawn.add(made.root);
      drawn.matrixAutoUpdate = false;
      model.value.root.add(drawn);
      place();
    } catch (e) {
      trouble.value = (e as Error).message;
    }
  }
  /** At the joint and turned as it is, in its own true size. */
  function place() {
    const world = state.joint === null ? undefined : model.value?.rig?.worlds.get(state.joint);
    if (!drawn) return;
    drawn.visible = !!world;
    if (world) {
      const [at, turn] = [new Vector3(), new Quaternion()];
      world.decompose(at, turn, new Vector3());
      drawn.matrix.compose(at, turn, new Vector3(1, 1, 1));
      drawn.updateMatrixWorld(true);
    }
    stage.value?.modelChanged();
  }
  watch(visitor, come);
  watch(model, () => ((drawn = null), void come(visitor.value)));
  watch(() => [state.joint, state.time, state.posed, ...Object.values(state.pull)], place, { flush: 'post' });
  onBeforeUnmount(leave);
  return { visitor, trouble };
}
