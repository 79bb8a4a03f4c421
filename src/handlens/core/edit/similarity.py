"""Move a whole scene by a similarity that keeps the origin: scaling, and turning the axes."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ..scene.matrices import matrix_quaternion, quaternion_product
from ..scene.model import Channel, Layer, Mesh, Morph, Node, Scene, Skin, frozen
from ..words.arrays import F64, Array


def apply_similarity(scene: Scene, rotation: F64, factor: float) -> Scene:
    """The scene with every world position p moved to factor · rotation · p, and no new transform on any node.

    With S the similarity, each local matrix L becomes S L S⁻¹ and each mesh position p becomes S p, so every world
    matrix W becomes S W S⁻¹ and every world position S W p: node scales stay what they were. Bind matrices and clips
    are carried the same way, so skinned and animated poses move along exactly.

    rotation: (3, 3), one that permutes axes (with signs), so that per-axis scales stay per-axis scales.
    """
    # A file may hold any number, and what is none stays none.
    with np.errstate(all="ignore"):
        return _similarity(scene, _Turn(rotation, factor), factor)


def _similarity(scene: Scene, turn: _Turn, factor: float) -> Scene:
    return scene.with_(
        nodes=turn.nodes(scene),
        meshes=tuple(turn.mesh(mesh) for mesh in scene.meshes),
        skins=tuple(turn.skin(skin) for skin in scene.skins),
        clips=tuple(replace(clip, channels=tuple(turn.channel(x) for x in clip.channels)) for clip in scene.clips),
        cameras=tuple(replace(camera, source=_camera(camera.source, factor)) for camera in scene.cameras),
        lights=tuple(replace(light, source=_light(light.source, factor)) for light in scene.lights),
    )


class _Turn:
    def __init__(self, rotation: F64, factor: float) -> None:
        self.r, self.f = rotation, factor
        self.still = bool((rotation == np.eye(3)).all())
        self.q = np.array(matrix_quaternion(rotation))
        self.q_back = self.q * np.array([-1, -1, -1, 1])
        self.permutation = np.abs(rotation)

    def vectors(self, rows: Array, factor: float = 1.0) -> Array:
        moved = rows if self.still else rows @ self.r.T
        return moved * factor if factor != 1.0 else moved

    def nodes(self, scene: Scene) -> tuple[Node, ...]:
        """Every node carried along.

        A camera or a light looks along its node's own -Z, whatever is up, so its node is turned with it: itself where it
        holds nothing else, else a node below that takes it over.
        """
        out = [self.node(n) for n in scene.nodes]
        if self.still:
            return tuple(out)
        driven = {channel.node for clip in scene.clips for channel in clip.channels}
        for i, n in enumerate(scene.nodes):
            if n.camera is None and n.light is None:
                continue
            if n.matrix is None and not n.children and n.mesh is None and i not in driven:
                rotation = quaternion_product(self.q, np.array(n.rotation))
                out[i] = replace(out[i], rotation=tuple(rotation.tolist()), scale=n.scale)
                continue
            holder = Node(f"node:{len(out)}", n.name, rotation=tuple(self.q.tolist()), camera=n.camera, light=n.light)
            out[i] = replace(out[i], camera=None, light=None, children=(*out[i].children, len(out)))
            out.append(holder)
        return tuple(out)

    def node(self, n: Node) -> Node:
        if n.matrix is not None:
            turn = np.eye(4)
            turn[:3, :3] = self.r
            matrix = turn @ n.matrix @ turn.T
            matrix[:3, 3] *= self.f
            return replace(n, matrix=frozen(matrix))
        translation = self.vectors(np.array(n.translation)) * self.f
        if self.still:
            return replace(n, translation=tuple(translation.tolist()))
        rotation = quaternion_product(quaternion_product(self.q, np.array(n.rotation)), self.q_back)
        scale = self.permutation @ np.array(n.scale)
        return replace(n, translation=tuple(translation.tolist()), rotation=tuple(rotation.tolist()), scale=tuple(scale.tolist()))

    def mesh(self, source: Mesh) -> Mesh:
        changed: dict[str, Any] = {
            "positions": frozen(self.vectors(source.positions, self.f)),
            "morphs": tuple(
                Morph(
                    x.name,
                    frozen(self.vectors(x.positions, self.f)),
                    None if x.normals is None else frozen(self.vectors(x.normals)),
                )
                for x in source.morphs
            ),
        }
        if not self.still:
            if source.normals is not None:
                changed["normals"] = Layer(frozen(self.vectors(source.normals.values)), source.normals.index)
            if source.tangents is not None:
                xyz = self.vectors(source.tangents.values[:, :3])
                changed["tangents"] = Layer(frozen(np.column_stack([xyz, source.tangents.values[:, 3]])), source.tangents.index)
        return replace(source, **changed)

    def skin(self, source: Skin) -> Skin:
        if source.inverse_bind is None:
            return source
        turn = np.eye(4)
        turn[:3, :3] = self.r
        moved = turn @ source.inverse_bind @ turn.T
        moved[:, :3, 3] *= self.f
        return replace(source, inverse_bind=frozen(moved))

    def channel(self, source: Channel) -> Channel:
        if source.path == "translation":
            return replace(source, values=frozen((self.vectors(source.values.astype(np.float64)) * self.f).astype(np.float32)))
        if self.still or source.path not in ("rotation", "scale"):
            return source
        if source.path == "scale":
            return replace(source, values=frozen((source.values.astype(np.float64) @ self.permutation.T).astype(np.float32)))
        turned = quaternion_product(quaternion_product(self.q, source.values), self.q_back)
        return replace(source, values=frozen(turned.astype(np.float32)))


def _camera(source: Any, factor: float) -> dict[str, Any]:
    """Clip distances and orthographic sizes are lengths (glTF 2.0 §3.10)."""
    out = dict(source)
    for kind, keys in (("perspective", ("znear", "zfar")), ("orthographic", ("znear", "zfar", "xmag", "ymag"))):
        if isinstance(out.get(kind), dict):
            out[kind] = {k: v * factor if k in keys and isinstance(v, (int, float)) else v for k, v in out[kind].items()}
    return out


def _light(source: Any, factor: float) -> dict[str, Any]:
    return {k: v * factor if k == "range" and isinstance(v, (int, float)) else v for k, v in dict(source).items()}
