"""What a format cannot hold of a scene, in sentences made from the table of formats."""

from __future__ import annotations

import numpy as np

from ..format_table import BY_NAME
from ..limits import plural
from ..scene import Material, Scene
from ..scene.placed import unplaced
from .flat import holds_no_tree
from .one_set import laid_otherwise
from .opacity import mode_of


def losses(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each feature that the scene has and the format lacks; what only one format does is its writer's to say."""
    holds = BY_NAME[format_name].holds
    meshes, materials = scene.meshes, scene.materials
    lost = [] if "node tree" in holds else holds_no_tree(scene, "parts" not in holds)
    counted = [
        ("skins", len(scene.skins), "skin with its weights", "skins with their weights"),
        ("clips", len(scene.clips), "clip", "clips"),
        ("morph targets", sum(len(m.morphs) for m in meshes), "morph target", "morph targets"),
        ("cameras", len(scene.cameras), "camera", "cameras"),
        ("lights", len(scene.lights), "light", "lights"),
        ("lines", sum(len(m.lines) for m in meshes), "line element", "line elements"),
        ("points", sum(len(m.points) for m in meshes), "point element", "point elements"),
        ("normals", sum(m.normals is not None for m in meshes), "mesh's stored normals", "meshes' stored normals"),
        ("vertex colours", sum(bool(m.colours) for m in meshes), "mesh's vertex colours", "meshes' vertex colours"),
        ("tangents", sum(m.tangents is not None for m in meshes), "mesh's stored tangents", "meshes' stored tangents"),
        ("materials", len(materials), "material", "materials"),
        ("alpha modes", sum(m.alpha_mode == "mask" for m in materials), "threshold of a cut-out", "thresholds of cut-outs"),
        ("see-through images", sum(mode_of(m) == "blend" for m in materials), "blended material", "blended materials"),
        ("double-sided", sum(bool(m.double_sided) for m in materials), "mark of a double-sided material", "marks of double-sided materials"),
        ("tinted images", sum(any(_tinted(m, t.role) for t in m.inputs) for m in materials), "material's colour over its image", "materials' colours over their images"),
        ("texture transforms", sum(t.transform is not None for m in materials for t in m.inputs), "texture transform", "texture transforms"),
    ]  # fmt: skip
    if "one UV set" not in holds:
        counted.append(("one UV set", sum(bool(m.uvs) for m in meshes), "mesh's UVs", "meshes' UVs"))
    elif "UV sets" not in holds:
        counted.append(("UV sets", sum(len(m.uvs) > 1 for m in meshes), "mesh's further UV sets", "meshes' further UV sets"))
    if "one UV set" in holds and "UV sets" not in holds and (n := laid_otherwise(scene)):
        lost.append(f"{plural(n, 'image is', 'images are')} laid on by a UV set that is left out, and will lie otherwise.")
    lost += [f"{plural(n, one, many)} cannot be held." for feature, n, one, many in counted if n and feature not in holds]
    polygons = sum(int(np.count_nonzero(m.corner_counts > 3)) for m in meshes)
    if polygons and "polygons" not in holds:
        lost.append(f"{plural(polygons, 'polygon is', 'polygons are')} written as triangles.")
    spare = unplaced(scene)
    if spare and "unplaced meshes" not in holds:
        lost.append(f"{plural(spare, 'mesh that no node places is', 'meshes that no node places are')} left out.")
    if "unit" not in holds and scene.unit_metres is not None:
        lost.append("The unit and the up axis cannot be stated.")
    if any(m.smooth is not None for m in meshes) and "smoothing groups" not in holds:
        lost.append("Smoothing groups are left out; the normals that are stored stay.")
    named = {name for m in meshes if m.groups is not None for name in m.group_names if name}
    if named and "face groups" not in holds:
        lost.append(
            f"{plural(len(named), 'named group', 'named groups')} of faces cannot be held; *Split into parts* can make parts of them first."
        )
    return lost


def _tinted(m: Material, role: str) -> bool:
    """Whether an image is multiplied by a colour other than white: glTF 2.0 §3.9.2, factors and textures."""
    tint = {"base-colour": m.base_colour[:3], "emissive": m.emissive}.get(role, (1.0, 1.0, 1.0))
    return any(abs(c - 1) > 1e-6 for c in tint)
