// How figures and mend calls read on screen.
import type { MendFacts, WayCost } from '../api/client';
import type { components } from '../api/schema';
import type { Receiver } from '../stage/receiver';

type Value = { value?: unknown; unit: string } | null | undefined;

const number = (n: number) =>
  Math.abs(n) >= 1000 ? n.toLocaleString('en', { maximumFractionDigits: 0 }) : Number(n.toPrecision(3)).toString();

/** Below a micrometre nobody wants to know how far. */
const millimetres = (n: number) => (n > 0 && n < 1e-3 ? 'under 0.001 mm' : `${number(n)} mm`);

/** Lengths as they are wished to be told: the server says it once, for all pages. */
let feet = false;
export const tellLengths = (wish: string) => (feet = wish === 'feet');
const INCH = 0.0254;
function inFeet(m: number): string {
  const inches = Math.abs(m) / INCH;
  const sign = m < 0 ? '−' : '';
  if (inches < 12) return `${sign}${number(inches)} in`;
  if (inches >= 63_360) return `${sign}${number(inches / 63_360)} mi`;
  const tenths = inches < 1200 ? Math.round(inches * 10) / 10 : Math.round(inches / 12) * 12;
  const [ft, rest] = [Math.floor(tenths / 12), Math.round((tenths % 12) * 10) / 10];
  return `${sign}${ft.toLocaleString('en')} ft${rest ? ` ${rest} in` : ''}`;
}

/** What is typed for a number with a point for its decimals: a comma before three digits sets off thousands, as figures are told here. */
const withPoint = (text: string) =>
  text
    .trim()
    .replace(/(?<![\d.,])[1-9]\d{0,2}(,\d{3})+(?![\d,])/g, (grouped) => grouped.replaceAll(',', ''))
    .replace(/(\d),(\d)/g, '$1.$2');

/** What is typed for a mend's number, in what it counts in: a length may be said with its units. NaN where it is none. */
export function typedNumber(name: string, text: string): number {
  const unit = name.endsWith('_mm') ? 0.001 : name.endsWith('_m') ? 1 : 0;
  if (unit) return Number((typedLength(text, unit) / unit).toPrecision(12));
  return text.trim() ? Number(withPoint(text)) : NaN;
}

