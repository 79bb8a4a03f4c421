"""The neutral scene into Wavefront OBJ with its material library: polygons and lines are kept as they are."""

from __future__ import annotations

import numpy as np

from ..colour import converted
from ..format_table import BY_NAME, Format
from ..scene import Layer, Material, Mesh, Scene
from ..scene.model import Array
from ..scene.transforms import walk, world_matrices
from .layout import PLAIN, Layout
from .losses import losses
from .names import file_names
from .opacity import in_colour, named_apart
from .pictures import ENDING_BY_MEDIA
from .shine import named_each

_STATEMENTS = {
    "base-colour": "map_Kd", "ambient": "map_Ka", "specular": "map_Ks", "gloss": "map_Ns", "alpha": "map_d", "emissive": "map_Ke",
    "roughness": "map_Pr", "metallic": "map_Pm", "bump": "map_Bump", "normal": "norm", "displacement": "disp", "decal": "decal",
    "reflection": "refl",
}  # fmt: skip


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}: the OBJ first, its library, then the images. Node transforms are written into the positions."""
    scene = named_each(named_apart(scene, "obj", ("map_d",), {"options": {"-imfchan": ["m"]}}))
    images = file_names(scene.images, ENDING_BY_MEDIA, {f"{stem}.obj", f"{stem}.mtl"}, layout.folder)
    names = material_names(scene.materials)
    files: dict[str, bytes] = {f"{stem}.obj": _obj(scene, stem, names, layout.library)}
    if not layout.library:
        return files
    if scene.materials:
        files[f"{stem}.mtl"] = _library(scene, names, images)
    wanted = {t.image for m in scene.materials for t in m.inputs if t.image is not None and t.role in _STATEMENTS}
    for k in sorted(wanted):
        data = scene.images[k].bytes()
        if data is not None:
            files[images[k]] = data
    return files


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that an OBJ cannot hold."""
    lost = losses(scene, "obj")
    if scene.format != "obj":
        lost += in_colour(scene)[1]
    roles = sorted({t.role for m in named_each(scene).materials for t in m.inputs if t.role not in _STATEMENTS})
    if roles:
        lost.append(f"Material inputs without a place in a material library are left out: {', '.join(roles)}.")
    return lost


def material_names(materials: tuple[Material, ...]) -> list[str]:
    """A name for each material that the library can hold: no blanks at the ends, none empty, none twice."""
    out: list[str] = []
    for k, m in enumerate(materials):
        base = " ".join(m.name.split()) or f"material_{k}"
        name, n = base, 2
        while name in out:
            name, n = f"{base}_{n}", n + 1
        out.append(name)
    return out


def _obj(scene: Scene, stem: str, materials: list[str], library: bool) -> bytes:
    out = ["# Hand Lens"]
    if scene.materials and library:
        out.append(f"mtllib {stem}.mtl")
    world = world_matrices(scene)
    offsets = [1, 1, 1]
    grouped = any(m.groups is not None for m in scene.meshes)
    for i in walk(scene):
        n = scene.nodes[i]
        if n.mesh is None:
            continue
        name = " ".join((n.name or scene.meshes[n.mesh].name).split())
        # A part without a name would run into the one before it.
        if name or offsets != [1, 1, 1]:
            out.append(f"o {name or f'part_{i}'}")
        _part(out, scene.meshes[n.mesh], world[i], offsets, materials, BY_NAME[scene.format], grouped)
    return ("\n".join(out) + "\n").encode("utf-8")


def _part(
    out: list[str], mesh: Mesh, matrix: Array, offsets: list[int], materials: list[str], source: Format, grouped: bool
) -> None:
    from ..mends.placement import through

    moved = through(mesh, matrix[:3, :3])
    positions = moved.positions + matrix[:3, 3]
    colours = _vertex_colours(moved)
    rows = positions if colours is None else np.column_stack([positions, colours])
    out.extend(_lines("v", rows, source.single))
    uv = moved.uvs[0] if moved.uvs else None
    if uv is not None:
        # OBJ counts v upwards from the image's bottom, others downwards from its top.
        values = uv.values.astype(np.float64)
        out.extend(_lines("vt", np.column_stack([values[:, 0], 1 - values[:, 1]]) if source.v_down else values, source.single))
    if moved.normals is not None:
        out.extend(_lines("vn", moved.normals.values.astype(np.float64), source.single))
    _faces(out, moved, uv, offsets, materials, grouped)
    out.extend(f"l {a} {b}" for a, b in (moved.lines + offsets[0]).tolist())
    out.extend(f"p {p}" for p in (moved.points + offsets[0]).tolist())
    offsets[0] += len(positions)
    offsets[1] += 0 if uv is None else len(uv.values)
    offsets[2] += 0 if moved.normals is None else len(moved.normals.values)


