// What a board says in words: verdicts, time, and what became of a wish for many.
import type { Batch, BatchModel, BatchVerdict, Laying } from '../api/client';

export type Word = 'Held' | 'Fit' | 'Proved' | 'Reading' | 'Trying' | 'Writing' | 'Waiting' | 'Failed' | 'Stopped';

const UNDER_WAY = { judge: 'Reading', try: 'Trying', export: 'Writing' } as const;

/** The word that stands in the last column of a row. */
export function word(row: BatchModel): Word {
  if (row.state === 'failed') return 'Failed';
  if (row.state === 'running') return UNDER_WAY[row.step];
  if (!row.verdict) return row.state === 'cancelled' ? 'Stopped' : 'Waiting';
  if (row.verdict.stop || row.verdict.unlooked) return 'Held';
  return row.proved ? 'Proved' : 'Fit';
}

export const many = (n: number, one: string, more = `${one}s`) => `${n.toLocaleString('en')} ${n === 1 ? one : more}`;

/** How long something takes yet, roughly. */
export function left(seconds: number | null): string {
  if (seconds === null) return '';
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s left`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min left` : `${(seconds / 3600).toFixed(1)} h left`;
}

/** What is done with the models of a batch now, or was done last. */
export function doing(batch: Batch): string {
  const on = batch.state === 'running';
  if (batch.step === 'export') return on ? 'writing and proving' : 'written';
  if (batch.step === 'try') return on ? `trying ${wished(batch)}` : `tried ${wished(batch)}`;
  return on ? 'judging' : 'judged';
}

/** What was wished to be tried, as a person would name it. */
export function wished(batch: Batch): string {
  const wish = batch.wish as { kind?: string; name?: string };
  if (wish.kind === 'way') return 'the way to Fit';
  return wish.name ? `“${wish.name}”` : wish.kind === 'recipe' ? 'a recipe' : 'a mend';
}

/** Stops and cautions in words; "nothing to mend" where there is neither. */
export function verdictWords(v: BatchVerdict): string {
  const parts = [v.stop && many(v.stop, 'stop'), v.caution && many(v.caution, 'caution')].filter(Boolean);
  if (v.unlooked) parts.push(`${many(v.unlooked, 'station')} not looked at`);
  return parts.join(', ') || 'nothing to mend';
}

/** What became of a wish to change many tapes. */
export function layingWords(done: Laying, verb: string): string {
  const parts = [`${verb} ${many(done.laid, 'tape')}.`];
  if (done.useless) parts.push(`${many(done.useless, 'model')} would be no better, and ${done.useless === 1 ? 'is' : 'are'} as before.`);
  if (done.changed) parts.push(`${many(done.changed, 'tape')} changed meanwhile, and ${done.changed === 1 ? 'was' : 'were'} left alone.`);
  return parts.join(' ');
}

/** How a batch stands against its first judging. */
export function since(batch: Batch): { fewer: number; what: string }[] {
  const pairs: [number, string][] = [
    [batch.first_stops - batch.stops, 'stop'],
    [batch.first_cautions - batch.cautions, 'caution'],
  ];
  return pairs.filter(([n]) => n).map(([fewer, one]) => ({ fewer, what: Math.abs(fewer) === 1 ? one : `${one}s` }));
}

/** Where an arrow key leads from a cell; null where it leads nowhere. */
export function step(key: string, row: number, column: number, rows: number, columns: number): [number, number] | null {
  const to: Record<string, [number, number]> = {
    ArrowUp: [row - 1, column],
    ArrowDown: [row + 1, column],
    ArrowLeft: [row, column - 1],
    ArrowRight: [row, column + 1],
    Home: [row, 0],
    End: [row, columns - 1],
    PageUp: [Math.max(0, row - 8), column],
    PageDown: [Math.min(rows - 1, row + 8), column],
  };
  const found = to[key];
  if (!found) return null;
  const [r, c] = found;
  return r < 0 || c < 0 || r >= rows || c >= columns ? null : found;
}
