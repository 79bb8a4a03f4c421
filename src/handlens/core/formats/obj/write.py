"""The neutral scene into Wavefront OBJ with its material library: polygons and lines are kept as they are."""

from __future__ import annotations

import numpy as np

from ...scene import Layer, Mesh, Scene, TextureInput
from ...scene.wrapping import CLAMP
from ...words.arrays import F64
from ..conform.steps import Target
from ..conform.surface import vertex_colours

_STATEMENTS = {
    "base-colour": "map_Kd",
    "ambient": "map_Ka",
    "specular": "map_Ks",
    "gloss": "map_Ns",
    "alpha": "map_d",
    "emissive": "map_Ke",
    "roughness": "map_Pr",
    "metallic": "map_Pm",
    "bump": "map_Bump",
    "normal": "norm",
    "displacement": "disp",
    "decal": "decal",
    "reflection": "refl",
}


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes}: the OBJ first, its library, then the images, of a scene that an OBJ can hold (`formats.conform`)."""
    stem, library = target.stem, target.options.material_library
    files: dict[str, bytes] = {f"{stem}.obj": _obj(scene, stem, library, target.single)}
    if library and any(material.defined for material in scene.materials):
        files[f"{stem}.mtl"] = _library(scene)
    for image in scene.images:
        data = image.bytes()
        if data is not None:
            files[image.reference] = data
    return files


def _obj(scene: Scene, stem: str, library: bool, single: bool) -> bytes:
    out = ["# Hand Lens"]
    if library and any(material.defined for material in scene.materials):
        out.append(f"mtllib {stem}.mtl")
    offsets = [1, 1, 1]
    grouped = any(mesh.groups is not None for mesh in scene.meshes)
    smoothed = any(mesh.smooth is not None for mesh in scene.meshes)
    materials = [material.name for material in scene.materials]
    for n in scene.nodes:
        assert n.mesh is not None
        # A part without a name would run into the one before it.
        if n.name or offsets != [1, 1, 1]:
            out.append(f"o {n.name}")
        _part(out, scene.meshes[n.mesh], offsets, materials, single, grouped, smoothed)
    return ("\n".join(out) + "\n").encode("utf-8")


def _part(
    out: list[str], mesh: Mesh, offsets: list[int], materials: list[str], single: bool, grouped: bool, smoothed: bool
) -> None:
    colours = vertex_colours(mesh) if mesh.colours else None
    rows = mesh.positions if colours is None else np.column_stack([mesh.positions, colours])
    out.extend(_lines("v", rows, single))
    uv = mesh.uvs[0] if mesh.uvs else None
    if uv is not None:
        out.extend(_lines("vt", uv.values.astype(np.float64), single))
    if mesh.normals is not None:
        out.extend(_lines("vn", mesh.normals.values.astype(np.float64), single))
    if smoothed and mesh.smooth is None:
        # A smoothing group lasts until the next is named, over the border of objects too.
        out.append("s off")
    _faces(out, mesh, uv, offsets, materials, grouped)
    out.extend(f"l {a} {b}" for a, b in (mesh.lines + offsets[0]).tolist())
    out.extend(f"p {p}" for p in (mesh.points + offsets[0]).tolist())
    offsets[0] += len(mesh.positions)
    offsets[1] += 0 if uv is None else len(uv.values)
    offsets[2] += 0 if mesh.normals is None else len(mesh.normals.values)


def _faces(out: list[str], mesh: Mesh, uv: Layer | None, offsets: list[int], materials: list[str], grouped: bool) -> None:
    v = (mesh.corners + offsets[0]).tolist()
    uv_index = None if uv is None else np.where(uv.index < 0, 0, uv.index + offsets[1]).tolist()
    normal_index = None if mesh.normals is None else np.where(mesh.normals.index < 0, 0, mesh.normals.index + offsets[2]).tolist()
    words = [_corner(v[c], uv_index[c] if uv_index else 0, normal_index[c] if normal_index else 0) for c in range(len(v))]
    starts = mesh.starts.tolist()
    slots = mesh.slots.tolist() if len(mesh.slots) else [0] * mesh.face_count
    smooth = None if mesh.smooth is None else mesh.smooth.tolist()
    slot = smoothing = group = None
    groups = None if mesh.groups is None else mesh.groups.tolist()
    if groups is None and grouped:
        # A group lasts until the next is named, over the border of objects too (common practice, no published source).
        out.append("g")
    for face in range(mesh.face_count):
        if groups is not None and groups[face] != group:
            group = groups[face]
            out.append(f"g {mesh.group_names[group]}".rstrip())
        if slots[face] != slot:
            slot = slots[face]
            material = mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1
            # A bare `usemtl` takes back the material of the faces before (common practice, no published source).
            out.append(f"usemtl {materials[material]}" if material >= 0 else "usemtl")
        if smooth is not None and smooth[face] != smoothing:
            smoothing = smooth[face]
            out.append(f"s {smoothing or 'off'}")
        out.append("f " + " ".join(words[starts[face] : starts[face + 1]]))


def _corner(vertex: int, texture: int, n: int) -> str:
    if n:
        return f"{vertex}/{texture or ''}/{n}"
    return f"{vertex}/{texture}" if texture else str(vertex)


def _lines(keyword: str, rows: F64, single: bool) -> list[str]:
    """Rows in the shortest text that reads back as the same number.

    single: the numbers came as 32-bit floats, so the text only has to tell those apart; otherwise all 64 bits are kept.
    """
    if single and bool((rows.astype(np.float32) == rows).all()):
        text = rows.astype(np.float32).reshape(-1).astype("U").tolist()
        width = rows.shape[1]
        return [f"{keyword} " + " ".join(text[k : k + width]) for k in range(0, len(text), width)]
    return [f"{keyword} " + " ".join(map(repr, row)) for row in rows.astype(np.float64).tolist()]


def _library(scene: Scene) -> bytes:
    """Numbers in the shortest text that reads back as the same; what no field is for is written as it came."""
    out = ["# Hand Lens"]
    for material in scene.materials:
        if not material.defined:
            continue
        lit = any(texture.role == "emissive" for texture in material.inputs)
        out += ["", f"newmtl {material.name}", "Kd " + " ".join(map(repr, map(float, material.base_colour[:3])))]
        if any(material.emissive) or lit:
            # Without it a picture alone would switch the glow on.
            out.append("Ke " + " ".join(map(repr, map(float, material.emissive))))
        values = (("d", material.base_colour[3], 1.0), ("Pr", material.roughness, None), ("Pm", material.metallic, None))
        out += [f"{keyword} {float(v)!r}" for keyword, v, unsaid in values if v is not None and v != unsaid]
        out += material.source.get("statements", [])
        out += [_map(scene, texture) for texture in material.inputs if texture.image is not None]
    return ("\n".join(out) + "\n").encode("utf-8")


def _map(scene: Scene, texture: TextureInput) -> str:
    assert texture.image is not None
    options = {key: list(values) for key, values in texture.options.items()}
    if texture.scale is not None:
        options["-bm"] = [repr(float(texture.scale))]
    if texture.channel:
        options["-imfchan"] = [{"a": "m"}.get(texture.channel, texture.channel)]
    if (texture.sampler.get("wrapS"), texture.sampler.get("wrapT")) == (CLAMP, CLAMP):
        options["-clamp"] = ["on"]
    return " ".join(
        [
            _STATEMENTS[texture.role],
            *(w for key, values in options.items() for w in (key, *values)),
            scene.images[texture.image].reference,
        ]
    )
