"""Parts made of the faces of one, each below the part that it came from."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..geometry.adjacency import face_of_corner
from ..geometry.components import components
from ..geometry.recut import only_faces, only_used_values, only_vertices, used_vertices
from ..geometry.topology import surface
from ..scene import Mesh, Node, Scene
from ..scene.model import frozen
from ..words.arrays import I32, Array, Bool


def split_parts(
    scene: Scene,
    chosen: Sequence[int],
    labels: Callable[[int], Array | None],
    name: Callable[[Mesh, int, int], str] | None = None,
) -> tuple[Scene, list[int]]:
    """The scene with a part for each label of the faces of some parts, and the nodes that were split.

    labels: (F,) label of each face of a node's mesh, or None; a mesh with one label, with lines or with points stays whole.
    Parts that show one mesh share what becomes of it, split as the first of them is. name: words for a mesh, a label and its
    position, which name what has no name; its number where it is left out.
    """
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    made: dict[int, list[tuple[int, str]]] = {}
    for i in chosen:
        k = scene.nodes[i].mesh
        if k is None or k in made:
            continue
        mesh, label = scene.meshes[k], labels(i)
        groups = list(dict.fromkeys(label.tolist())) if label is not None else []
        if label is None or len(groups) < 2 or len(mesh.lines) + len(mesh.points):
            continue
        made[k] = []
        for number, group in enumerate(groups):
            piece = only_used_values(only_faces(mesh, label == group))
            piece = only_vertices(piece, used_vertices(piece))
            words = name(mesh, group, number) if name else str(number + 1)
            piece = replace(piece, id=f"{mesh.id}/{number}", name=f"{mesh.name}_{words}" if mesh.name else words)
            made[k].append((len(meshes), words))
            meshes.append(piece)
    done = [i for i in chosen if scene.nodes[i].mesh in made]
    for i in done:
        n = scene.nodes[i]
        assert n.mesh is not None
        children = []
        bare = name is not None and not n.name and not scene.meshes[n.mesh].name
        for number, (k, words) in enumerate(made[n.mesh]):
            children.append(len(nodes))
            called = words if bare else f"{scene.part_name(i)}_{words}"
            nodes.append(Node(f"{n.id}/{number}", called, mesh=k, skin=n.skin, morph_weights=n.morph_weights))
        nodes[i] = replace(nodes[i], mesh=None, skin=None, morph_weights=(), children=(*nodes[i].children, *children))
    return without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes))), done


def split_off(scene: Scene, nodes: Sequence[int], masks: Mapping[int, Bool], name: str) -> Scene:
    """The scene with some faces of some parts as parts of their own, each hanging on the part that they were of.

    masks: by number of a mesh, (F,) bool which of its faces; some and not all. name: of the new parts, counted where there are several,
    the old part's with _split where it is empty. Other parts that show the same mesh keep all of it.
    """
    made: dict[int, tuple[int, int]] = {}
    meshes, out = list(scene.meshes), list(scene.nodes)
    for number, i in enumerate(nodes):
        n = scene.nodes[i]
        assert n.mesh is not None
        called = f"{name}_{number + 1}" if name and number else name or f"{scene.part_name(i)}_split"
        if n.mesh not in made:
            mesh, mask = scene.meshes[n.mesh], masks[n.mesh]
            rest = only_faces(mesh, ~mask)
            rest = only_used_values(only_vertices(rest, used_vertices(rest) | ~used_vertices(mesh)))
            piece = replace(
                only_faces(mesh, mask), lines=frozen(np.zeros((0, 2), np.int32)), points=frozen(np.zeros(0, np.int32))
            )
            piece = only_used_values(only_vertices(piece, used_vertices(piece)))
            made[n.mesh] = len(meshes), len(meshes) + 1
            meshes += [rest, replace(piece, id=f"{mesh.id}/split", name=called if mesh.name else "")]
        kept, new = made[n.mesh]
        child = Node(f"{n.id}/split", called, mesh=new, skin=n.skin, morph_weights=n.morph_weights)
        out[i] = replace(out[i], mesh=kept, children=(*out[i].children, len(out)))
        out.append(child)
    return without_unplaced(scene, scene.with_(nodes=tuple(out), meshes=tuple(meshes)))


def without_unplaced(before: Scene, after: Scene) -> Scene:
    """The scene without meshes that a mend left without a node; meshes that had none before stay."""
    placed = {n.mesh for n in after.nodes if n.mesh is not None}
    had = {n.mesh for n in before.nodes if n.mesh is not None}
    kept = [k for k in range(len(after.meshes)) if k in placed or k not in had]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(replace(n, mesh=number[n.mesh]) if n.mesh is not None else n for n in after.nodes)
    return after.with_(nodes=nodes, meshes=tuple(after.meshes[k] for k in kept))


def pieces(mesh: Mesh) -> I32:
    """(F,) piece of each face: faces that share a welded point hang together."""
    at = surface(mesh).ids[mesh.corners]
    face = face_of_corner(mesh)
    first = at[mesh.starts[:-1][face]] if len(face) else at
    total = int(at.max(initial=-1)) + 1
    return components(total, first, at)[at[mesh.starts[:-1]]]
