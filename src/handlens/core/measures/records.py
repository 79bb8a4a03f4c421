"""What is measured, as plain records: stored beside an inspection so that another sheet can judge without re-measuring.

Lengths are in file units and world space unless a name says otherwise.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from ..scene.model import Array

#: Raised when a record's meaning changes, so that stored measures of an older version are made anew.
VERSION = 5


class MeshFigures(msgspec.Struct, frozen=True):
    """One mesh data block."""

    name: str
    triangles: int
    faces: int
    faces_over_4: int
    vertices: int
    welded: int
    gpu_vertices: int
    loose_edges: int
    loose_points: int
    closed: bool
    winding_consistent: bool
    zero_area_faces: int
    not_finite: int
    uv_sets: int
    slot_faces: list[int]
    unassigned_faces: int
    influences_max: int
    weights_off: int
    morphs: int
    pieces: int | None
    bounds_min: list[float] | None
    bounds_max: list[float] | None
    shape_key: str | None = None
    #: Digest of everything that these figures were taken from; kept only where measures are to be used again.
    content: str | None = None


class PartFigures(msgspec.Struct, frozen=True):
    """One mesh instance in the scene."""

    node: int
    name: str
    mesh: int
    bounds_min: list[float] | None
    bounds_max: list[float] | None
    farthest: float
    spacing: float
    skinned: bool


class NodeFigures(msgspec.Struct, frozen=True):
    """One node of the default scene. scale is signed, as the file stores it or as its matrix has it."""

    index: int
    name: str
    parent: int
    kind: str
    scale: list[float]
    angle: float
    quarter_turn: bool
    mirrored: bool
    shear: float
    world_shear: float
    is_joint: bool
    hidden: bool
    named: bool
    driven: bool


class ImageFigures(msgspec.Struct, frozen=True):
    reference: str
    status: str
    found_at: str | None
    width: int | None
    height: int | None
    channels: int | None
    has_alpha: bool | None
    see_through_share: float | None
    bytes: int | None
    used_by: list[str]
    unreadable: str | None = None


class MaterialFigures(msgspec.Struct, frozen=True):
    name: str
    used_by_faces: int
    alpha_mode: str | None
    double_sided: bool | None
    defined: bool
    images: list[int]


class SkinFigures(msgspec.Struct, frozen=True):
    name: str | None
    joints: list[int]
    joint_names: list[str]


class ClipFigures(msgspec.Struct, frozen=True):
    name: str | None
    seconds: float
    channels: int


class ProblemRecord(msgspec.Struct, frozen=True):
    kind: str
    text: str
    where: str


class Measures(msgspec.Struct, frozen=True):
    """Everything the checks may look at."""

    format: str
    unit_metres: float | None
    up_axis: str | None
    nodes: list[NodeFigures]
    parts: list[PartFigures]
    meshes: list[MeshFigures]
    materials: list[MaterialFigures]
    images: list[ImageFigures]
    skins: list[SkinFigures]
    clips: list[ClipFigures]
    cameras: int
    lights: int
    camera_nodes: list[int]
    light_nodes: list[int]
    problems: list[ProblemRecord]
    bounds_min: list[float] | None
    bounds_max: list[float] | None
    arrays: dict[str, Any]
    version: int = VERSION

    def array(self, key: str) -> Array:
        """int32 element indices kept under a key such as "mesh:0:lines"; empty where there are none."""
        return np.asarray(self.arrays.get(key, np.zeros(0, np.int32)), np.int32)

    def names(self) -> list[str]:
        """Every name in the file: nodes, meshes, materials, skins, clips."""
        groups: tuple[Sequence[Any], ...] = (self.meshes, self.materials, self.skins, self.clips)
        others = [x.name for group in groups for x in group]
        named = [n.name for n in self.nodes if n.named]
        return named + [name for name in others if name]

    def to_bytes(self) -> bytes:
        return msgspec.msgpack.encode(self, enc_hook=_pack)

    @classmethod
    def from_bytes(cls, data: bytes) -> Measures:
        kept = msgspec.msgpack.decode(data, type=cls)
        arrays = {k: np.frombuffer(v, np.int32) for k, v in kept.arrays.items()}
        return msgspec.structs.replace(kept, arrays=arrays)


def _pack(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return value.astype(np.int32).tobytes()
    raise NotImplementedError(type(value))
