"""What a format cannot hold of a scene, in sentences made from the table of formats."""

from __future__ import annotations

import numpy as np

from ..format_table import BY_NAME
from ..scene import Scene
from ..scene.placed import unplaced
from .flat import holds_no_tree


def losses(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each feature that the scene has and the format lacks; what only one format does is its writer's to say."""
    holds = BY_NAME[format_name].holds
    meshes, materials = scene.meshes, scene.materials
    lost = [] if "node tree" in holds else holds_no_tree(scene, "parts" not in holds)
    counted = [
        ("skins", len(scene.skins), "skins with their weights"),
        ("clips", len(scene.clips), "clips"),
        ("morph targets", sum(len(m.morphs) for m in meshes), "morph targets"),
        ("cameras", len(scene.cameras), "cameras"),
        ("lights", len(scene.lights), "lights"),
        ("lines", sum(len(m.lines) for m in meshes), "line elements"),
        ("points", sum(len(m.points) for m in meshes), "point elements"),
        ("normals", sum(m.normals is not None for m in meshes), "meshes' stored normals"),
        ("vertex colours", sum(bool(m.colours) for m in meshes), "meshes' vertex colours"),
        ("tangents", sum(m.tangents is not None for m in meshes), "meshes' stored tangents"),
        ("materials", len(materials), "materials"),
        ("alpha modes", sum(m.alpha_mode in ("mask", "blend") for m in materials), "alpha modes and their thresholds"),
        ("double-sided", sum(bool(m.double_sided) for m in materials), "marks of double-sided materials"),
        ("texture transforms", sum(t.transform is not None for m in materials for t in m.inputs), "texture transforms"),
    ]
    if "one UV set" not in holds:
        counted.append(("one UV set", sum(bool(m.uvs) for m in meshes), "meshes' UVs"))
    elif "UV sets" not in holds:
        counted.append(("UV sets", sum(len(m.uvs) > 1 for m in meshes), "meshes' further UV sets"))
    lost += [f"{n:,} {what} cannot be held." for feature, n, what in counted if n and feature not in holds]
    polygons = sum(int(np.count_nonzero(m.corner_counts > 3)) for m in meshes)
    if polygons and "polygons" not in holds:
        lost.append(f"{polygons:,} polygons are written as triangles.")
    spare = unplaced(scene)
    if spare and "unplaced meshes" not in holds:
        lost.append(f"{spare:,} meshes that no node places are left out.")
    if "unit" not in holds and scene.unit_metres is not None:
        lost.append("The unit and the up axis cannot be stated.")
    if any(m.smooth is not None for m in meshes) and "smoothing groups" not in holds:
        lost.append("Smoothing groups are left out; the normals that are stored stay.")
    return lost