def _faces(out: list[str], mesh: Mesh, uv: Layer | None, offsets: list[int], materials: list[str], grouped: bool) -> None:
    v = (mesh.corners + offsets[0]).tolist()
    t = None if uv is None else np.where(uv.index < 0, 0, uv.index + offsets[1]).tolist()
    n = None if mesh.normals is None else np.where(mesh.normals.index < 0, 0, mesh.normals.index + offsets[2]).tolist()
    words = [_corner(v[c], t[c] if t else 0, n[c] if n else 0) for c in range(len(v))]
    starts = mesh.starts.tolist()
    slots = mesh.slots.tolist() if len(mesh.slots) else [0] * mesh.face_count
    smooth = None if mesh.smooth is None else mesh.smooth.tolist()
    slot = smoothing = group = None
    groups = None if mesh.groups is None else mesh.groups.tolist()
    if groups is None and grouped:
        # A group lasts until the next is named, over the border of objects too (common practice, no published source).
        out.append("g")
    for f in range(mesh.face_count):
        if groups is not None and groups[f] != group:
            group = groups[f]
            out.append(f"g {mesh.group_names[group]}".rstrip())
        if slots[f] != slot:
            slot = slots[f]
            material = mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1
            # A bare `usemtl` takes back the material of the faces before (common practice, no published source).
            out.append(f"usemtl {materials[material]}" if material >= 0 else "usemtl")
        if smooth is not None and smooth[f] != smoothing:
            smoothing = smooth[f]
            out.append(f"s {smoothing or 'off'}")
        out.append("f " + " ".join(words[starts[f] : starts[f + 1]]))


def _corner(v: int, t: int, n: int) -> str:
    if n:
        return f"{v}/{t or ''}/{n}"
    return f"{v}/{t}" if t else str(v)


def _vertex_colours(mesh: Mesh) -> Array | None:
    """(V, 3) colour of each vertex, where every vertex has just one; None otherwise."""
    if not mesh.colours:
        return None
    layer = mesh.colours[0]
    out = np.full((len(mesh.positions), 3), 1.0)
    own = layer.at_corners()[:, :3]
    out[mesh.corners] = own
    return out if np.array_equal(out[mesh.corners], own) else None


def _lines(keyword: str, rows: Array, single: bool) -> list[str]:
    """Rows in the shortest text that reads back as the same number.

    single: the numbers came as 32-bit floats, so the text only has to tell those apart; otherwise all 64 bits are kept.
    """
    if single and bool((rows.astype(np.float32) == rows).all()):
        text = rows.astype(np.float32).reshape(-1).astype("U").tolist()
        width = rows.shape[1]
        return [f"{keyword} " + " ".join(text[k : k + width]) for k in range(0, len(text), width)]
    return [f"{keyword} " + " ".join(map(repr, row)) for row in rows.astype(np.float64).tolist()]


def _library(scene: Scene, names: list[str], images: dict[int, str]) -> bytes:
    out = ["# Hand Lens"]
    linear = BY_NAME[scene.format].linear
    for m, name in zip(scene.materials, names, strict=True):
        out += ["", f"newmtl {name}"]
        r, g, b, a = converted(m.base_colour, linear, False)
        out.append(f"Kd {r:.9g} {g:.9g} {b:.9g}")
        if any(m.emissive):
            out.append("Ke " + " ".join(f"{v:.9g}" for v in converted(m.emissive, linear, False)))
        if a != 1.0:
            out.append(f"d {a:.9g}")
        if m.roughness is not None:
            out.append(f"Pr {m.roughness:.9g}")
        if m.metallic is not None:
            out.append(f"Pm {m.metallic:.9g}")
        kept = ("kd", "ke", "d", "tr", "pr", "pm")
        for statement in m.source.get("statements", []):
            keyword = statement.split()[0].lower()
            if keyword not in kept and not keyword.startswith(("map_", "norm", "bump", "disp", "decal", "refl")):
                out.append(statement)
        for t in m.inputs:
            if t.image is None or t.role not in _STATEMENTS:
                continue
            image = scene.images[t.image]
            reference = images[t.image] if image.load is not None else image.reference
            options = t.options.get("options")
            words = [w for key, values in options.items() for w in (key, *values)] if isinstance(options, dict) else []
            out.append(" ".join([_STATEMENTS[t.role], *words, reference]))
    return ("\n".join(out) + "\n").encode("utf-8")
