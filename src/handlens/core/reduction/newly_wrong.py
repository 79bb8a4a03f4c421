"""What a reduced mesh has wrong that it had not before, and which openings are no longer there, counted on the stored surface."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..geometry.polygons import doubled
from ..geometry.topology import surface
from ..limits import plural
from ..scene.model import Mesh


class Wrong(NamedTuple):
    """Counts on a mesh: edges of more than two faces, faces there twice, faces back to back, faces without area. rim: length of all open
    edges, in the mesh's unit."""

    crowded: int
    alike: int
    opposed: int
    flat: int
    rim: float


def wrong_with(mesh: Mesh) -> Wrong:
    """Count what is wrong with a mesh."""
    top = surface(mesh)
    twice = doubled(mesh, top.ids, top.flat)
    place = np.zeros((top.welded, 3))
    place[top.ids] = mesh.positions
    ends = place[top.edges.pairs(np.flatnonzero(top.edges.uses == 1))]
    rim = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())
    return Wrong(int((top.edges.uses > 2).sum()), len(twice.alike), len(twice.opposed), top.zero_area, rim)


def newly_wrong(before: Wrong, after: Wrong, name: str, length: str) -> list[str]:
    """Sentences on what came to a part, and on openings that have closed. length: the rim before and after, in words."""
    kinds = (
        ("edge of three faces", "edges of three faces", after.crowded - before.crowded),
        ("duplicate face", "duplicate faces", after.alike - before.alike),
        ("face back to back with another", "faces back to back with another", after.opposed - before.opposed),
        ("face without area", "faces without area", after.flat - before.flat),
    )
    came = [plural(n, one, several) for one, several, n in kinds if n > 0]
    who = "A part" if name == "a part" else name
    out = [f"{who} got what it had not: {', '.join(came)}."] if came else []
    # A coarser rim is a little shorter; one that is much shorter has closed somewhere.
    if after.rim < 0.8 * before.rim:
        out.append(f"In {name} openings have closed: {length} of open rim.")
    return out
