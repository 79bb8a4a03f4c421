"""What is measured, as plain records: stored beside an inspection so that another sheet can judge without re-measuring.

Lengths are in file units and world space unless a name says otherwise.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from ..words.arrays import I32

#: Raised when a record's meaning changes, so that stored measures of an older version are made anew.
VERSION = 18


class SurfaceFigures(msgspec.Struct, frozen=True):
    """The surface of one mesh: how many of each, the elements being kept as arrays under the same names. Lengths in mesh units.

    by_corners: faces of 5 and more corners. most_bent: greatest distance of a corner off its face's plane, bent_share: as a share of the face.
    fan_out, diagonals: what cutting makes of them, as `polygons.Polygons` has it. holes: across, the
    largest first, at most 200. doubles: points of seams that were not joined, within each of `doubles.SHARES` of `size`, the box's diagonal; none
    of them lies further `apart` from what it belongs to.
    soft: edges that could be meant smooth or sharp, counted where no normals say so; faceted: share of them that normals make hard. feature: length that all but the shortest hundredth of the edges reach. two_faced: faces back to back with one of another slot. flat: whether all points lie in one plane. could_merge: a bound on the triangles that merging flat neighbours frees, could_take_back:
    on those that taking subdivision back does.
    """

    by_corners: dict[int, int]
    concave: int
    crossing: int
    bent: int
    most_bent: float
    bent_share: float
    fan_out: int
    diagonals: float
    needles: int
    alike: int
    opposed: int
    two_faced: int
    crowded: int
    pinched: int
    open_edges: int
    hole_count: int
    holes: list[float]
    doubles: list[int]
    apart: float
    patches: int
    non_orientable: int
    disagreeing: int
    normals_missing: bool
    normals_broken: int
    normals_uneven: int
    normals_opposed: int
    smeared: int
    soft: int
    faceted: float
    size: float
    feature: float
    flat: bool
    could_merge: int
    could_take_back: int


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
    slot_materials: list[int]
    unassigned_faces: int
    influences_max: int
    weights_off: int
    morphs: int
    pieces: int | None
    bounds_min: list[float] | None
    bounds_max: list[float] | None
    surface: SurfaceFigures
    uvs: list[UvFigures]
    shape_key: str | None = None
    #: Number of the first mesh that is stored over the very same positions: a file may share them.
    stored_as: int = 0
    #: Digest of everything that these figures were taken from; kept only where measures are to be used again.
    content: str | None = None
    #: Vertices without any weight, where the mesh has weights at all.
    unweighted: int = 0


class PartFigures(msgspec.Struct, frozen=True):
    """One mesh instance in the scene.

    spacing: gap of 32-bit floats where its numbers are coarsest, `distance` out: in the world, among its own stored vertices, or at
    the link of `coarse_node`, as `coarse` says. rounded: its shape is made of fewer than a thousand such steps already.
    """

    node: int
    name: str
    mesh: int
    bounds_min: list[float] | None
    bounds_max: list[float] | None
    farthest: float
    spacing: float
    distance: float
    coarse: str
    coarse_node: int
    rounded: bool
    skinned: bool
    #: World place of its own origin; radius that it sweeps when turned about the upright through it, and the least it could.
    pivot: list[float]
    sweep: float
    needed: float
    #: How many times its mesh it is: the mean length of its world matrix's columns; and the least of them.
    enlarges: float
    shrinks: float
    #: Flat, of few faces, and cut out by its material: what stands for a card that turns to the camera.
    card: bool
    #: What its own properties say that it is to the whole, "" where they say nothing.
    role: str = ""


class SideFigures(msgspec.Struct, frozen=True):
    """A part looked at from outside, or from within. turned: faces whose front looks away; covered: of these, drawn from both
    sides; floors: of these, that look wrong only from below. Areas in the world: wrong (of the turned), judged, undecided, hidden.
    confidence: 0.5 (a guess) to 1. met: share of what can be seen of the part that is of turned faces.
    """

    turned: int
    covered: int
    wrong: float
    judged: float
    undecided: float
    hidden: float
    confidence: float
    met: float
    floors: int


class FacingFigures(msgspec.Struct, frozen=True):
    """Which way one part's faces look. both: faces seen from both sides; unseen: faces that nobody sees from outside."""

    node: int
    outside: SideFigures
    inside: SideFigures
    both: int
    unseen: int
    unseen_triangles: int
    sampled: float


