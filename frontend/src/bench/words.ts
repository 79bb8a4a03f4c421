// How figures and mend calls read on screen.
import type { MendFacts } from '../api/client';

type Value = { value?: unknown; unit: string } | null | undefined;

const number = (n: number) => (Math.abs(n) >= 1000 ? n.toLocaleString('en', { maximumFractionDigits: 0 }) : Number(n.toPrecision(4)).toString());

export function figure(v: Value): string {
  if (!v) return '';
  if (typeof v.value !== 'number') return String(v.value);
  const n = v.value;
  switch (v.unit) {
    case 'm': return Math.abs(n) < 0.01 && n !== 0 ? `${number(n * 1000)} mm` : `${number(n)} m`;
    case 'bytes': return `${number(n / 2 ** 20)} MiB`;
    case 'factor': return `× ${number(n)}`;
    case 'degrees': return `${number(n)}°`;
    case 'share': return `${number(n * 100)} %`;
    case 'count': return number(n);
    default: return `${number(n)} ${v.unit}`;
  }
}

/** What a mend's button says: its title, with the parameter that matters. */
export function mendWords(facts: MendFacts | undefined, id: string, params: Record<string, unknown>): string {
  if (id === 'size.scale') return `Scale × ${number(Number(params.factor))}`;
  if (id === 'size.up-axis') return `Turn to ${String(params.to)} up`;
  if (id === 'arrival.remove') return `Remove ${String(params.what)}`;
  if (id === 'arrival.rename') return `Rename ${String(params.search ?? '…')}`;
  return facts?.title ?? id;
}
