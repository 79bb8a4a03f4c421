// The light index: fewer triangles over the same vertices, drawn while something moves and never at rest.
import { BufferAttribute, BufferGeometry, Mesh, type Object3D } from 'three';

/** A geometry that shares a mesh's vertices and draws only some triangles. */
export function lightGeometry(whole: BufferGeometry, index: Uint32Array, groups: { start: number; count: number }[]) {
  const g = new BufferGeometry();
  for (const [name, attribute] of Object.entries(whole.attributes)) g.setAttribute(name, attribute);
  g.setIndex(new BufferAttribute(index, 1));
  groups.forEach((group, k) => g.addGroup(group.start, group.count, k));
  g.boundingSphere = whole.boundingSphere;
  return g;
}

/** Lets every mesh below draw its light geometry; returns what puts the whole ones back. */
export function lightly(root: Object3D): () => void {
  const changed: [Mesh, BufferGeometry][] = [];
  root.traverse((o) => {
    const light = o.userData.light as BufferGeometry | undefined;
    if (!(o instanceof Mesh) || !light) return;
    changed.push([o, o.geometry]);
    o.geometry = light;
  });
  return () => {
    for (const [mesh, geometry] of changed) mesh.geometry = geometry;
  };
}
