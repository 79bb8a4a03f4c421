"""Images: which come along, of which kind, and under which file name."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Collection
from dataclasses import replace

from ...limits import plural
from ...scene import Image, Scene
from ...scene.transforms import walk
from ...surface.names import as_file, file_names
from ...surface.pictures import BY_EXTENSION, ENDING_BY_MEDIA, media_type
from .accepted import PLAIN_KINDS, accepted, left_out, reencoded_images
from .looks.common import native
from .messages import say
from .steps import ExportLoss, Step, Target

_GROUP = "Images"


def _kinds(scene: Scene, target: Target) -> Collection[str] | None:
    """Media types that go out as they came; None for any."""
    if target.format.family == "gltf":
        return PLAIN_KINDS | set(BY_EXTENSION) if native(scene, target) else PLAIN_KINDS
    return PLAIN_KINDS if target.format.name in ("3mf", "usdz") else None


def used_images(scene: Scene) -> set[int]:
    """Numbers of the images that some material uses."""
    return {texture.image for material in scene.materials for texture in material.inputs if texture.image is not None}


def only_images(scene: Scene, images: Collection[int]) -> Scene:
    """The scene with some images alone, all references following; an input of one that is gone goes with it."""
    order = sorted(images)
    number = {old: new for new, old in enumerate(order)}
    materials = tuple(
        replace(
            material,
            inputs=tuple(
                replace(texture, image=None if texture.image is None else number[texture.image])
                for texture in material.inputs
                if texture.image is None or texture.image in number
            ),
        )
        for material in scene.materials
    )
    return scene.with_(materials=materials, images=tuple(scene.images[k] for k in order))


def _tell_none(scene: Scene, target: Target) -> list[ExportLoss]:
    if not scene.images or (target.lacks("images") and scene.materials):
        # Where materials are left out it is said of them.
        return []
    if target.options.images != "none" and not target.lacks("images"):
        return []
    return [ExportLoss(_GROUP, "Images", say("loss.no-images"), f"{len(scene.images):,}", "0")]


def _tell_unused(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("images") or not target.lacks("unused images"):
        return []
    n = len(scene.images) - len(used_images(scene))
    text = say("loss.unused-images", count=n)
    return [ExportLoss(_GROUP, "Unused images", text, f"{n:,}", "0")] if n else []


def _tell_empty(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("images") or not target.lacks("empty inputs"):
        return []
    n = sum(texture.image is None for material in scene.materials for texture in material.inputs)
    text = say("loss.inputs-without-image", count=n)
    return [ExportLoss("Materials", "Empty inputs", text, f"{n:,}", "0")] if n else []


def _without_empty(scene: Scene, _: Target) -> Scene:
    full = lambda m: replace(m, inputs=tuple(texture for texture in m.inputs if texture.image is not None))
    return scene.with_(materials=tuple(full(material) for material in scene.materials))


def _tell_missing(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("images") or not target.lacks("missing images"):
        return []
    gone = [scene.images[k].reference for k in sorted(used_images(scene)) if scene.images[k].load is None]
    if not gone:
        return []
    text = say("loss.missing-images", count=len(gone), first=gone[0])
    return [ExportLoss(_GROUP, "Missing images", text, f"{len(gone):,}", "0")]


def _without_missing(scene: Scene, _: Target) -> Scene:
    return only_images(scene, [k for k, i in enumerate(scene.images) if i.load is not None])


def _tell_kinds(scene: Scene, target: Target) -> list[ExportLoss]:
    kinds = None if target.lacks("images") else _kinds(scene, target)
    if kinds is None:
        return []
    title = {"glb": "glTF", "gltf": "glTF", "3mf": "3MF"}.get(target.format.name, "a USD package")
    return [ExportLoss(_GROUP, "Kinds of images", text) for text in reencoded_images(scene, kinds, title)]


def _as_kinds(scene: Scene, target: Target) -> Scene:
    kinds = _kinds(scene, target)
    return scene if kinds is None else accepted(scene, kinds)


def _tell_other_kinds(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.name not in ("3mf", "usdz"):
        return []
    n = left_out(scene, PLAIN_KINDS)
    words = ", which alone a package may hold," if target.format.name == "usdz" else ""
    text = say("loss.other-images", count=n, words=words)
    return [ExportLoss(_GROUP, "Other kinds of images", text, f"{n:,}", "0")] if n else []


def _only_kinds(scene: Scene, _: Target) -> Scene:
    kept = [k for k, i in enumerate(scene.images) if i.load is None or media_type(i.bytes() or b"") in PLAIN_KINDS]
    return only_images(scene, kept)


# --- names of files -----------------------------------------------------------------------------------


def lies_inside(image: Image, target: Target) -> bool:
    """Whether an image lies in the file itself, without a name of its own. Only glTF has such.

    The wish of the export comes first, then that of a mend. Else what lay beside a GLB goes on lying beside it, and all other images go
    inside.
    """
    if target.format.family != "gltf":
        return False
    wish = target.options.images
    stays = target.came_as == "glb" and image.status in ("found", "other-case")
    own = wish == "embedded" or (target.format.name == "glb" and wish != "beside" and not stays)
    return own if wish != "as-format" or image.keep is None else image.keep == "inside"


def base_name(image: Image) -> str:
    """The last piece of where an image is."""
    return (image.found_at or image.reference or image.name).replace("\\", "/").rpartition("/")[2]


def image_files(scene: Scene, target: Target) -> dict[int, str]:
    """Relative path of each image where it lies beside the model."""
    taken = {f"{target.stem}.{e}" for e in ("obj", "mtl", "dae", "usda", "bin", "gltf", "glb")}
    folder = target.options.folder.replace("{model}", target.stem).strip("/")
    pattern = target.options.image_names
    images = _by_pattern(scene, pattern, target.stem) if pattern else scene.images
    if target.format.name in ("3mf", "usdz"):
        return file_names(images, ENDING_BY_MEDIA, taken)
    names = file_names(images, ENDING_BY_MEDIA, taken, folder)
    return names if target.home is None or pattern else names | _in_their_places(scene, names, target.home)


def _by_pattern(scene: Scene, pattern: str, model: str) -> tuple[Image, ...]:
    """Images under the names that a pattern gives them, by the first material, role and part that use each; those that nothing uses keep theirs.

    What is beside them in a name is kept from making folders: a slash in a material's name is no slash of a path.
    """
    uses: dict[int, tuple[int, str]] = {}
    for number, material in enumerate(scene.materials):
        for texture in material.inputs:
            if texture.image is not None:
                uses.setdefault(texture.image, (number, texture.role))
    parts: dict[int, str] = {}
    for index in walk(scene):
        mesh = scene.nodes[index].mesh
        for number in scene.meshes[mesh].slot_materials if mesh is not None else ():
            parts.setdefault(number, scene.part_name(index))
    out = []
    for k, image in enumerate(scene.images):
        if k not in uses:
            out.append(image)
            continue
        number, role = uses[k]
        words = {"model": model, "material": scene.materials[number].name, "role": role, "part": parts.get(number, "")}
        name = pattern
        for key, value in words.items():
            name = name.replace(f"{{{key}}}", _plain(value))
        ending = base_name(image).rpartition(".")[1:]
        out.append(replace(image, found_at=None, reference="".join((name, *ending)) if ending[0] else name))
    return tuple(out)


def _plain(words: str) -> str:
    """Words as a piece of a file's name: what parts a path, begins an ending or is a blank becomes an underscore."""
    return re.sub(r"[\s./\\]+", "_", words).strip("_")


