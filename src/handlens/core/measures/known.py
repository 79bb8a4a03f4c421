"""Measures that were taken before, by what each mesh holds: after a mend only the meshes that it touched are measured anew."""

from __future__ import annotations

import hashlib

import numpy as np
from msgspec.structs import replace

from ..scene import Layer, Mesh
from ..scene.model import Array
from .records import FacingFigures, Measures, MeshFigures, WalkFigures


def content_key(mesh: Mesh) -> str:
    """SHA-256 over everything of a mesh that its figures are taken from; its name is not."""
    digest = hashlib.sha256()

    def take(label: str, array: Array | None) -> None:
        digest.update(label.encode())
        if array is not None:
            digest.update(f"{array.dtype.str}{array.shape}".encode())
            digest.update(np.ascontiguousarray(array).data)

    def layer(label: str, x: Layer | None) -> None:
        take(label, None if x is None else x.values)
        take(label, None if x is None else x.index)

    for label in ("positions", "corners", "starts", "slots", "smooth", "lines", "points"):
        take(label, getattr(mesh, label))
    for label, layers in (("uv", mesh.uvs), ("colour", mesh.colours), ("normal", (mesh.normals,)), ("tangent", (mesh.tangents,))):
        for x in layers:
            layer(label, x)
    if mesh.weights is not None:
        for label in ("starts", "joints", "weights"):
            take(f"weight {label}", getattr(mesh.weights, label))
    digest.update(repr((len(mesh.morphs), len(mesh.slot_materials), [m < 0 for m in mesh.slot_materials])).encode())
    return digest.hexdigest()


class Known:
    """Mesh figures of earlier measures. fresh: how many meshes had to be measured since this was made."""

    def __init__(self, earlier: Measures | None = None) -> None:
        self.fresh = 0
        self.earlier = earlier
        self.meshes: dict[str, tuple[MeshFigures, dict[str, Array]]] = {}
        for k, figures in enumerate(earlier.meshes if earlier is not None else []):
            if figures.content is None or earlier is None:
                continue
            prefix = f"mesh:{k}:"
            own = {key[len(prefix) :]: earlier.array(key) for key in earlier.arrays if key.startswith(prefix)}
            self.meshes[figures.content] = figures, own

    def take(
        self, content: str, mesh: Mesh, number: int, arrays: dict[str, Array], twin: bool, alone: bool
    ) -> MeshFigures | None:
        """The figures of a mesh as they would be measured now, its arrays put among `arrays`; None where they are not held.

        What is measured only for some meshes (twin: a shape key; alone: its pieces) must be held where it is wanted.
        """
        found = self.meshes.get(content)
        if found is None or (twin and found[0].shape_key is None) or (alone and found[0].pieces is None):
            self.fresh += 1
            return None
        figures, own = found
        arrays.update({f"mesh:{number}:{key}": value for key, value in own.items()})
        return replace(
            figures,
            name=mesh.name,
            shape_key=figures.shape_key if twin else None,
            pieces=figures.pieces if alone else None,
        )

    def looked(self, key: str, arrays: dict[str, Array]) -> tuple[list[FacingFigures], WalkFigures | None] | None:
        """Facing and walk-round of earlier measures with the same key, their arrays put among `arrays`; None where there are none."""
        if self.earlier is None or self.earlier.facing_key != key:
            return None
        arrays.update({k: self.earlier.array(k) for k in self.earlier.arrays if k.startswith("part:")})
        return self.earlier.facing, self.earlier.walk
