"""Which material each face has."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

import numpy as np

from .compared import Compared, face_materials
from .rows import Row, differs, same

GROUP = "Materials"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of the material of each face."""
    if not compared.a.materials and not compared.b.materials:
        return
    name = lambda s, k: "none" if k < 0 else s.materials[k].name or "one without a name"
    wrong, places = 0, []
    pairs: Counter[tuple[int, int]] = Counter()
    for part in compared.parts:
        faces = compared.faces[part.sent, part.read_back]
        label_a, label_b = compared.labels(part)
        own_a, own_b = face_materials(compared.a.meshes[part.sent]), face_materials(compared.b.meshes[part.read_back])
        met = np.flatnonzero(faces.face >= 0)
        other = met[label_a[met] != label_b[faces.face[met]]]
        if len(other):
            wrong += len(other)
            places.append(compared.place(part, other))
            pairs.update(zip(own_a[other].tolist(), own_b[faces.face[other]].tolist(), strict=True))
    with_one = [sum(int(np.count_nonzero(face_materials(mesh) >= 0)) for mesh in s.meshes) for s in (compared.a, compared.b)]
    if wrong:
        (x, y), n = pairs.most_common(1)[0]
        where = f"{n:,} with {name(compared.b, y)} where {name(compared.a, x)} was, first on {places[0].part}"
        yield differs(
            GROUP, "Material of each face", f"{with_one[0]:,}", f"{with_one[1]:,}", f"{wrong:,} faces with another", where, places
        )
    else:
        yield same(GROUP, "Material of each face", f"{with_one[0]:,}")