def _in_their_places(scene: Scene, names: dict[int, str], home: str) -> dict[int, str]:
    """Paths from the model's folder of images that lie in its package: where they lie, under the name that they have now."""
    out: dict[int, str] = {}
    first: dict[str, int] = {}
    for k, image in enumerate(scene.images):
        if image.found_at is None or image.load is None or image.status not in ("found", "other-case"):
            continue
        renamed = image.reference.replace("\\", "/").rpartition("/")[2]
        # A mend that makes another kind of picture of it names it anew, in the same folder.
        path = (
            posixpath.join(posixpath.dirname(image.found_at), renamed) if image.status == "found" and renamed else image.found_at
        )
        # A name that not every system takes is made one that it does, as elsewhere.
        if any(as_file(piece) != piece for piece in path.split("/")):
            continue
        # Two entries for one file go on sharing it, unless a mend made another picture of one.
        other = first.setdefault(path.casefold(), k)
        if other == k or (out[other] == path and scene.images[other].bytes() == image.bytes()):
            out[k] = path
    return {k: posixpath.relpath(path, home or ".") for k, path in out.items()}


def _named_anew(image: Image, target: Target) -> bool:
    return image.load is not None and not lies_inside(image, target)


def _tell_files(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("images"):
        return []
    names = image_files(scene, target)
    said = []
    folders = {name.rpartition("/")[0] for k, name in names.items() if _named_anew(scene.images[k], target)} - {""}
    if folders and target.options.folder:
        folder = min(folders)
        text = say("loss.image-folder", folder=folder)
        said.append(ExportLoss(_GROUP, "Folder of images", text, "as they came", folder))
    changed = [(base_name(i), names[k].rpartition("/")[2]) for k, i in enumerate(scene.images) if _named_anew(i, target)]
    changed = [(a, b) for a, b in changed if a != b]
    if not changed:
        return said
    text = say("loss.image-names", count=len(changed), first=changed[0][0] or "one without a name", named=changed[0][1])
    return [*said, ExportLoss(_GROUP, "File names", text, plural(len(scene.images), "image"), f"{len(changed):,} changed")]


def _keeps_names(target: Target) -> bool:
    """Whether an image has a name beside that of its file."""
    return target.format.family in ("gltf", "collada")


def _called_by_file(scene: Scene, target: Target) -> Scene:
    if target.lacks("images") or _keeps_names(target):
        return scene
    return scene.with_(images=tuple(replace(i, name=base_name(i) or i.name) for i in scene.images))


def _with_files(scene: Scene, target: Target) -> Scene:
    """`reference` becomes where an image will lie; one that is missing keeps what the file said of it."""
    if target.lacks("images"):
        return scene
    names = image_files(scene, target)
    own = lambda k, i: i.name if _keeps_names(target) and i.name else names[k].rpartition("/")[2]
    named = lambda k, i: replace(i, reference=names[k], name=own(k, i)) if _named_anew(i, target) else i
    return scene.with_(images=tuple(named(k, i) for k, i in enumerate(scene.images)))


FIRST = (Step("no images", _tell_none, lambda s, _: only_images(s, ())),)
STEPS = (
    Step("empty inputs", _tell_empty, _without_empty),
    Step("unused images", _tell_unused, lambda s, _: only_images(s, used_images(s))),
    Step("kinds of images", _tell_kinds, _as_kinds, heavy=True),
    Step("other kinds of images", _tell_other_kinds, _only_kinds),
    Step("missing images", _tell_missing, _without_missing),
    Step("names by file", lambda s, t: [], _called_by_file, always=True),
    Step("file names", _tell_files, _with_files, always=True, choice=True),
)
