"""Materials of glTF 2.0 (§3.9), read and written by one table: what a field of the neutral material is for stands in the field
alone, and everything else is carried in its `source` and in the `options` of its inputs as it came.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from ...scene import Material, Problem, TextureInput
from ...words.json_tree import Json
from .document import Document, is_integer
from .messages import say

ROLES = {
    "baseColorTexture": "base-colour",
    "diffuseTexture": "base-colour",
    "metallicRoughnessTexture": "metallic-roughness",
    "specularGlossinessTexture": "specular-gloss",
    "normalTexture": "normal",
    "occlusionTexture": "occlusion",
    "emissiveTexture": "emissive",
}
_GLOSS = "KHR_materials_pbrSpecularGlossiness"
_TRANSFORM = "KHR_texture_transform"
#: Keys that fields of the neutral material are for.
_CORE = ("name", "emissiveFactor", "alphaMode", "alphaCutoff", "doubleSided")
_PBR = ("baseColorFactor", "metallicFactor", "roughnessFactor")
#: Key of `extras` of a material that is named but was defined nowhere, so that it is still so when the file is opened again.
UNDEFINED = "undefined"
WHITE, BLACK = (1.0, 1.0, 1.0, 1.0), (0.0, 0.0, 0.0)


def read_material(doc: Document, number: int, entry: Json, image_count: int, problems: list[Problem]) -> Material:
    """One entry of `materials`. Raises InputError where a factor is not as many numbers as it should be."""
    where = f"materials[{number}]"
    pbr = entry.get("pbrMetallicRoughness")
    holders = [entry, pbr if isinstance(pbr, dict) else {}]
    for key in ("pbrMetallicRoughness", *(k for holder in holders for k in holder if k.endswith("Texture"))):
        found = next((holder[key] for holder in holders if holder.get(key) is not None), None)
        if found is not None and not isinstance(found, dict):
            problems.append(Problem("broken-reference", say("gltf.no-such-object", where=where, key=key), where))
    pbr = pbr if isinstance(pbr, dict) else {}
    base = numbers(doc, pbr, "baseColorFactor", 4, WHITE, where)
    gloss = _gloss(entry)
    if gloss is not None and "baseColorFactor" not in pbr:
        base = numbers(doc, gloss, "diffuseFactor", 4, base, where)
    extras = entry.get("extras")
    mode = entry.get("alphaMode")
    mode = mode.lower() if isinstance(mode, str) and mode else "opaque"
    return Material(
        id=f"material:{number}",
        name=entry["name"] if isinstance(entry.get("name"), str) else "",
        base_colour=base,
        metallic=number_of(pbr.get("metallicFactor", 1.0)),
        roughness=number_of(pbr.get("roughnessFactor", 1.0)),
        emissive=numbers(doc, entry, "emissiveFactor", 3, BLACK, where),
        alpha_mode=mode,
        alpha_cutoff=number_of(entry.get("alphaCutoff", 0.5)) if mode == "mask" else None,
        double_sided=bool(entry.get("doubleSided", False)),
        inputs=tuple(_inputs(doc, entry, (), image_count, where, problems)),
        defined=not (isinstance(extras, dict) and extras.get(UNDEFINED) is True),
        source=_unknown(entry, "baseColorFactor" in pbr),
    )


def material_entry(material: Material, texture: Callable[[TextureInput], int]) -> Json:
    """The JSON of a material, what no field is for laid beside what the fields say. texture: number of the texture of an input."""
    entry: dict[str, Any] = copy.deepcopy(_unknown(material.source, True))
    if material.name:
        entry["name"] = material.name
    core: dict[str, Any] = {}
    gloss = _gloss(entry)
    if gloss is not None and "diffuseFactor" not in gloss and material.base_colour != WHITE:
        gloss["diffuseFactor"] = list(material.base_colour)
    elif gloss is None and material.base_colour != WHITE:
        core["baseColorFactor"] = list(material.base_colour)
    values = {"metallicFactor": material.metallic, "roughnessFactor": material.roughness}
    core |= {key: value for key, value in values.items() if value is not None and value != 1.0}
    if core:
        entry["pbrMetallicRoughness"] = {**entry.get("pbrMetallicRoughness", {}), **core}
    if any(material.emissive):
        entry["emissiveFactor"] = list(material.emissive)
    if material.alpha_mode not in (None, "opaque"):
        entry["alphaMode"] = str(material.alpha_mode).upper()
    if material.alpha_mode == "mask" and material.alpha_cutoff not in (None, 0.5):
        entry["alphaCutoff"] = material.alpha_cutoff
    if material.double_sided:
        entry["doubleSided"] = True
    for used in material.inputs:
        _set_at(entry, used.path, _info(used, texture(used), used.path[-1]))
    return entry


def numbers(doc: Document, owner: Mapping[str, Any], key: str, n: int, default: Any, where: str) -> Any:
    """A property of n numbers as floats, the default where it is absent. Raises InputError for anything else."""
    value = owner.get(key)
    if value is None:
        return default
    if not isinstance(value, list) or len(value) != n or any(number_of(v) is None for v in value):
        raise doc.fail(where, f"has a {key} that is not {n} numbers")
    return tuple(float(v) for v in value)


def number_of(value: Any) -> float | None:
    """A JSON number as a float, None for anything else."""
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


def _gloss(entry: Mapping[str, Any]) -> dict[str, Any] | None:
    extensions = entry.get("extensions")
    found = extensions.get(_GLOSS) if isinstance(extensions, dict) else None
    return found if isinstance(found, dict) else None


def _unknown(entry: Mapping[str, Any], has_base: bool) -> dict[str, Any]:
    """What of a material no field is for: unknown keys and extensions, without the inputs in them."""

    def rest(tree: Mapping[str, Any], path: tuple[str, ...]) -> Json:
        out: dict[str, Any] = {}
        for key, value in tree.items():
            known = (not path and key in _CORE) or (path == ("pbrMetallicRoughness",) and key in _PBR)
            # A diffuse colour is the base colour's own where the core model states none.
            known = known or (path == ("extensions", _GLOSS) and key == "diffuseFactor" and not has_base)
            known = known or (path == ("extras",) and key == UNDEFINED)
            if known or _is_input(key, value):
                continue
            out[key] = rest(value, (*path, key)) if isinstance(value, dict) and "extras" not in path else value
        return out

    found = rest(entry, ())
    for key in ("pbrMetallicRoughness", "extras"):
        if found.get(key) == {}:
            del found[key]
    return found


def _is_input(key: str, value: Any) -> bool:
    return key.endswith("Texture") and isinstance(value, dict) and "index" in value


def _inputs(
    doc: Document, tree: Mapping[str, Any], path: tuple[str, ...], image_count: int, where: str, problems: list[Problem]
) -> Iterator[TextureInput]:
    """Every texture input of a material, those of its extensions too: an object under a key ending in "Texture"."""
    for key, value in tree.items():
        if not isinstance(value, dict) or key == "extras":
            continue
        if _is_input(key, value):
            yield _input(doc, key, value, (*path, key), image_count, where, problems)
        else:
            yield from _inputs(doc, value, (*path, key), image_count, where, problems)


def _input(
    doc: Document, key: str, info: dict[str, Any], path: tuple[str, ...], image_count: int, where: str, problems: list[Problem]
) -> TextureInput:
    textures, samplers = doc.array("textures"), doc.array("samplers")
    index, image, sampler = info["index"], None, {}
    if is_integer(index) and 0 <= index < len(textures):
        texture = textures[index]
        extensions = texture.get("extensions") or {}
        other = extensions.get("KHR_texture_basisu") or extensions.get("EXT_texture_webp") or {}
        image = texture.get("source", other.get("source") if isinstance(other, dict) else None)
        number = texture.get("sampler")
        if is_integer(number) and 0 <= number < len(samplers):
            sampler = samplers[number]
        elif number is not None:
            problems.append(Problem("broken-reference", say("gltf.no-such-sampler", index=index, number=number), where))
    else:
        problems.append(Problem("broken-reference", say("gltf.no-such-texture", where=where, index=index), where))
    if image is not None and not (is_integer(image) and 0 <= image < image_count):
        problems.append(Problem("broken-reference", say("gltf.no-such-image", where=where, image=image), where))
        image = None
    extensions = info.get("extensions")
    extensions = dict(extensions) if isinstance(extensions, dict) else {}
    transform = extensions.pop(_TRANSFORM, None)
    transform = dict(transform) if isinstance(transform, dict) else None
    uv = info.get("texCoord", 0)
    if transform is not None:
        uv = transform.pop("texCoord", uv)
    options = {k: v for k, v in info.items() if k not in ("index", "texCoord", _strength(key), "extensions")}
    if extensions:
        options["extensions"] = extensions
    return TextureInput(
        role=ROLES.get(key, key.removesuffix("Texture")),
        path=path,
        image=image,
        uv_set=uv if is_integer(uv) else 0,
        sampler=sampler,
        transform=transform,
        scale=number_of(info.get(_strength(key))),
        options=options,
    )


def _strength(key: str) -> str:
    """Key of how strongly an image counts (§3.9.3): of occlusion its strength, of normals their scale."""
    return "strength" if key == "occlusionTexture" else "scale"


def _info(texture: TextureInput, number: int, key: str) -> dict[str, Any]:
    """The textureInfo of an input (§5.27)."""
    info: dict[str, Any] = {**copy.deepcopy(dict(texture.options)), "index": number}
    if texture.uv_set:
        info["texCoord"] = texture.uv_set
    if texture.scale is not None and key.endswith(("ormalTexture", "occlusionTexture")):
        info[_strength(key)] = texture.scale
    if texture.transform:
        info["extensions"] = {**info.get("extensions", {}), _TRANSFORM: dict(texture.transform)}
    return info


def _set_at(tree: dict[str, Any], path: tuple[str, ...], value: dict[str, Any]) -> None:
    for key in path[:-1]:
        tree = tree.setdefault(key, {})
    tree[path[-1]] = value
