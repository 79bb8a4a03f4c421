"""Skinning against the reference library of another format, and against the formula written out plainly, on models of others.

Sources: glTF 2.0 §3.7.3.3 and the implementation note on skinned meshes there (joint matrix = inverse of the node's global transform ×
global transform of the joint × inverse bind matrix); UsdSkel as its reference library evaluates it (`UsdSkel.SkinningQuery`).
"""

from pathlib import Path

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.packages import FolderPackage
from handlens.core.scene.motion import pose_at
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import world_matrices

MODELS = Path("/usr/share/assimp/models")
OTHERS = ["glTF2/simple_skin/simple_skin.gltf", "Collada/library_animation_clips.dae", "Collada/box_nested_animation.dae"]


def plainly(scene, node, world):
    """A vertex at a time, a joint at a time, as the standard words it; without weights it stands at its node."""
    n = scene.nodes[node]
    mesh, skin = scene.meshes[n.mesh], scene.skins[n.skin]
    out = np.zeros_like(mesh.positions)
    for v, p in enumerate(mesh.positions):
        total = 0.0
        for e in range(mesh.weights.starts[v], mesh.weights.starts[v + 1]):
            j, w = mesh.weights.joints[e], float(mesh.weights.weights[e])
            inverse = np.eye(4) if skin.inverse_bind is None else skin.inverse_bind[j]
            jointed = np.linalg.inv(world[node]) @ world[skin.joints[j]] @ inverse
            out[v] += w * (world[node] @ jointed @ [*p, 1.0])[:3]
            total += abs(w)
        if not total:
            out[v] = (world[node] @ [*p, 1.0])[:3]
    return out


@pytest.mark.parametrize("name", OTHERS)
def test_models_of_others_stand_as_the_formula_says(name):
    path = MODELS / name
    if not path.exists():
        pytest.skip("the test models of the reading library are not installed")
    scene = formats.read(FolderPackage(path.parent), path.name)
    skinned = [i for i, n in enumerate(scene.nodes) if n.skin is not None and n.mesh is not None]
    assert skinned
    for i in skinned:
        for world in (world_matrices(scene), *(pose_at(scene, c, t) for c in scene.clips for t in np.linspace(0, c.seconds, 4))):
            assert np.abs(posed(scene, i, world) - plainly(scene, i, world)).max() <= 1e-9 * max(1, np.abs(world).max())


def test_a_file_with_clips_by_name_holds_as_many_clips():
    """COLLADA 1.4.1, chapter 5, `animation_clip`: each is a set of animations that are played together; there are two in this file,
    of twelve animations."""
    path = MODELS / "Collada/library_animation_clips.dae"
    if not path.exists():
        pytest.skip("the test models of the reading library are not installed")
    scene = formats.read(FolderPackage(path.parent), path.name)
    assert [c.name for c in scene.clips] == ["bend", "turn"]
    assert path.read_text().count("<animation id=") == 12


def _stage(folder):
    """A bent tube on three joints, made by the reference library, with an animation of ten samples."""
    from pxr import Gf, Usd, UsdGeom, UsdSkel, Vt

    stage = Usd.Stage.CreateNew(str(folder / "eel.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    root = UsdSkel.Root.Define(stage, "/Eel")
    stage.SetDefaultPrim(root.GetPrim())
    skeleton = UsdSkel.Skeleton.Define(stage, "/Eel/Bones")
    joints = ["foot", "foot/waist", "foot/waist/head"]
    step = lambda y: Gf.Matrix4d().SetTranslate(Gf.Vec3d(0, y, 0))
    bend = Gf.Matrix4d().SetRotate(Gf.Rotation(Gf.Vec3d(0, 0, 1), 12))
    skeleton.CreateJointsAttr(joints)
    skeleton.CreateBindTransformsAttr([step(0), step(100), step(200)])
    # It rests otherwise than it was bound.
    skeleton.CreateRestTransformsAttr([step(0), bend * step(100), step(100)])
    mesh = UsdGeom.Mesh.Define(stage, "/Eel/Skin")
    points = [(x, y, z) for y in np.linspace(0, 200, 9) for x, z in ((-10, -10), (10, -10), (10, 10), (-10, 10))]
    faces = [[4 * r + a, 4 * r + (a + 1) % 4, 4 * r + 4 + (a + 1) % 4, 4 * r + 4 + a] for r in range(8) for a in range(4)]
    mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in points])
    mesh.CreateFaceVertexCountsAttr([4] * len(faces))
    mesh.CreateFaceVertexIndicesAttr([i for f in faces for i in f])
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    shares = [[max(0.0, 1 - abs(p[1] / 100 - j)) for j in range(3)] for p in points]
    binding.CreateJointIndicesPrimvar(False, 3).Set(Vt.IntArray([0, 1, 2] * len(points)))
    binding.CreateJointWeightsPrimvar(False, 3).Set(Vt.FloatArray([w for row in shares for w in row]))
    moves = UsdSkel.Animation.Define(stage, "/Eel/Moves")
    moves.CreateJointsAttr(joints)
    stage.SetTimeCodesPerSecond(10)
    for t in range(10):
        turns = [Gf.Quatf(Gf.Rotation(Gf.Vec3d(0, 0.2 * k, 1).GetNormalized(), 5 * t * k).GetQuat()) for k in range(3)]
        moves.CreateRotationsAttr().Set(Vt.QuatfArray(turns), t)
        moves.CreateTranslationsAttr().Set(Vt.Vec3fArray([(0, t, 0), (0, 100, 0), (0, 100, 0)]), t)
        moves.CreateScalesAttr().Set(Vt.Vec3hArray([(1, 1, 1)] * 3), t)
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([moves.GetPath()])
    stage.Save()
    return stage, skeleton, mesh


def test_a_skin_of_the_reference_library_stands_as_it_evaluates_it(tmp_path):
    from pxr import Usd, UsdSkel, Vt

    stage, skeleton, mesh = _stage(tmp_path)
    scene = formats.read(FolderPackage(tmp_path), "eel.usda")
    node = next(i for i, n in enumerate(scene.nodes) if n.skin is not None)
    cache = UsdSkel.Cache()
    cache.Populate(UsdSkel.Root(stage.GetPrimAtPath("/Eel")), Usd.PrimDefaultPredicate)
    query, skinning = cache.GetSkelQuery(skeleton), cache.GetSkinningQuery(mesh.GetPrim())
    clip = scene.clips[0]
    for t in range(0, 10, 3):
        points = Vt.Vec3fArray(mesh.GetPointsAttr().Get())
        assert skinning.ComputeSkinnedPoints(query.ComputeSkinningTransforms(t), points, t)
        mine = posed(scene, node, pose_at(scene, clip, t / 10))
        assert np.abs(mine - np.array(points)).max() <= 1e-3, t
