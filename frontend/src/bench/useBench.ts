// The Bench in pieces, each of one matter: the page lays them out, and a component takes those that it is about.
import { inject, provide, type ComputedRef, type InjectionKey } from 'vue';
import { useChanges } from './pieces/changes';
import { useChoices } from './pieces/choices';
import { useTape } from './pieces/tape';
import { useMarks } from './pieces/marks';
import { usePicks } from './pieces/picks';
import { useSelection } from './pieces/selection';
import { useReading } from './pieces/reading';
import { useWay } from './pieces/way';
import { useWays } from './pieces/ways';

export type { Kind } from './pieces/reading';

function pieces(revision: ComputedRef<number>) {
  const reading = useReading(revision);
  const selection = useSelection(reading);
  const choices = useChoices(reading);
  const changes = useChanges(revision, reading);
  const marks = useMarks(revision, selection);
  const tape = useTape(revision, reading, choices, changes);
  return {
    reading,
    selection,
    choices,
    changes,
    tape,
    way: useWay(reading, changes, tape),
    marks,
    picks: usePicks(revision, marks),
    ways: useWays(revision, reading),
  };
}
type Pieces = ReturnType<typeof pieces>;
type All<T> = (T extends unknown ? (x: T) => void : never) extends (x: infer I) => void ? I : never;
const BENCH: InjectionKey<Pieces> = Symbol('bench');

/** Lays the pieces out for everything below the page. */
export function layBench(revision: ComputedRef<number>): Pieces {
  const made = pieces(revision);
  provide(BENCH, made);
  return made;
}

/** The pieces of those names, as one. */
export function useBench<K extends keyof Pieces>(...names: K[]): All<Pieces[K]> {
  const made = inject(BENCH);
  if (!made) throw new Error('No bench is laid out above this component.');
  return Object.assign({}, ...names.map((name) => made[name])) as All<Pieces[K]>;
}
