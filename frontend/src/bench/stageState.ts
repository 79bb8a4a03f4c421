// What the page shows over the stage, and the pieces that draw it: shared by everything that ties the two together.
import { reactive, ref, shallowRef } from 'vue';
import type { Measure } from '../stage/beside';
import type { DisplayModel } from '../stage/displayCopy';
import type { LookName } from '../stage/looks';
import type { LoupeShape } from '../stage/loupe';
import type { Stage } from '../stage/stage';
import type { Side, Viewer } from '../stage/viewer';

export type StageContext = ReturnType<typeof stageContext>;

export function stageContext() {
  return {
    stage: shallowRef<Stage | null>(null),
    viewer: shallowRef<Viewer | null>(null),
    model: shallowRef<DisplayModel | null>(null),
    /** The model inside the loupe: with a mend, or an earlier revision. */
    other: shallowRef<DisplayModel | null>(null),
    /** A sentence on why evidence or another model cannot be shown. */
    lost: ref(''),
    state: reactive({
      loading: true,
      error: '',
      side: 'free' as Side,
      /** What stands beside the model: by name, what suits its size, or nothing. */
      measure: 'suited' as Measure['key'] | 'suited' | 'none',
      suited: 'staff' as Measure['key'],
      cubes: false,
      floorStep: 1,
      bar: 0,
      barMetres: 1,
      beside: '',
      labels: [] as { name: string; x: number; y: number }[],
      // the loupe
      look: null as LookName | null,
      shape: 'circle' as LoupeShape,
      zoom: 1,
      swapped: false,
      x: 360,
      y: 320,
      r: 130,
      pinned: false,
      joint: null as number | null,
      making: false,
      // evidence
      leader: null as { x: number; y: number } | null,
      place: 0,
      places: 0,
      alone: false,
      flying: false,
      /** Whether one walks round the marked parts as they are received: without their marks, and without what stands beside. */
      walking: false,
      // motion: whether its bar is open, which clip, when, and whether the model is posed at all
      motion: false,
      clips: [] as string[],
      clip: -1,
      time: 0,
      seconds: 0,
      playing: false,
      loop: true,
      speed: 1,
      posed: false,
      // the pull test: whether it is open, where joints stand in the picture, and what the chosen one is pulled by
      hasJoints: false,
      pulling: false,
      pulled: 0,
      pull: { x: 0, y: 0, z: 0, mx: 0, my: 0, mz: 0 },
      joints: [] as { node: number; name: string; x: number; y: number; z: number; above: { x: number; y: number } | null }[],
    }),
  };
}
