"""Textures: a picture put into an input of a material."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...formats.conform.looks import common
from ...formats.table import BY_NAME
from ...limits import MendError
from ...packages.containers import clean_path
from ...scene import Image, Material, Scene, TextureInput
from ...surface.pictures import media_type
from .mends import file_meant, shown_as_named
from .messages import say

#: Inputs that a picture may be put into, as the trade calls them.
_ROLES = ("base-colour", "normal", "occlusion", "emissive", "metallic-roughness", "roughness", "metallic", "alpha", "bump")


@mend(
    "textures.put-in",
    title="Put a picture into a material",
    button="Put {file} into {materials}",
    keeps="every other input, and the values of the material but for a glow that black switched off",
    costs="the picture that was in that input",
    promise=PLACES,
    safe=False,
    parameters=[
        Parameter("materials", "names", "which materials, by name with semicolons between"),
        Parameter("file", "text", "an image of the model by its name, or a file that came with it"),
        Parameter("role", "choice", "which input it goes into", _ROLES, "base-colour"),
        Parameter("set", "number", "the UV set that it is laid on by, the first being 1", default=1.0, zero=False),
    ],
    touches="neither",
)
def put_in(scene: Scene, materials: Sequence[str], file: str, role: str = "base-colour", set: float = 1.0) -> Outcome:
    """Put an image of the model, or a file that came with it, into an input of materials, laid on by a UV set of its own."""
    wanted = [k for k, m in enumerate(scene.materials) if m.name in materials or f"{m.name}~{k}" in materials]
    if not wanted:
        raise MendError(say("textures.put-in.no-such-material", material="; ".join(materials)))
    number = int(set) - 1
    if set != int(set) or not 0 <= number <= 7:
        raise MendError(say("textures.uv-set-number"))
    held = common.ROLES.get(scene.format, common.ROLES["usda"] if scene.format == "usdc" else frozenset({"base-colour"}))
    if role not in held:
        raise MendError(
            say(
                "textures.put-in.no-such-input",
                format=BY_NAME[scene.format].short,
                role=role,
                inputs=", ".join(r for r in _ROLES if r in held),
            )
        )
    image, images = _image(scene, file)
    made = list(scene.materials)
    for k in wanted:
        made[k] = _with_input(made[k], role, image, number)
    if all(a is b for a, b in zip(made, scene.materials, strict=True)):
        raise MendError(say("textures.put-in.already"))
    bare = sum(
        number >= len(mesh.uvs) and any(m in wanted for m in mesh.slot_materials) for mesh in scene.meshes if mesh.face_count
    )
    remarks = (say("textures.put-in.no-uvs", parts=bare, set=number + 1),) if bare else ()
    before = sum(t.image is not None for m in scene.materials for t in m.inputs)
    after = scene.with_(materials=tuple(made), images=images)
    figure = Figure("inputs with a picture", f"{before:,}", f"{sum(t.image is not None for m in made for t in m.inputs):,}")
    return Outcome(after, (figure,), remarks)


def _image(scene: Scene, file: str) -> tuple[int, tuple[Image, ...]]:
    """The number of an image by its name, and all images; one that only lay beside the model is added. Raises MendError."""
    known = [k for k, i in enumerate(scene.images) if file in (i.name, i.reference, i.found_at)]
    if known:
        return known[0], scene.images
    found = file_meant(scene, file)
    name = clean_path(found.path).rpartition("/")[2]
    new = replace(
        shown_as_named(Image(f"image:{len(scene.images)}", name, found.path, "found"), found.path),
        load=found.load,
        media_type=media_type(found.load()),
    )
    return len(scene.images), (*scene.images, new)


def _with_input(material: Material, role: str, image: int, uv_set: int) -> Material:
    """The material with an image in an input; as it is where it is there already."""
    if role == "emissive" and max(material.emissive) <= 0:
        # Black switches a glow off, whatever its picture.
        material = replace(material, emissive=(1.0, 1.0, 1.0))
    now = next((t for t in material.inputs if t.role == role), None)
    if now is not None:
        if (now.image, now.uv_set) == (image, uv_set):
            return material
        inputs = tuple(replace(t, image=image, uv_set=uv_set, transform=None) if t is now else t for t in material.inputs)
        return replace(material, inputs=inputs)
    return replace(material, inputs=(*material.inputs, TextureInput(role, common.PLACES.get(role, ()), image, uv_set)))
