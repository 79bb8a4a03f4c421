// Words on the stage that are part of the drawing: on the floor, on the staff.
import { CanvasTexture, Mesh, PlaneGeometry, SRGBColorSpace } from 'three';
import { paper } from './looks';
import { TOKENS } from './tokens';

const textures = new Map<string, CanvasTexture>();
/** Pixels of a line of writing. */
const [W, H] = [256, 96];

function written(text: string, font: string) {
  const key = `${font}|${text}`;
  const known = textures.get(key);
  if (known) return known;
  const canvas = Object.assign(document.createElement('canvas'), { width: W, height: H });
  const x = canvas.getContext('2d', { willReadFrequently: true })!;
  x.font = font;
  x.textAlign = 'center';
  x.fillStyle = '#fff';
  x.fillText(text, W / 2, 66);
  const made = new CanvasTexture(canvas);
  made.colorSpace = SRGBColorSpace;
  textures.set(key, made);
  return made;
}

/** A line of text on an upright sheet of that width in metres, facing +Z. */
export function writing(text: string, width: number, { font = 'italic 500 72px Fraunces, Georgia, serif' } = {}) {
  const material = paper({
    hex: TOKENS.ink,
    flat: true,
    soft: true,
    ink: 0,
    uniforms: { uWord: { value: written(text, font) } },
    pars: 'uniform sampler2D uWord; varying vec2 vWord;\n',
    vertex: 'vWord = uv;',
    look: 'c.a = texture2D(uWord, vWord).a * .78;',
  });
  return new Mesh(new PlaneGeometry(width, (width * H) / W), material);
}
