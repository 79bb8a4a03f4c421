// The order of a tape: what dragging, the keys and the buttons make of its slips.
import type { MendFacts, Slip } from '../api/client';

/** The slips with one of them moved to another place; the same ones where there is no such place. */
export function moved(slips: Slip[], from: number, to: number): Slip[] {
  if (to < 0 || to >= slips.length || from === to) return slips;
  const out = [...slips];
  out.splice(to, 0, ...out.splice(from, 1));
  return out;
}

export const without = (slips: Slip[], k: number): Slip[] => slips.filter((_, i) => i !== k);

export const toggled = (slips: Slip[], k: number): Slip[] => slips.map((s, i) => (i === k ? { ...s, on: !s.on } : s));

/** A call with what it leaves out filled in, to be compared with others. */
const whole = (facts: MendFacts | undefined, params: Record<string, unknown>) =>
  JSON.stringify(facts ? facts.parameters.map((p) => params[p.name] ?? p.default ?? null) : params);

/** Whether a tape has a call, however much of it is left to its defaults. */
export const holds = (slips: Slip[], facts: MendFacts | undefined, mend: string, params: Record<string, unknown>) =>
  slips.some((s) => s.mend === mend && whole(facts, s.params) === whole(facts, params));
