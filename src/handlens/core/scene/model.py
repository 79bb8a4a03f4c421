"""The neutral scene as frozen dataclasses over read-only numpy arrays.

Polygons keep their corners; nothing is triangulated, welded or guessed here. A change makes a new
object that shares whatever did not change, so a mend is cheap and undoing one is free.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from ..words.arrays import F32, F64, I32, I64, Array
from .matrices import compose


def frozen(array: Array) -> Array:
    """The same array, marked read-only.

    array: of any shape and type.
    """
    array.flags.writeable = False
    return array


#: Letters up to which a name is told as it is, and those that are told of a longer one.
_NAME, _TOLD = 1_000, 200


def readable(name: str) -> str:
    """A name, cut where it is too long for anybody to read, with a digest that tells it from another that begins alike."""
    if len(name) <= _NAME:
        return name
    return f"{name[:_TOLD]}… {hashlib.sha1(name.encode(errors='surrogatepass'), usedforsecurity=False).hexdigest()[:8]}"


@dataclass(frozen=True, eq=False)
class Layer:
    """One attribute with its own index, as normals, UVs and colours have.

    values: (N, k) float32 or float64. index: (C,) int32, one entry a corner, -1 where the corner has none.
    """

    values: Array
    index: I32

    def at_corners(self) -> Array:
        """(C, k) values, NaN where a corner has none."""
        if not len(self.values):
            return np.full((len(self.index), self.values.shape[1]), np.nan)
        taken = self.values[self.index]
        if (self.index < 0).any():
            taken = taken.astype(np.float64)
            taken[self.index < 0] = np.nan
        return taken


@dataclass(frozen=True, eq=False)
class Weights:
    """Skin weights as sparse rows: vertex v owns entries starts[v]:starts[v+1].

    starts: (V+1,) int64. joints: (E,) int32, position in the skin. weights: (E,) float32.
    """

    starts: I64
    joints: I32
    weights: F32


@dataclass(frozen=True, eq=False)
class Morph:
    """A morph target. positions: (V, 3) float64 offsets. normals: (N, 3) offsets on the normal layer's values, or None."""

    name: str
    positions: F64
    normals: F32 | None = None


def _empty(shape: tuple[int, ...], dtype: Any) -> Callable[[], Array]:
    return lambda: frozen(np.zeros(shape, dtype))


@dataclass(frozen=True, eq=False)
class Mesh:
    """A mesh data block.

    positions: (V, 3) float64, file units, mesh space. corners: (C,) int32 vertex of each corner.
    starts: (F+1,) int64, first corner of each face. slots: (F,) int32 index into slot_materials.
    slot_materials: material index of each slot, -1 for none. smooth: (F,) int32 smoothing group or None.
    groups: (F,) int32 index into group_names, the names of sets of faces, or None.
    lines: (L, 2) int32. points: (P,) int32. Faces, lines and points are in file order.
    """

    id: str
    name: str
    positions: F64
    corners: I32 = field(default_factory=_empty((0,), np.int32))
    starts: I64 = field(default_factory=_empty((1,), np.int64))
    slots: I32 = field(default_factory=_empty((0,), np.int32))
    slot_materials: tuple[int, ...] = ()
    uvs: tuple[Layer, ...] = ()
    normals: Layer | None = None
    tangents: Layer | None = None
    colours: tuple[Layer, ...] = ()
    smooth: I32 | None = None
    groups: I32 | None = None
    group_names: tuple[str, ...] = ()
    lines: I32 = field(default_factory=_empty((0, 2), np.int32))
    points: I32 = field(default_factory=_empty((0,), np.int32))
    weights: Weights | None = None
    morphs: tuple[Morph, ...] = ()
    morph_weights: tuple[float, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def face_count(self) -> int:
        return len(self.starts) - 1

    @cached_property
    def corner_counts(self) -> I64:
        """(F,) int64 corners of each face."""
        return frozen(np.diff(self.starts))

    @cached_property
    def triangle_count(self) -> int:
        """Triangles after triangulation: a face of n corners counts n - 2."""
        return int(np.maximum(self.corner_counts - 2, 0).sum())

    @cached_property
    def only_triangles(self) -> bool:
        return len(self.corners) == 3 * self.face_count and bool((self.corner_counts == 3).all())

    @cached_property
    def used_slots(self) -> tuple[int, ...]:
        """Slots that faces have, ascending; the first for faces that state none."""
        if not len(self.slots):
            return (0,) if self.face_count else ()
        return tuple(np.flatnonzero(np.bincount(self.slots[self.slots >= 0])).tolist())

    def layers(self) -> list[Layer]:
        """Every per-corner layer: normals, UV sets, colours, tangents."""
        single = [layer for layer in (self.normals, self.tangents) if layer is not None]
        return [*self.uvs, *self.colours, *single]


#: Ends the id of a node that the file has none for: one of several things that hang on one node there.
HELD = "/held"


@dataclass(frozen=True, eq=False)
class Node:
    """A node of the tree. Either TRS (rotation as quaternion x, y, z, w) or a column-vector 4x4 matrix."""

    id: str
    name: str
    translation: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)
    matrix: F64 | None = None
    children: tuple[int, ...] = ()
    mesh: int | None = None
    skin: int | None = None
    camera: int | None = None
    light: int | None = None
    hidden: bool = False
    morph_weights: tuple[float, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict)

    @cached_property
    def local(self) -> F64:
        """(4, 4) float64 local matrix."""
        if self.matrix is not None:
            return self.matrix
        return frozen(compose(self.translation, self.rotation, self.scale))


