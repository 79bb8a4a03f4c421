"""From scene to scene and from mesh to mesh: transform, reparent, ungroup, split, bake, thin out, leave out."""
