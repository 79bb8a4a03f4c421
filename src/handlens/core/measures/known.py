"""Measures that were taken before, by what each mesh holds: after a mend only the meshes that it touched are measured anew."""

from __future__ import annotations

import hashlib
from dataclasses import fields, is_dataclass
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from ..geometry.topology import PIECES_UP_TO
from ..scene import Mesh
from ..scene.model import readable
from ..words.arrays import Array
from .records import FacingFigures, ImageFigures, Measures, MeshFigures, WalkFigures

#: What of a mesh no figure is taken from: how it is called. Of materials only whether there is one.
_NAMES = ("id", "name", "extras")


#: Meshes do not change: their digests are worked out once, however often they are measured beside others.
_digests: WeakKeyDictionary[Mesh, str] = WeakKeyDictionary()


def content_key(mesh: Mesh) -> str:
    """SHA-256 over everything of a mesh that figures may be taken from, field by field, so that none can be forgotten."""
    if mesh not in _digests:
        _digests[mesh] = _content_key(mesh)
    return _digests[mesh]


def _content_key(mesh: Mesh) -> str:
    digest = hashlib.sha256()

    def take(label: str, value: Any) -> None:
        digest.update(label.encode())
        if isinstance(value, np.ndarray):
            digest.update(f"{value.dtype.str}{value.shape}".encode())
            digest.update(np.ascontiguousarray(value).data)
        elif is_dataclass(value):
            for field in fields(value):
                take(field.name, getattr(value, field.name))
        elif isinstance(value, tuple):
            digest.update(str(len(value)).encode())
            for k, x in enumerate(value):
                take(str(k), x)
        else:
            digest.update(repr(value).encode())

    for field in fields(mesh):
        if field.name not in _NAMES:
            value = getattr(mesh, field.name)
            # Which slots are of one material counts, not which number it has.
            take(field.name, _pattern(value) if field.name == "slot_materials" else value)
    return digest.hexdigest()


def _pattern(materials: tuple[int, ...]) -> tuple[int, ...]:
    """Which slots have the same material, by the first of them; -1 for those without."""
    first: dict[int, int] = {}
    return tuple(-1 if material < 0 else first.setdefault(material, k) for k, material in enumerate(materials))


class Known:
    """Mesh figures of earlier measures. fresh: how many meshes had to be measured since this was made."""

    def __init__(self, earlier: Measures | None = None) -> None:
        self.fresh = 0
        self.earlier = earlier
        self.meshes: dict[str, tuple[MeshFigures, dict[str, Array]]] = {}
        if earlier is None:
            return
        own: dict[str, dict[str, Array]] = {}
        for key in earlier.arrays:
            what, _, rest = key.partition(":")
            number, _, name = rest.partition(":")
            if what == "mesh":
                own.setdefault(number, {})[name] = earlier.array(key)
        for k, figures in enumerate(earlier.meshes):
            if figures.content is not None:
                self.meshes[figures.content] = figures, own.get(str(k), {})

    def images(self) -> list[ImageFigures]:
        """Figures of the images of earlier measures."""
        return self.earlier.images if self.earlier is not None else []

    def take(
        self, content: str, mesh: Mesh, number: int, arrays: dict[str, Array], twin: bool, alone: bool
    ) -> MeshFigures | None:
        """The figures of a mesh as they would be measured now, its arrays put among `arrays`; None where they are not held.

        What is measured only for some meshes (twin: a shape key; alone and not too large: its pieces) must be held where it is wanted.

        arrays: element lists by key, to which its own are added.
        """
        found = self.meshes.get(content)
        counted = alone and 0 < mesh.face_count <= PIECES_UP_TO
        if found is None or (twin and found[0].shape_key is None) or (counted and found[0].pieces is None):
            self.fresh += 1
            return None
        figures, own = found
        arrays.update({f"mesh:{number}:{key}": value for key, value in own.items()})
        return replace(
            figures,
            name=readable(mesh.name),
            slot_materials=list(mesh.slot_materials),
            shape_key=figures.shape_key if twin else None,
            pieces=figures.pieces if alone else None,
        )

    def looked(self, key: str, arrays: dict[str, Array]) -> tuple[list[FacingFigures], WalkFigures | None] | None:
        """Facing and walk-round of earlier measures with the same key, their arrays put among `arrays`; None where there are none.

        arrays: element lists by key, to which its own are added.
        """
        if self.earlier is None or self.earlier.facing_key != key:
            return None
        arrays.update({k: self.earlier.array(k) for k in self.earlier.arrays if k.startswith("part:")})
        return self.earlier.facing, self.earlier.walk
