"""What a destination has read of a package: no more than it needs in order to draw, to count and to refuse."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ...words.arrays import F64, I64, Array

#: What no text and no database holds: control characters, and halves of a pair of surrogates, which JSON can say.
_NO_TEXT = re.compile("[\x00-\x1f\x7f\ud800-\udfff]")
#: Letters of a name that are told.
_LONGEST = 300


def plain_name(name: object) -> str:
    """A name as it can be told: cut, and with a sign in place of what is no text."""
    return _NO_TEXT.sub("\ufffd", str(name)[:_LONGEST])


@dataclass(frozen=True)
class Piece:
    """What is drawn in one call: triangles of one mesh in one material. points: (V, 3) float64, in the file's units. corners: (T, 3) int64 into
    them. uv: (V, 2) float64, its origin at the top left, None without any. material: its number, -1 without one. lines: pieces of lines and
    points, which are no triangles. influences: most joints with a weight on one vertex. bare: vertices that no joint carries."""

    points: F64
    corners: I64
    uv: Array | None = None
    material: int = -1
    lines: int = 0
    influences: int = 0
    bare: int = 0


def drawn_piece(piece: Piece) -> Piece:
    """A piece without the points that no triangle of it uses: what is not drawn is no part of a picture and lies nowhere."""
    used, corners = np.unique(piece.corners, return_inverse=True)
    if len(used) == len(piece.points):
        return piece
    return replace(
        piece, points=piece.points[used], corners=corners.reshape(-1, 3), uv=piece.uv[used] if piece.uv is not None else None
    )


@dataclass(frozen=True)
class Node:
    """A node of the scene. parent: number of its parent, -1 at the top. matrix: (4, 4) to the world. mesh, skin: numbers, -1 for none."""

    name: str
    parent: int
    matrix: Array
    mesh: int = -1
    skin: int = -1


@dataclass(frozen=True)
class Surface:
    """A material as it is drawn. colour: RGBA in 0 to 1, linear. image: number of the base colour's image, -1 for none."""

    name: str
    colour: tuple[float, float, float, float] = (0.8, 0.8, 0.8, 1.0)
    image: int = -1
    alpha: str = "opaque"
    cutoff: float = 0.5
    both_sides: bool = False
    #: Numbers of all images that it uses, the base colour's among them.
    images: tuple[int, ...] = ()


@dataclass(frozen=True)
class Picture:
    """An image of the package. name: as the model names it. data: its bytes, None where it is not in the package."""

    name: str
    data: bytes | None

    @cached_property
    def looked_at(self) -> tuple[str, int, int] | None:
        """Its kind, width and height in pixels; None where it is none that can be read."""
        from PIL import Image, UnidentifiedImageError

        try:
            with Image.open(io.BytesIO(self.data or b"")) as image:
                return (image.format or "").lower(), image.width, image.height
        except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
            return None

    @cached_property
    def pixels(self) -> Array | None:
        """(H, W, 4) uint8, at most 512 pixels along its longer side; None where it cannot be read."""
        from PIL import Image, UnidentifiedImageError

        try:
            with Image.open(io.BytesIO(self.data or b"")) as image:
                image.draft("RGB", (512, 512))
                image.thumbnail((512, 512))
                return np.asarray(image.convert("RGBA"))
        except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
            return None


@dataclass(frozen=True)
class Skeleton:
    """Joints of a skin by name, and the name of the joint above each, None at the top."""

    joints: list[str]
    above: list[str | None]


@dataclass(frozen=True)
class Received:
    """A package as a destination has read it. metres: of one unit where the format says so, else None. up: likewise."""

    ending: str
    nodes: list[Node]
    meshes: list[list[Piece]]
    surfaces: list[Surface]
    pictures: list[Picture]
    metres: float | None = None
    up: str | None = None
    skins: list[Skeleton] = field(default_factory=list)
    clips: list[str] = field(default_factory=list)
    cameras: int = 0
    lights: int = 0
    #: Names of extensions without which the model may not be drawn.
    required: list[str] = field(default_factory=list)

    @cached_property
    def drawn(self) -> list[Node]:
        """Nodes that bring a mesh."""
        return [node for node in self.nodes if node.mesh >= 0]

    def world(self, node: Node, piece: Piece) -> F64:
        """(V, 3) positions of a piece where a node draws it, in the file's units."""
        with np.errstate(all="ignore"):
            return piece.points @ node.matrix[:3, :3].T + node.matrix[:3, 3]
