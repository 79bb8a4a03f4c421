// Weights of one joint on the model: the lens shows what a chosen joint moves, or the heaviest weight of any.
import type { BufferAttribute } from 'three';
import type { DisplayModel, Joints } from './displayCopy';

/** Every joint that some part is bound to, by node, with its name. */
export function jointsOf(model: DisplayModel): { node: number; name: string }[] {
  const found = new Map<number, string>();
  for (const mesh of model.parts.values()) {
    const j = mesh.geometry.userData.joints as Joints | undefined;
    j?.nodes.forEach((node, k) => found.set(node, j.names[k]!));
  }
  return [...found].map(([node, name]) => ({ node, name }));
}

/** Fills the weights that the lens shows: of one joint by its node, or the heaviest of each vertex for null. */
export function showWeightsOf(model: DisplayModel, node: number | null) {
  for (const g of new Set([...model.parts.values()].map((m) => m.geometry))) {
    const j = g.userData.joints as Joints | undefined;
    const attribute = g.attributes.weight as BufferAttribute | undefined;
    if (!j || !attribute) continue;
    const out = attribute.array as Float32Array;
    const heaviest = (g.userData.heaviest ??= out.slice()) as Float32Array;
    const wanted = node === null ? -1 : j.nodes.indexOf(node);
    if (node === null) out.set(heaviest);
    else {
      for (let v = 0; v < out.length; v++) {
        // A vertex without any weight stays cross-hatched; one that this joint does not move reads nought.
        out[v] = heaviest[v]! < 0 ? heaviest[v]! : 0;
        for (let e = j.starts[v]!; e < j.starts[v + 1]!; e++)
          if (j.joint[e] === wanted) out[v] = Math.max(out[v]!, 0) + j.weight[e]! / 65535;
      }
    }
    attribute.needsUpdate = true;
  }
}
