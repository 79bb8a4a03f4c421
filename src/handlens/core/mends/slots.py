"""Slots: merge, remove, assign, switch off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ..limits import MendError, plural
from ..measures.slots import equal_materials
from ..scene import Material, Mesh, Scene
from ..scene.model import frozen
from .choice import PARTS, chosen_meshes
from .registry import Figure, Outcome, Parameter, mend


@mend(
    "slots.merge-equal",
    title="Merge equal materials",
    keeps="how everything looks",
    costs="the names of those that are merged into another",
    safe=True,
)
def merge_equal(scene: Scene) -> Outcome:
    """Give the faces of materials that differ in nothing but their name to the first of them, and drop the others."""
    twins = equal_materials(scene)
    if not twins:
        raise MendError("No two materials say the same.")
    moved = scene.with_(
        meshes=tuple(
            _one_slot_each(replace(m, slot_materials=tuple(twins.get(k, k) for k in m.slot_materials))) for m in scene.meshes
        )
    )
    after = _without(moved, set(twins))
    return Outcome(after, (Figure("materials", f"{len(scene.materials):,}", f"{len(after.materials):,}"),))


@mend(
    "slots.remove-unused",
    title="Remove unused materials",
    keeps="everything that is drawn",
    costs="materials that no face uses",
    safe=True,
)
def remove_unused(scene: Scene) -> Outcome:
    """Drop materials that no face uses, and slots without faces."""
    meshes = tuple(_only_used_slots(m) for m in scene.meshes)
    used = {k for m in meshes for k in m.slot_materials}
    gone = {k for k in range(len(scene.materials)) if k not in used}
    if not gone:
        raise MendError("Every material is used.")
    after = _without(scene.with_(meshes=meshes), gone)
    return Outcome(after, (Figure("materials", f"{len(scene.materials):,}", f"{len(after.materials):,}"),))


@mend(
    "slots.assign", title="Give faces a material", keeps="faces that have one", costs="nothing", safe=False,
    parameters=[Parameter("material", "text", "name of the material that faces without one take"), PARTS],
)  # fmt: skip
def assign(scene: Scene, material: str, parts: Sequence[str] = ()) -> Outcome:
    """Give a material of the model to every face that has none."""
    number = next((k for k, m in enumerate(scene.materials) if m.name == material), None)
    if number is None:
        raise MendError(f"The model has no material {material!r}.")
    meshes, count = list(scene.meshes), 0
    for k in chosen_meshes(scene, parts):
        mesh = meshes[k]
        bare = np.isin(mesh.slots, [s for s, m in enumerate(mesh.slot_materials) if m < 0])
        if bare.any():
            count += int(bare.sum())
            meshes[k] = _one_slot_each(replace(mesh, slot_materials=tuple(number if m < 0 else m for m in mesh.slot_materials)))
    if not count:
        raise MendError("Every face has a material.")
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces without a material", f"{count:,}", "0"),))


@mend("slots.switch-off", title="Switch empty inputs off", keeps="every image that is there", costs="nothing", safe=True)
def switch_off(scene: Scene) -> Outcome:
    """Take inputs away that have no image behind them, so that nothing waits for one."""
    count = sum(t.image is None for m in scene.materials for t in m.inputs)
    if not count:
        raise MendError("Every input has an image.")
    materials = tuple(_plugged(m) for m in scene.materials)
    return Outcome(scene.with_(materials=materials), (Figure(f"{plural(count, 'empty input')}", f"{count:,}", "0"),))


def _plugged(m: Material) -> Material:
    """A material without its empty inputs, in its own description too."""
    source: Any = m.source
    for t in m.inputs:
        if t.image is None:
            source = _without_path(source, t.path)
    return replace(m, inputs=tuple(t for t in m.inputs if t.image is not None), source=source)


def _without_path(tree: Any, path: tuple[str, ...]) -> Any:
    if not path or not isinstance(tree, Mapping) or path[0] not in tree:
        return tree
    if len(path) == 1:
        return {k: v for k, v in tree.items() if k != path[0]}
    return {k: _without_path(v, path[1:]) if k == path[0] else v for k, v in tree.items()}


def _one_slot_each(mesh: Mesh) -> Mesh:
    """The mesh with one slot a material, in the order in which they are first met."""
    order = list(dict.fromkeys(mesh.slot_materials))
    if len(order) == len(mesh.slot_materials):
        return mesh
    into = np.array([order.index(m) for m in mesh.slot_materials], np.int32)
    return replace(mesh, slots=frozen(into[mesh.slots]) if len(mesh.slots) else mesh.slots, slot_materials=tuple(order))


def _only_used_slots(mesh: Mesh) -> Mesh:
    used = (
        np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) > 0
        if len(mesh.slots)
        else np.zeros(len(mesh.slot_materials), bool)
    )
    if used.all():
        return mesh
    number = (np.cumsum(used) - 1).astype(np.int32)
    kept = tuple(m for m, keep in zip(mesh.slot_materials, used, strict=True) if keep)
    return replace(mesh, slots=frozen(number[mesh.slots]) if len(mesh.slots) else mesh.slots, slot_materials=kept)


def _without(scene: Scene, gone: set[int]) -> Scene:
    """The scene without some materials, all references following; nothing may use them any more."""
    kept = [k for k in range(len(scene.materials)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)} | {-1: -1}
    meshes = tuple(replace(m, slot_materials=tuple(number[k] for k in m.slot_materials)) for m in scene.meshes)
    return scene.with_(materials=tuple(scene.materials[k] for k in kept), meshes=meshes)