class WalkFigures(msgspec.Struct, frozen=True):
    """The walk-round test. worst: direction towards the viewer in world axes. open_holes: nodes of holes that show a back.
    backs_of: backs by the part that they are of.
    """

    directions: int
    rays: int
    backs: int
    worst: list[float] | None
    worst_share: float
    holes: int
    open_holes: list[int]
    backs_of: dict[int, int]


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
    #: Whether the file has no node of its own for it.
    held: bool
    #: World place of its origin.
    place: list[float]
    #: Layers and tags that its source gave it.
    tags: list[str] = []


#: How far scales may lie from 1, or apart, and still count as that: what formats round to.
TOLERANCE = 1e-4


def is_scaled(n: NodeFigures) -> bool:
    """Local scale not 1; a mirrored node counts."""
    return n.mirrored or max(abs(s - 1) for s in n.scale) > TOLERANCE


def is_uneven(n: NodeFigures) -> bool:
    """Axes of the local scale differ by more than 1e-4 of the largest."""
    sizes = [abs(s) for s in n.scale]
    return max(sizes) - min(sizes) > TOLERANCE * max(sizes)


class AlphaFigures(msgspec.Struct, frozen=True):
    """An image's alpha. mode: what suits it; cutoff: for a mask. Shares of all pixels: see (under 255), gone (to 25), solid (from
    230), fading (between, away from any rim). stray: faint pixels that are not meant, where it counts as opaque.
    histogram: pixels in 32 steps of alpha.
    """

    mode: str
    cutoff: float | None
    see: float
    gone: float
    solid: float
    fading: float
    stray: int
    lowest: int
    premultiplied: bool
    histogram: list[int]


class NormalMapFigures(msgspec.Struct, frozen=True):
    """An image taken for a normal map. Shares of the pixels looked at: unit (of length 1), outward (blue above half).
    green: up, down or undecided.
    """

    unit: float
    outward: float
    flat: bool
    green: str
    looked_at: int


class LookFigures(msgspec.Struct, frozen=True):
    """What kind of picture an image is. kind: its format by content. bits: of a channel. colours: distinct ones, of small
    pictures only. soft_steps: share of small steps among neighbours that differ. spread: standard deviation of the colours.
    signature: shrunk copy. dark, bright, soft_dark: shares of the sampled pixels all but black, bright, and between;
    dark_rim: share of the outermost pixels all but black.
    """

    kind: str
    bits: int
    digest: str
    sampled: int
    colours: int | None
    soft_steps: float
    grey: bool
    spread: float
    signature: bytes
    alpha: AlphaFigures | None
    normal: NormalMapFigures | None
    dark: float
    dark_rim: float
    bright: float
    soft_dark: float


class ShownFigures(msgspec.Struct, frozen=True):
    """What of its base colour image the faces of a material show, sampled evenly over their UVs. Shares of the samples: see
    (alpha under 250), gone (under 128), dark (all but black).
    """

    samples: int
    see: float
    gone: float
    dark: float


class UvFigures(msgspec.Struct, frozen=True):
    """One UV set of one mesh. Faces: missing (a corner without), not_finite, outside (0 to 1; of those along u, along v), flat (an area in space, none in
    the UVs), mirrored. span: whole tiles that the UVs reach over. collapsed: all in one point. islands, seams: pieces and edges
    where the UVs are cut. overlap: share of the covered texels that several faces of one slot cover, of a raster of
    `resolution` texels a side, None where it was not drawn; padding: least gap between islands, as a share of the tile.
    """

    missing: int
    not_finite: int
    outside: int
    outside_u: int
    outside_v: int
    flat: int
    mirrored: int
    span: float
    collapsed: bool
    islands: int
    seams: int
    overlap: float | None
    overlapping: int
    padding: float | None
    resolution: int


