"""What several stations ask of parts: what is meant by one, and findings that are gathered over meshes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..declare.check import Elements, Finding, node_key, value
from ..measures import Measures
from ..measures.records import MeshFigures, PartFigures
from ..rules import Intent
from ..scene.faces import face_text
from ..words.calls import Call

#: Letters up to which faces are named one by one.
_NAMED = 2_000


def first_parts(measures: Measures) -> Iterator[tuple[PartFigures, MeshFigures]]:
    """The first part that shows each mesh at a size: what is wrong with a mesh is told once."""
    first: dict[int, PartFigures] = {}
    for part in measures.parts:
        if part.mesh not in first or (part.enlarges > 0 and not first[part.mesh].enlarges > 0):
            first[part.mesh] = part
    for part in measures.parts:
        if first[part.mesh] is part:
            yield part, measures.meshes[part.mesh]


def of_mesh(measures: Measures, part: PartFigures, name: str, kind: str, uv_set: int | None = None) -> Elements:
    """The elements that a mesh's measure kept under a name."""
    return Elements(kind, measures.array(f"mesh:{part.mesh}:{name}"), uv_set)


def named_faces(measures: Measures, part: PartFigures, name: str) -> str | None:
    """The faces that a mesh's measure kept under a name as a call names them; None where there are too many to be named one by one."""
    text = face_text(np.sort(measures.array(f"mesh:{part.mesh}:{name}")))
    return text if len(text) < _NAMED else None


def seen_from(intent: Intent, name: str) -> str:
    """How a part is looked at: its own word, else the model's. A shell inside looks inward on purpose."""
    own = intent.of_part(name)
    return own.seen_from or ("inverted" if own.role == "inner" else intent.seen_from)


def kind_of(intent: Intent, name: str) -> str | None:
    """What kind of thing a part is, by its own word in the intent, else the whole model's; None where neither is stated."""
    return intent.of_part(name).kind or intent.kind


def unit_of(measures: Measures) -> float:
    """Metres in a file unit; a unit that is not stated is read as a metre, of which Size tells."""
    return 1.0 if measures.unit_metres is None else measures.unit_metres


def counted(
    measures: Measures,
    part: PartFigures,
    count: int,
    title: str,
    name: str,
    kind: str,
    mend: str | Call = "",
    result: str = "",
) -> Finding:
    """A finding on one mesh of which none is wanted: how many, and the elements that its measure kept under a name.

    mend: what mends it on this part, by its id, with more parameters where it takes some.
    """
    called, more = (mend, {}) if isinstance(mend, str) else mend
    mends = (Call(called, {**more, "parts": [node_key(measures, part.node)]}),) if called else ()
    return Finding(
        title,
        value(count, "count"),
        value(0, "count"),
        count,
        part.name,
        part.node,
        of_mesh(measures, part, name, kind),
        mends,
        key=node_key(measures, part.node),
        result=result,
    )


def for_materials(measures: Measures, which: list[int], mend: str, **params: Any) -> tuple[Call, ...]:
    """The offer of a mend for some materials, as a finding holds it; nothing where their names do not tell them apart.

    Mends name materials: a name that is empty would stand for all of them, and one that others bear for those too.
    """
    names, all_names = [measures.materials[k].name for k in which], [x.name for x in measures.materials]
    if not all(n and all_names.count(n) == 1 for n in names):
        return ()
    return (Call(mend, {**params, "materials": names}),)
