"""A model as it is once it was written in a format and read back: what is only so in memory is no help to anybody."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePosixPath
from typing import NamedTuple

from .. import formats
from ..declare.check import Finding
from ..formats.table import BY_NAME
from ..judge.judge import Judgement, judge
from ..measures import Measures
from ..measures.known import Known, content_key
from ..packages import MemoryPackage
from ..route.measuring import measure
from ..rules import Intent, RuleSheet
from ..scene import Mesh, Scene

#: Formats that hold what the model's own may not, in the order in which they are tried.
_OTHERS = ("glb", "usdz", "dae")


class AsWritten(NamedTuple):
    """What was read back. judged: by each sheet."""

    measures: Measures
    judged: list[Judgement]


def own_format(scene: Scene) -> str:
    """The format that a model goes back out in: its own, or the first of those that hold most where that is only read."""
    return scene.format if BY_NAME[scene.format].written else _OTHERS[0]


def other_formats(scene: Scene) -> list[str]:
    """Formats that may hold what the model's own does not."""
    return [name for name in _OTHERS if name != own_format(scene)]


def read_back(scene: Scene, format_name: str) -> Scene:
    """The scene written in a format and opened afresh, with what lies beside it. Raises InputError where it cannot be."""
    stem = PurePosixPath(scene.main).stem if scene.main else "model"
    files = formats.write(scene, format_name, stem)
    main = next(iter(files))
    back = formats.read(MemoryPackage(files), main)
    # The very mesh that was written, where it came back the same in all it holds: what was worked out of it then still stands.
    known = {_mesh_key(mesh): mesh for mesh in scene.meshes}
    meshes = tuple(known.get(_mesh_key(mesh), mesh) for mesh in back.meshes)
    return back.with_(meshes=meshes, beside=scene.beside, former=scene.former, main=main)


def _mesh_key(mesh: Mesh) -> tuple[str, str, str, tuple[int, ...], str]:
    return content_key(mesh), mesh.id, mesh.name, mesh.slot_materials, repr(mesh.extras)


def as_written(scene: Scene, format_name: str, sheets: Sequence[RuleSheet], intent: Intent, known: Measures) -> AsWritten:
    """Write, read back, measure and judge. known: measures of which those of equal meshes are taken over. Raises InputError."""
    measures = measure(read_back(scene, format_name), known=Known(known))
    return AsWritten(measures, [judge(measures, sheet, intent) for sheet in sheets])


def is_gone(finding: Finding, before: Judgement, after: Judgement) -> bool:
    """Whether a finding of a model is gone, as two of its files say: one written as it is, one once it was mended.

    Where the file goes by other names than the model did, there must be fewer findings of its check.
    """
    if any(f.id == finding.id for f in before.findings):
        return all(f.id != finding.id for f in after.findings)
    told = [sum(f.check == finding.check for f in j.findings) for j in (before, after)]
    return told[1] < told[0] or not told[1]