@dataclass(frozen=True, eq=False)
class TextureInput:
    """An image plugged into a material: which image, which UV set, how it is sampled, where it is shifted to.

    `path` is where the input sits in the material's description, for instance ("normalTexture",).
    `channel` is the one that is taken of the image: r, g, b, a, or l for luminance, with a minus where it says the opposite,
    "" for what the role takes by itself. `sampler` and `transform` keep the standard's own keys. `scale` is normal strength or occlusion strength. `options` holds
    what else its format said of it, without anything that a field is for.
    """

    role: str
    path: tuple[str, ...]
    image: int | None
    uv_set: int = 0
    sampler: Mapping[str, Any] = field(default_factory=dict)
    transform: Mapping[str, Any] | None = None
    scale: float | None = None
    channel: str = ""
    options: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Material:
    """A material: the values every format shares, its texture inputs, and in `source` whatever else its format said of it.

    alpha_mode is "opaque", "mask", "blend" or None where the format cannot say; so is double_sided. What a field says stands in
    the field alone: `source` holds only keys that no field is for, in the words of the format that they came from.
    """

    id: str
    name: str
    base_colour: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    metallic: float | None = None
    roughness: float | None = None
    emissive: tuple[float, float, float] = (0.0, 0.0, 0.0)
    alpha_mode: str | None = None
    alpha_cutoff: float | None = None
    double_sided: bool | None = None
    inputs: tuple[TextureInput, ...] = ()
    defined: bool = True
    source: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Image:
    """An image by reference or embedded. Bytes are kept as they came and opened only when asked for.

    status: embedded, found, other-case, missing or absolute. found_at: package path where it was found. keep: inside or beside,
    where a mend says so, for formats that can have it either way.
    """

    id: str
    name: str
    reference: str
    status: str
    found_at: str | None = None
    media_type: str | None = None
    load: Callable[[], bytes] | None = None
    keep: str | None = None

    def bytes(self) -> bytes | None:
        """The file's bytes, or None where the image is missing."""
        return None if self.load is None else self.load()


@dataclass(frozen=True, eq=False)
class Neighbour:
    """A file that came with the model and that the model does not name. role: image, side-file or model. origin: where it is
    from: the package itself, a folder that was searched, or an earlier upload.
    """

    path: str
    role: str
    origin: str
    size: int
    load: Callable[[], bytes]
    #: Whether a mend wrote it anew, so that it belongs to what is exported.
    changed: bool = False


@dataclass(frozen=True, eq=False)
class Skin:
    """joints: node indices. inverse_bind: (J, 4, 4) float64 column-vector matrices, or None for identity."""

    id: str
    name: str | None
    joints: tuple[int, ...]
    inverse_bind: F64 | None = None
    skeleton: int | None = None


@dataclass(frozen=True, eq=False)
class Channel:
    """One animated property. path: translation, rotation, scale or weights.

    times: (K,) float32 seconds. values: (K, n) float32, or (3K, n) for CUBICSPLINE (in-tangent, value, out-tangent).
    """

    node: int | None
    path: str
    times: F32
    values: F32
    interpolation: str = "LINEAR"


@dataclass(frozen=True, eq=False)
class Clip:
    id: str
    name: str | None
    channels: tuple[Channel, ...]

    @cached_property
    def seconds(self) -> float:
        """Length: the last key of any channel, as the clip's timeline begins at zero."""
        finite = [float(channel.times.max()) for channel in self.channels if len(channel.times)]
        return max(finite, default=0.0)


@dataclass(frozen=True, eq=False)
class Camera:
    name: str
    source: Mapping[str, Any]


@dataclass(frozen=True, eq=False)
class Light:
    name: str
    source: Mapping[str, Any]


@dataclass(frozen=True)
class Problem:
    """Something in the file that its reader could keep only in part. kind is a stable word, `text` one sentence."""

    kind: str
    text: str
    where: str = ""


@dataclass(frozen=True, eq=False)
class Scene:
    """A whole file, neutral. unit_metres and up_axis are None where the file does not state them. files: those that were read,
    with their roles. file_bytes: how large they and the model file were, by path, where that is known. beside: those that came along
    unnamed. main: the package path of the model file, where it is known.
    former: names that things had before mends, or in the revision before. v_down: v of UVs counts downwards from the image's
    top, else upwards from its bottom. linear: colours are linear light, else as they are shown.
    """

    format: str
    nodes: tuple[Node, ...]
    roots: tuple[int, ...]
    meshes: tuple[Mesh, ...]
    materials: tuple[Material, ...] = ()
    images: tuple[Image, ...] = ()
    skins: tuple[Skin, ...] = ()
    clips: tuple[Clip, ...] = ()
    cameras: tuple[Camera, ...] = ()
    lights: tuple[Light, ...] = ()
    unit_metres: float | None = None
    up_axis: str | None = None
    handedness: str = "right"
    problems: tuple[Problem, ...] = ()
    files: tuple[tuple[str, str], ...] = ()
    file_bytes: Mapping[str, int] = field(default_factory=dict)
    beside: tuple[Neighbour, ...] = ()
    main: str = ""
    former: frozenset[str] = frozenset()
    v_down: bool = False
    linear: bool = False
    extras: Mapping[str, Any] = field(default_factory=dict)

    def with_(self, **changes: Any) -> Scene:
        """A copy with some fields changed; everything else is shared."""
        return replace(self, **changes)

    def part_name(self, node: int) -> str:
        """The node's name, else its mesh's, else node[i]; one that nobody could read is short and still its own."""
        n = self.nodes[node]
        if n.name:
            return readable(n.name)
        if n.mesh is not None and self.meshes[n.mesh].name:
            return readable(self.meshes[n.mesh].name)
        return f"node[{node}]"
