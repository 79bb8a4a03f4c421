"""What Skin measures, as plain records. Lengths in file units in the world; element lists are kept under "skin:node:what"."""

from __future__ import annotations

import msgspec


class CutFigures(msgspec.Struct, frozen=True):
    """What keeping only so many influences does. vertices: how many lose some; of the `samples` that lose most, the one that goes
    farthest astray goes `farthest`.
    """

    most: int
    vertices: int
    farthest: float
    samples: int


class WeightFigures(msgspec.Struct, frozen=True):
    """The weights of a part. Counts are of vertices; worst_sum is the sum that lies farthest from 1, least the most negative weight.

    beyond_joint: the greatest number of a joint that the skin does not have. histogram: vertices by their influences. smallest: the
    least weight above 0.
    """

    node: int
    name: str
    mesh: int
    skin: int | None
    vertices: int
    weighted: bool
    bare: int = 0
    off_sum: int = 0
    worst_sum: float = 1.0
    slightly_off: int = 0
    negative: int = 0
    least: float = 0.0
    not_finite: int = 0
    dust: int = 0
    smallest: float = 1.0
    beyond: int = 0
    beyond_joint: int = -1
    repeated: int = 0
    histogram: list[int] = []
    cuts: list[CutFigures] = []
    dust_moves: float = 0.0
    bind_moves: float = 0.0
    own_moves: float = 0.0
    only_joint: int = -1


class JointFigures(msgspec.Struct, frozen=True):
    """A joint of a skin. up: position in the skin of the joint above, -1 for a top one. carries: vertices that it moves.

    off, degrees: how far it rests from where it was bound; own_off, own_degrees: the same against the joint above it. stretch: by what it is longer along its own axes than it was then. length: to the nearest joint that hangs on it, None where none does.
    """

    node: int
    name: str
    up: int
    carries: int
    off: float
    degrees: float
    stretch: list[float]
    length: float | None
    at_origin: bool
    singular: bool
    own_off: float = 0.0
    own_degrees: float = 0.0


class RigFigures(msgspec.Struct, frozen=True):
    """The nodes above a skin's joints. nodes: those that are scaled or turned; scale, degrees: what they make together; axes: along
    each axis, where that is not the same for all."""

    nodes: list[int]
    names: list[str]
    scale: float
    degrees: float
    axes: list[float] | None = None


class SkinOfModel(msgspec.Struct, frozen=True):
    """A skin. matrices: whether it has bind matrices. disagrees: a skin on the same joints that is bound otherwise, and by how much.

    same: the skin that names the very same joints before it. outside: positions of joints that the scene does not hold although it holds a
    part of the skin. root: the node that is named as the skeleton's root, where not all joints hang on it.
    """

    name: str
    joints: list[JointFigures]
    matrices: bool
    rig: RigFigures
    parts: list[int]
    size: float
    same: int | None = None
    disagrees: int | None = None
    disagrees_by: float = 0.0
    outside: list[int] = []
    root: int | None = None


class LooseFigures(msgspec.Struct, frozen=True):
    """A part that no joint carries although it touches one that is skinned: the joint that it would follow, and the gap."""

    node: int
    joint: int
    gap: float


class InverseFigures(msgspec.Struct, frozen=True):
    """A part whose own node undoes the scale of the rig that it hangs on."""

    node: int
    rig: int
    scale: float
    above: float


class SidesFigures(msgspec.Struct, frozen=True):
    """Two joints of both sides whose weights differ where the surface does not. vertices of samples, worst: greatest difference."""

    node: int
    left: int
    right: int
    vertices: int
    worst: float
    samples: int


class SkinMeasures(msgspec.Struct, frozen=True):
    parts: list[WeightFigures]
    skins: list[SkinOfModel]
    loose: list[LooseFigures]
    inverses: list[InverseFigures]
    sides: list[SidesFigures]
