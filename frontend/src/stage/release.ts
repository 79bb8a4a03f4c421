// What a model that is no longer drawn held on the graphics card, given back: geometries, materials, and the pictures in them.
// What all materials share (the depth picture from the sun) stays: nobody would draw it again.
import { BufferGeometry, Material, ShaderMaterial, Texture, type Object3D } from 'three';
import { shared } from './looks';

/** Frees what an object and all below it were drawn with. What another still uses is sent to the card again when it is next drawn. */
export function release(root: Object3D) {
  const held = new Set<BufferGeometry | Material | Texture>();
  const everybodys = new Set(Object.values(shared).map((u) => u.value));
  root.traverse((o) => {
    const { geometry, material } = o as Partial<{ geometry: BufferGeometry; material: Material | Material[] }>;
    if (geometry) held.add(geometry);
    if (o.userData.light instanceof BufferGeometry) held.add(o.userData.light);
    for (const m of material ? [material].flat() : []) {
      held.add(m);
      if (m instanceof ShaderMaterial) {
        for (const { value } of Object.values(m.uniforms)) if (value instanceof Texture && !everybodys.has(value)) held.add(value);
      }
    }
  });
  for (const one of held) one.dispose();
}