class DensityFigures(msgspec.Struct, frozen=True):
    """Pixels of the base colour image on a file unit of a part's surface: the middle by area, and the tenths at either end."""

    node: int
    median: float
    low: float
    high: float
    image: int


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
    look: LookFigures | None = None
    #: What materials use it as, each once.
    roles: list[str] = []


class InputFigures(msgspec.Struct, frozen=True):
    """One texture input. set_missing: some mesh with faces of the material lacks the UV set. strength: of a normal map or the like."""

    role: str
    image: int | None
    uv_set: int
    set_missing: bool
    strength: float | None
    #: Filters and wrapping by the standard's own numbers; empty where the format states none.
    sampler: dict[str, int] = {}


class MaterialFigures(msgspec.Struct, frozen=True):
    """same_as: the number of an earlier material that says the same but for its name. out_of_range: values in words."""

    name: str
    used_by_faces: int
    alpha_mode: str | None
    double_sided: bool | None
    defined: bool
    images: list[int]
    inputs: list[InputFigures]
    same_as: int | None
    out_of_range: list[str]
    alpha_cutoff: float | None = None
    opacity: float = 1.0
    emissive: bool = False
    shown: ShownFigures | None = None
    #: Ways of shading past base colour, metal and roughness, by the words of `slots.MODELS`.
    models: list[str] = []
    roughness: float | None = None
    metallic: float | None = None
    #: Highlight as formats with a shine and a highlight colour have it: exponent, and its brightest channel.
    shine: float | None = None
    highlight: float | None = None
    #: Brightest channel of the colours that its images of base colour and of glow are multiplied by.
    tint: float = 1.0
    glow_tint: float = 1.0
    #: How it is drawn where it goes: as alpha_mode says, else by its opacity and its input for alpha.
    drawn: str = "opaque"
    #: Alpha of colour and of an input for alpha in one, where it has such an input.
    alpha: AlphaFigures | None = None


class SkinFigures(msgspec.Struct, frozen=True):
    name: str | None
    joints: list[int]
    joint_names: list[str]


class ClipFigures(msgspec.Struct, frozen=True):
    name: str | None
    seconds: float
    channels: int


class TrialFigures(msgspec.Struct, frozen=True):
    """A mend that was offered, played on a copy. call: as the command line takes it. refused: why it does not apply. gone: ids of
    the findings that it was offered for and takes away. came: titles of those that come with it, by the sheet that has them.
    written: whether it was so in the model's own format too, written and read back. needs_format: the format in which it is, where that
    one cannot hold it.
    """

    call: str
    refused: str | None
    gone: list[str]
    came: dict[str, list[str]]
    costs: list[str]
    written: bool = False
    needs_format: str | None = None


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
    #: Empty where the model has more triangles than rays are cast against.
    facing: list[FacingFigures] = []
    walk: WalkFigures | None = None
    densities: list[DensityFigures] = []
    #: Digest of all that the two above were taken from; kept only where measures are to be used again.
    facing_key: str | None = None
    #: What came of mends that checks offered, where that was tried.
    trials: list[TrialFigures] = []
    #: Measures that stations take for themselves, by their slugs, as the stations store them.
    own: dict[str, bytes] = {}
    #: The versions of the records that they are stored as.
    own_versions: dict[str, int] = {}
    version: int = VERSION

    def array(self, key: str) -> I32:
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
        kept = _DECODER.decode(data)
        arrays = {k: np.frombuffer(v, np.int32) for k, v in kept.arrays.items()}
        return msgspec.structs.replace(kept, arrays=arrays)


# Made once, while this module is imported: the web server's threads must not work out the record's shape at the same
# moment (the library falls over there).
_DECODER = msgspec.msgpack.Decoder(Measures)


def _pack(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return value.astype(np.int32).tobytes()
    raise NotImplementedError(type(value))
