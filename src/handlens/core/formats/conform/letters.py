"""Letters of names that a text format cannot hold: control characters, which JSON alone lets through."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from ...scene import Scene
from .messages import say
from .steps import ExportLoss, Step, Target

#: Extensible Markup Language (XML) 1.0, production 2 "Char", less the blanks that are not kept as they are in attributes.
_UNFIT = re.compile("[\x00-\x1f\x7f\ud800-\udfff\ufffe\uffff]")
_KINDS = ("nodes", "meshes", "materials", "images", "skins", "clips", "cameras", "lights")


def _plain(name: Any) -> Any:
    return _UNFIT.sub("_", name) if isinstance(name, str) else name


def _named(scene: Scene) -> Iterator[Any]:
    for kind in _KINDS:
        yield from (x.name for x in getattr(scene, kind))
    for mesh in scene.meshes:
        yield from mesh.group_names
        yield from (morph.name for morph in mesh.morphs)


def _tell(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.family == "gltf":
        return []
    changed = [name for name in _named(scene) if name and _plain(name) != name]
    if not changed:
        return []
    text = say("loss.control-characters", count=len(changed), title=target.format.title)
    return [ExportLoss("Parts", "Control characters", text, f"{len(changed):,}", "0")]


def _apply(scene: Scene, _: Target) -> Scene:
    kinds = {kind: tuple(replace(x, name=_plain(x.name)) for x in getattr(scene, kind)) for kind in _KINDS}
    kinds["meshes"] = tuple(
        replace(m, group_names=tuple(map(_plain, m.group_names)), morphs=tuple(replace(x, name=_plain(x.name)) for x in m.morphs))
        for m in kinds["meshes"]
    )
    return scene.with_(**kinds)


STEPS = (Step("control characters", _tell, _apply),)
