// The stage's colours, read once from tokens.css, so that drawing and page never drift apart.
import { Color, LinearSRGBColorSpace, Vector3 } from 'three';

const css = (name: string, otherwise: string) =>
  (typeof document === 'undefined' ? '' : getComputedStyle(document.documentElement).getPropertyValue(name).trim()) || otherwise;

export const TOKENS = {
  ground: css('--hl-stage-ground', '#F6F1E7'),
  grid: css('--hl-stage-grid', '#C8B995'),
  mat: css('--hl-stage-mat', '#DCCDAA'),
  ink: css('--hl-stage-outline', '#1E2A2F'),
  shadow: '#46371E',
  plain: css('--hl-tint-plain', '#D8CFBC'),
  back: css('--hl-facing-back', '#D9A441'),
  hatch: css('--hl-facing-hatch', '#3A2A0C'),
  tile: css('--hl-tile-missing', '#FFFDF8'),
  board: css('--hl-staff-board', '#F2E9D6'),
  band: css('--hl-staff-band', '#2F5F58'),
  ring: css('--hl-staff-ring', '#9C7A2E'),
  stop: css('--hl-stop-mark', '#9E3136'),
  caution: css('--hl-caution-mark', '#A86A12'),
  note: css('--hl-note-mark', '#4A6480'),
};

/** A colour that is lit and encoded later. */
export const lit = (hex: string) => ({ value: new Color(hex) });
/** A colour that is shown with these very digits. */
export const asShown = (hex: string) => ({ value: new Color().setStyle(hex, LinearSRGBColorSpace) });
export const vector = (hex: string) => {
  const c = asShown(hex).value;
  return new Vector3(c.r, c.g, c.b);
};
