"""Pictures that name a UV set which the meshes do not have: written by the first one, and said so."""

from __future__ import annotations

from dataclasses import replace

from ...geometry.recut import used_materials
from ...scene import Material, Scene, TextureInput
from .messages import say
from .steps import ExportLoss, Step, Target


def fewest_sets(scene: Scene) -> dict[int, int]:
    """For each material that faces use, the fewest UV sets of any mesh with faces of it."""
    found: dict[int, int] = {}
    for mesh in scene.meshes:
        for material in used_materials(mesh):
            found[material] = min(found.get(material, len(mesh.uvs)), len(mesh.uvs))
    return found


def is_lost(texture: TextureInput, sets: int | None) -> bool:
    """Whether an input names a set that is not there although there is one."""
    return texture.image is not None and sets is not None and 0 < sets <= texture.uv_set


def by_first(scene: Scene) -> tuple[Scene, int]:
    """The scene in which such inputs name the first set, and how many they are."""
    sets = fewest_sets(scene)
    count = 0
    changed: list[Material] = []
    for k, material in enumerate(scene.materials):
        lost = [is_lost(texture, sets.get(k)) for texture in material.inputs]
        count += sum(lost)
        inputs = tuple(replace(texture, uv_set=0) if bad else texture for texture, bad in zip(material.inputs, lost, strict=True))
        changed.append(replace(material, inputs=inputs) if any(lost) else material)
    return (scene.with_(materials=tuple(changed)), count) if count else (scene, 0)


def _tell(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("materials"):
        return []
    n = by_first(scene)[1]
    text = say("loss.lost-uv-set", count=n)
    return [ExportLoss("Materials", "UV sets of pictures", text, f"{n:,}", "0")] if n else []


STEPS = (Step("UV sets that are not there", _tell, lambda s, _: by_first(s)[0], choice=True),)
