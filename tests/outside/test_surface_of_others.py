"""Surface, facing and normals against the reference library's own figures, and mends on models that others made."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from handlens.core import formats
from handlens.core.geometry.recut import turned_faces
from handlens.core.geometry.topology import surface
from handlens.core.geometry.triangles import triangulate
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.packages import FilePackage
from handlens.core.route.tape import apply_mend
from handlens.core.scene.bounds import world_bounds
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import walk, world_matrices
from kit.solids import icosphere, torus

MODELS = [
    "OBJ/spider.obj",
    "OBJ/WusonOBJ.obj",
    "STL/Spider_binary.stl",
    "STL/sphereWithHole.stl",
    "PLY/Wuson.ply",
    "OFF/Wuson.off",
    "Collada/duck.dae",
    "Collada/sphere.dae",
    "OBJ/cube_usemtl.obj",
    "glTF2/BoxTextured-glTF-Binary/BoxTextured.glb",
]


def read(models, name):
    return formats.read(FilePackage(models / name), Path(name).name)


def theirs(mesh):
    """The mesh as the reference library welds it, faces without area left out as ours leaves them out."""
    top = surface(mesh)
    corners, face = triangulate(mesh)
    keep = ~top.flat[face]
    at = top.ids[mesh.corners[corners[keep]]]
    points = np.zeros((top.welded, 3))
    points[top.ids] = mesh.positions
    return trimesh.Trimesh(points, at, process=False)


@pytest.mark.parametrize("name", MODELS)
def test_open_and_crowded_edges_as_the_reference_library_counts_them(models, name):
    for k, mesh in enumerate(read(models, name).meshes):
        if not mesh.only_triangles:
            continue  # the other library has no polygons, so its diagonals would count as edges
        other = theirs(mesh)
        edges = np.sort(other.edges_sorted, axis=1)
        uses = np.unique(edges, axis=0, return_counts=True)[1]
        ours = collect(read(models, name)).meshes[k].surface
        assert ours.open_edges == int((uses == 1).sum())
        assert ours.crowded == int((uses > 2).sum())
        assert (ours.disagreeing == 0) == other.is_winding_consistent or ours.crowded


@pytest.mark.parametrize("name", ["Collada/duck.dae", "Collada/sphere.dae", "OBJ/cube_usemtl.obj"])
def test_faced_outward_a_closed_model_has_the_volume_the_reference_library_gives_it(models, name):
    s = read(models, name)
    dice = np.random.default_rng(3)
    messy = s.with_(meshes=tuple(turned_faces(m, dice.random(m.face_count) < 0.3) for m in s.meshes))
    after = apply_mend(messy, "facing.outward", {}).scene
    for mesh in after.meshes:
        other = theirs(mesh)
        assert other.is_winding_consistent
        assert other.volume > 0
        repaired = theirs(messy.meshes[after.meshes.index(mesh)])
        trimesh.repair.fix_normals(repaired)
        assert other.volume == pytest.approx(abs(repaired.volume), rel=1e-9)


@pytest.mark.parametrize("solid", [icosphere(3), torus(24, 16)], ids=["sphere", "torus"])
def test_smooth_normals_as_the_reference_library_weights_them(solid):
    """Its vertex normals are weighted by angle too; on cut quads both see the same triangles."""
    cut = solid if solid.only_triangles else apply_mend_triangulated(solid)
    layer = apply_mend_normals(cut)
    other = trimesh.Trimesh(cut.positions, cut.corners.reshape(-1, 3), process=False)
    by_angle = trimesh.geometry.weighted_vertex_normals(
        len(cut.positions), other.faces, other.face_normals, other.face_angles, use_loop=True
    )
    assert np.einsum("ij,ij->i", layer.at_corners(), by_angle[cut.corners]).min() > 1 - 1e-6


def apply_mend_triangulated(solid):
    from kit.scenes import scene

    return apply_mend(scene(solid), "surface.triangulate", {}).scene.meshes[0]


def apply_mend_normals(solid):
    from kit.scenes import scene

    return apply_mend(scene(solid), "facing.normals", {"angle": 179}).scene.meshes[0].normals


def area(s):
    world, total = world_matrices(s), 0.0
    for i in walk(s):
        if s.nodes[i].mesh is not None:
            mesh = s.meshes[s.nodes[i].mesh]
            corners, _ = triangulate(mesh)
            a, b, c = (posed(s, i, world)[mesh.corners[corners[:, k]]] for k in range(3))
            total += np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2
    return total


@pytest.mark.parametrize(
    "name", [*MODELS, "glTF2/simple_skin/simple_skin.gltf", "glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb"]
)
@pytest.mark.parametrize(
    ("mend", "params"),
    [
        ("pivots.set", {"anchor": "base-centre"}),
        ("surface.triangulate", {}),
        ("surface.clean", {}),
        ("surface.split", {"by": "piece"}),
        ("surface.join", {}),
        ("facing.normals", {"angle": 40}),
        ("facing.outward", {}),
        ("facing.turn", {}),
    ],
)
def test_mends_keep_size_and_area_of_models_that_others_made(models, name, mend, params):
    before = read(models, name)
    try:
        after = apply_mend(before, mend, params).scene
    except MendError:
        return  # there was nothing of that kind to mend, which the mend said
    # A bent polygon that runs the other way may be cut along other diagonals.
    assert area(after) == pytest.approx(area(before), rel=1e-4 if mend.startswith("facing") else 1e-6)
    if mend == "surface.clean":  # points that nothing used may have stretched the box
        shown = lambda s: s.with_(
            meshes=tuple(
                replace(
                    m,
                    positions=m.positions[np.unique(m.corners)],
                    corners=np.unique(m.corners, return_inverse=True)[1].astype(np.int32),
                )
                for m in s.meshes
            )
        )
        before, after = shown(before), shown(after)
    for a, b in zip(world_bounds(before), world_bounds(after), strict=True):
        assert np.allclose(a, b, atol=1e-6 * np.abs(a).max())
    assert {m.name for m in before.materials} == {m.name for m in after.materials}
    made = formats.write(after, "glb", "x")["x.glb"]
    assert made[:4] == b"glTF"