/** What is typed for a length, in metres; a number alone is in the field's own unit. NaN where it is none. */
export function typedLength(text: string, unit: number): number {
  const metres: Record<string, number> = {
    km: 1000,
    m: 1,
    cm: 0.01,
    mm: 0.001,
    in: INCH,
    '"': INCH,
    ft: 12 * INCH,
    "'": 12 * INCH,
    yd: 36 * INCH,
    mi: 63_360 * INCH,
  };
  const plain = withPoint(text);
  if (/^[-+]?[\d.]+(e[-+]?\d+)?$/i.test(plain)) return Number(plain) * unit;
  let [sum, rest] = [0, plain.replace(/^-/, '')];
  while (rest) {
    const met = /^\s*([\d.]+)\s*([a-z]+|["'])\s*/i.exec(rest);
    const one = met && metres[met[2]!.toLowerCase()];
    if (!met || !one) return NaN;
    sum += Number(met[1]) * one;
    rest = rest.slice(met[0].length);
  }
  return plain ? (plain.startsWith('-') ? -sum : sum) : NaN;
}

export function figure(v: Value): string {
  if (v?.value === null || v?.value === undefined) return '';
  if (typeof v.value !== 'number') return String(v.value);
  const n = v.value;
  switch (v.unit) {
    case 'm':
      return feet ? inFeet(n) : Math.abs(n) < 0.01 && n !== 0 ? millimetres(n * 1000) : `${number(n)} m`;
    case 'mm':
      return feet ? inFeet(n / 1000) : millimetres(n);
    case 'bytes':
      return `${number(n / 2 ** 20)} MiB`;
    case 'factor':
      return `× ${number(n)}`;
    case 'degrees':
      return `${number(n)}°`;
    case 'share':
      return n > 0 && n < 1e-4 ? 'under 0.01 %' : `${number(n * 100)} %`;
    case 'count':
      return number(n);
    default:
      return `${number(n)} ${v.unit}`;
  }
}

/** The same figure with every digit that was measured, for a tooltip. */
export const exact = (v: Value) => (typeof v?.value === 'number' ? `${v.value} ${v.unit}` : '');

export const length = (m: number) =>
  feet
    ? inFeet(m)
    : m >= 1000
      ? `${m / 1000} km`
      : m >= 1
        ? `${m} m`
        : m >= 0.01
          ? `${Number((m * 100).toPrecision(3))} cm`
          : `${Number((m * 1000).toPrecision(3))} mm`;

/** How a receiver draws, in one sentence: the legend of "as received". */
export function receives(r: Receiver): string {
  const sides = {
    'as-material': 'Back faces are drawn where the material says so',
    hidden: 'Back faces are never drawn',
    shown: 'Both sides are drawn',
  }[r.back_faces];
  const alpha = { 'as-material': '', 'mask-only': ', blended materials are cut out', none: ', everything is opaque' }[r.alpha];
  return `${sides}, lines are ${r.lines ? 'drawn' : 'absent'}${alpha}${r.mirrored === 'as-stored' ? ', mirrored parts turn inside out' : ''}; a lost picture shows as a paper tile with its name.`;
}

/** What mends cost in figures, those that change; nothing where none does. */
export function costWords(c: WayCost): string {
  const counted = (n: number | undefined, one: string, several = `${one}s`) =>
    n ? [`${number(Math.abs(n))} ${Math.abs(n) === 1 ? one : several} ${n > 0 ? 'more' : 'fewer'}`] : [];
  const kib = (n: number) => (n < 1024 ? `${n} bytes` : n < 2 ** 20 ? `${number(n / 1024)} KiB` : `${number(n / 2 ** 20)} MiB`);
  const size = (n: number | null | undefined) => (n ? [`files ${kib(Math.abs(n))} ${n > 0 ? 'larger' : 'smaller'}`] : []);
  return [
    ...counted(c.triangles, 'triangle'),
    ...counted(c.draw_calls, 'draw call'),
    ...counted(c.parts, 'part'),
    ...(c.pixels ? [`${number(c.pixels)} pixels of images lost`] : []),
    ...size(c.bytes),
    ...(c.used_names?.length ? [`files beside use ${c.used_names.slice(0, 3).join(', ')}, which goes by another name then`] : []),
  ].join(', ');
}

/** What a mend's button says: its title, with the parameter that matters. */
export function mendWords(facts: MendFacts | undefined, id: string, params: Record<string, unknown>): string {
  const parts = Array.isArray(params.parts) ? (params.parts as string[]) : [];
  const whose = parts.length === 1 ? `, ${parts[0]}` : parts.length ? `, ${parts.length} parts` : '';
  return wholeWords(facts, id, params) + whose;
}

function wholeWords(facts: MendFacts | undefined, id: string, params: Record<string, unknown>): string {
  const metres: Record<string, number> = { m: 1, cm: 0.01, mm: 0.001 };
  if (id === 'size.scale' && Math.abs(Number(params.factor) * (metres[String(params.unit)] ?? 0) - 1) < 1e-9) return 'It is in metres';
  if (id === 'arrival.rename')
    return String(params.pattern) === 'true' && params.replace
      ? `Rename it to ${String(params.replace)}`
      : `Rename ${String(params.search ?? '…')}`;
  return filled(facts?.button ?? '', params) ?? facts?.title ?? id;
}

/** A button's words with parameters in place of their names in braces; null where one of them is not given. */
export function filled(template: string, params: Record<string, unknown>): string | null {
  let whole = template !== '';
  const text = template.replace(/\{(\w+)\}/g, (_, name: string) => {
    const value = params[name];
    const words = Array.isArray(value)
      ? value.slice(0, 2).map(String).join(', ') + (value.length > 2 ? ' …' : '')
      : typeof value === 'number' || (typeof value === 'string' && value !== '' && Number.isFinite(Number(value)))
        ? String(Number(Number(value).toPrecision(6)))
        : String(value ?? '');
    whole &&= words !== '';
    return words;
  });
  return whole ? text : null;
}

/** How a destination wants its files written, in words; empty where it takes them as they are. */
export function written(e: components['schemas']['ExportOptions']): string {
  const units: Record<string, string> = { m: 'metres', cm: 'centimetres', mm: 'millimetres' };
  return [
    e.unit && `lengths in ${units[e.unit]}`,
    e.up_axis && `${e.up_axis} up`,
    e.triangulate && 'polygons cut into triangles',
    e.images === 'none'
      ? 'without images'
      : e.folder
        ? `images in the folder ${e.folder}`
        : e.images === 'beside'
          ? 'images beside'
          : e.images === 'embedded'
            ? 'images inside'
            : '',
    e.material_library === false && 'without a material library',
  ]
    .filter(Boolean)
    .join(', ');
}
