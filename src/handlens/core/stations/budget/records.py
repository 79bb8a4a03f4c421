"""What Budget measures for itself, as plain records. Lengths in the mesh's unit; faces are kept under "budget:mesh:flat"."""

from __future__ import annotations

import msgspec


class TrianglesOf(msgspec.Struct, frozen=True):
    """Where the triangles of a mesh are, and where its vertices come from.

    freed: triangles that merging what lies flat frees. steps: of regular subdivision that can be taken back, to `before` triangles;
    bent: how far points that go then lie off the middles of their sides, at most. sizes: (quarter octave, triangles) of their longest
    sides, a size s in octave floor(4 log2 s). points: distinct positions; by_normals, by_uvs, by_colours: how many vertices there
    would be if only those told them apart.
    """

    mesh: int
    freed: int = 0
    steps: int = 0
    before: int = 0
    bent: float = 0.0
    sizes: list[tuple[int, int]] = []
    points: int = 0
    by_normals: int = 0
    by_uvs: int = 0
    by_colours: int = 0


class BudgetMeasures(msgspec.Struct, frozen=True):
    """meshes: those that a part shows, by number."""

    meshes: list[TrianglesOf] = []
