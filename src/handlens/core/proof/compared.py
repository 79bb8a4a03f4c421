"""Two scenes side by side: which node, mesh, face, material and image of one stands for which of the other. The aspects ask here."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..formats.table import BY_NAME
from ..geometry.adjacency import face_of_corner
from ..scene import Layer, Mesh, Scene
from ..scene.transforms import walk
from ..words.arrays import I64, Array
from .faces import Faces, match_faces, match_loose, refined
from .layers import LayerDifference, corner_attributes, layer_difference, quantisation_step
from .nodes import match_nodes
from .pairing import material_key, pair_by, pair_images, pair_materials
from .rows import Place
from .tolerances import DOUBLE, PLACES, SINGLE, UV_LEAST


@dataclass(frozen=True)
class Part:
    """A mesh and the one that it came back as, with the nodes that place them (none for a mesh that no node places)."""

    sent: int
    read_back: int
    nodes: tuple[tuple[int, int], ...]


class Compared:
    """a: what was sent, as the format can hold it. b: what was read back. single: whether numbers went through 32-bit floats. narrow: whether
    either may have gone through the whole numbers that colours are stored in.
    """

    def __init__(self, a: Scene, b: Scene, single: bool, narrow: bool = False) -> None:
        self.a, self.b, self.single, self.narrow = a, b, single, narrow
        self.step = SINGLE if single else DOUBLE
        #: Whether names are told apart at all: some formats have none.
        self.named = "names" in BY_NAME[b.format].holds

    @cached_property
    def nodes(self) -> dict[int, int]:
        return match_nodes(self.a, self.b)

    @cached_property
    def parts(self) -> list[Part]:
        """Meshes that stand for each other, each pair once."""
        found: dict[tuple[int, int], list[tuple[int, int]]] = defaultdict(list)
        for i, j in self.nodes.items():
            ma, mb = self.a.nodes[i].mesh, self.b.nodes[j].mesh
            if ma is not None and mb is not None:
                found[ma, mb].append((i, j))
        met_a, met_b = {k for k, _ in found}, {k for _, k in found}
        loose = [[k for k in range(len(s.meshes)) if k not in met] for s, met in ((self.a, met_a), (self.b, met_b))]
        shape = lambda m: (m.name, m.face_count, len(m.lines), len(m.points))
        keys = [[shape(s.meshes[k]) for k in some] for s, some in ((self.a, loose[0]), (self.b, loose[1]))]
        for x, y in pair_by(*keys):
            found.setdefault((loose[0][x], loose[1][y]), [])
        return [Part(ma, mb, tuple(nodes)) for (ma, mb), nodes in found.items()]

    def tolerance(self, part: Part) -> float:
        """Units by which a coordinate of a mesh may differ: what the number type costs at the farthest of them."""
        return PLACES * self.step * reach(self.a.meshes[part.sent])

    @cached_property
    def _matched(self) -> dict[tuple[int, int], Faces]:
        return {
            (part.sent, part.read_back): match_faces(
                self.a.meshes[part.sent], self.b.meshes[part.read_back], self.tolerance(part)
            )
            for part in self.parts
        }

    @cached_property
    def loose(self) -> dict[tuple[int, int], tuple[Array, Array]]:
        """Vertices of lines and points that stand for each other."""
        return {
            (part.sent, part.read_back): match_loose(
                self.a.meshes[part.sent], self.b.meshes[part.read_back], self.tolerance(part)
            )
            for part in self.parts
        }

    @cached_property
    def images(self) -> dict[int, int]:
        return pair_images(self.a, self.b)

    @cached_property
    def materials(self) -> dict[int, int]:
        """Material of the second scene for each of the first: by name, by what it says, then by the faces that have it."""
        return pair_materials(self.a, self.b, self.images, lambda: self._shared_faces())

    def _shared_faces(self) -> list[tuple[int, int, int]]:
        """Material of the first scene, of the second, and how many faces that stand for each other have the two."""
        counts: dict[tuple[int, int], int] = defaultdict(int)
        for part in self.parts:
            faces = self._matched[part.sent, part.read_back]
            met = faces.face >= 0
            ma, mb = face_materials(self.a.meshes[part.sent])[met], face_materials(self.b.meshes[part.read_back])[faces.face[met]]
            if len(ma):
                pairs, times = np.unique(np.stack([ma, mb], axis=1), axis=0, return_counts=True)
                for (x, y), n in zip(pairs.tolist(), times.tolist(), strict=True):
                    counts[x, y] += n
        return [(x, y, n) for (x, y), n in counts.items() if x >= 0 and y >= 0]

    @cached_property
    def faces(self) -> dict[tuple[int, int], Faces]:
        """Faces that stand for each other, doubled ones by what hangs on them."""
        out = {}
        for part in self.parts:
            a, b = self.a.meshes[part.sent], self.b.meshes[part.read_back]
            faces = self._matched[part.sent, part.read_back]
            wrong = self._wrong(part, faces)
            if len(wrong) > 1:
                label_a, label_b = self.labels(part)
                faces = refined(
                    faces, a, b, wrong, self.tolerance(part), corner_attributes(a, label_a), corner_attributes(b, label_b)
                )
            out[part.sent, part.read_back] = faces
        return out

    def labels(self, part: Part) -> tuple[I64, I64]:
        """A number for the material of each face of both meshes, the same where the materials stand for each other."""
        mine, theirs = self._label_tables
        return mine[face_materials(self.a.meshes[part.sent])], theirs[face_materials(self.b.meshes[part.read_back])]

    @cached_property
    def _label_tables(self) -> tuple[Array, Array]:
        """(M + 1,) label of each material of both scenes, the last for none. Of several that are the same, any does."""
        kinds: dict[tuple[str, str], int] = {}
        theirs = [
            kinds.setdefault((material.name, material_key(material, lambda k: k)), j)
            for j, material in enumerate(self.b.materials)
        ]
        mine = [theirs[self.materials[k]] if k in self.materials else -2 - k for k in range(len(self.a.materials))]
        return np.array([*mine, -1], np.int64), np.array([*theirs, -1], np.int64)

    def _wrong(self, part: Part, faces: Faces) -> I64:
        """Faces of the first mesh of which something differs that hangs on them."""
        mesh = self.a.meshes[part.sent]
        out = np.zeros(mesh.face_count, bool)
        if self.a.materials or self.b.materials:
            label_a, label_b = self.labels(part)
            met = faces.face >= 0
            out[met] = label_a[met] != label_b[faces.face[met]]
        corners = [d.corners() for d in self._first_layers[part.sent, part.read_back].values() if not d.none]
        if corners:
            owner = face_of_corner(mesh)
            out[owner[np.concatenate(corners)]] = True
        return np.flatnonzero(out)

    def _layers(self, part: Part, faces: Faces) -> dict[str, LayerDifference]:
        a, b = self.a.meshes[part.sent], self.b.meshes[part.read_back]
        at = lambda some, k: some[k] if k < len(some) else None
        pairs: dict[str, tuple[Layer | None, Layer | None, bool]] = {
            "Normals": (a.normals, b.normals, True),
            "Tangents": (a.tangents, b.tangents, True),
            **{f"UV set {k + 1}": (at(a.uvs, k), at(b.uvs, k), False) for k in range(max(len(a.uvs), len(b.uvs)))},
            **{
                f"Vertex colours {k + 1}": (at(a.colours, k), at(b.colours, k), False)
                for k in range(max(len(a.colours), len(b.colours)))
            },
        }
        # Directions and colours are 32-bit floats in most files, whatever positions are.
        step = lambda what: SINGLE if not what.startswith("UV") else max(self.step, UV_LEAST)
        whole = lambda what, *some: (
            max(map(quantisation_step, some)) if self.narrow and what.startswith("Vertex colours") else 0.0
        )
        return {
            what: layer_difference(x, y, faces, max(step(what), whole(what, x, y)), angle)
            for what, (x, y, angle) in pairs.items()
        }

    @cached_property
    def _first_layers(self) -> dict[tuple[int, int], dict[str, LayerDifference]]:
        """The same before doubled faces were told apart."""
        return {key: self._layers(part, self._matched[key]) for part in self.parts for key in [(part.sent, part.read_back)]}

    @cached_property
    def layers(self) -> dict[tuple[int, int], dict[str, LayerDifference]]:
        """What differs of each layer of each part."""
        out = {}
        for part in self.parts:
            key = (part.sent, part.read_back)
            kept = self.faces[key] is self._matched[key]
            out[key] = self._first_layers[key] if kept else self._layers(part, self.faces[key])
        return out

    # --- words -------------------------------------------------------------------------------

    def name(self, part: Part) -> str:
        if part.nodes:
            return self.a.part_name(part.nodes[0][0])
        return self.a.meshes[part.sent].name or f"mesh {part.sent}"

    def place(self, part: Part, faces: I64) -> Place:
        """Faces of the first mesh, as a place in the second where they are found there.

        faces: (n,) int, numbers of faces of the first mesh.
        """
        met = self.faces[part.sent, part.read_back].face
        there = met[faces]
        if len(there) and (there >= 0).any():
            return self.place_of(part, np.sort(there[there >= 0]))
        return self.place_of(part, faces.astype(np.int64), gone=True)

    def place_of(self, part: Part, faces: I64, gone: bool = False) -> Place:
        """Faces of the second mesh, or of the first where they are gone.

        faces: (n,) int, numbers of faces.
        """
        sent, read_back = part.nodes[0] if part.nodes else (None, None)
        return Place(self.name(part), sent, read_back, faces, gone)

    @cached_property
    def placed(self) -> tuple[set[int], set[int]]:
        """Nodes of the default scene of both."""
        return set(walk(self.a)), set(walk(self.b))


def reach(mesh: Mesh) -> float:
    """The farthest coordinate of a mesh, in its own units; never nothing."""
    if not mesh.positions.size:
        return 1e-12
    low, high = float(mesh.positions.min()), float(mesh.positions.max())
    if not np.isfinite(low) or not np.isfinite(high):
        finite = mesh.positions[np.isfinite(mesh.positions)]
        return max(float(np.abs(finite).max(initial=0.0)), 1e-12)
    return max(-low, high, 1e-12)


def face_materials(mesh: Mesh) -> I64:
    """(F,) int64 material of each face, -1 for none."""
    table = np.array([*mesh.slot_materials, -1], np.int64)
    if not len(mesh.slots):
        return np.full(mesh.face_count, table[0], np.int64)
    return table[np.where(mesh.slots < len(table), mesh.slots, len(table) - 1)]
