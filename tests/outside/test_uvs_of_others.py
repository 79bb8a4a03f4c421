"""UV sets of third-party models: coverage against areas summed in closed form, and layouts made anew on their meshes."""

import numpy as np
import pytest

from handlens.core.geometry import uv_raster
from handlens.core.geometry.triangles import fan
from handlens.core.measures import collect
from handlens.core.measures.uvs import RESOLUTION
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.tape import apply_mend
from handlens.core.surface.uv_transform import placed

LAID = [
    "glTF2/BoxTextured-glTF/BoxTextured.gltf",
    "Collada/duck.dae",
    "Collada/cube_with_2UVs.DAE",
    "OBJ/spider.obj",
    "PLY/cube_uv.ply",
    "glTF2/textureTransform/TextureTransformTest.gltf",
]


def layouts(models, name):
    for mesh in open_scene(models / name)[2].meshes:
        for layer in mesh.uvs:
            uv = layer.at_corners()[fan(mesh)[0]].astype(float)
            if len(uv) and np.isfinite(uv).all():
                yield uv


@pytest.mark.parametrize("name", LAID)
def test_texels_covered_sum_to_the_area(models, name):
    """Every triangle covers its area in texels, but for half a texel along its rim; summed over all, whatever overlaps."""
    looked = 0
    for uv in layouts(models, name):
        sides = np.linalg.norm(np.roll(uv, -1, axis=1) - uv, axis=2).sum(axis=1)
        a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
        crossed = uv_raster.crossings(uv_raster.around(uv, np.sign(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])), RESOLUTION)
        # From where a run of texels begins to where it ends, row by row.
        texels = np.bincount(crossed.side // 3, -crossed.change * crossed.column, len(uv))
        # Within a texel for each texel that the rim passes, and over all triangles within far less, since errors cancel.
        assert (np.abs(texels - area * RESOLUTION**2) <= sides * RESOLUTION + 3).all()
        assert (
            abs(texels.sum() - (area * RESOLUTION**2).sum())
            <= 0.02 * (area * RESOLUTION**2).sum() + sides.sum() ** 0.5 * RESOLUTION
        )
        looked += 1
    assert looked


@pytest.mark.parametrize("name", ["OFF/Cube.off", "STL/sphereWithHole.stl", "PLY/Wuson.ply", "OBJ/box.obj"])
def test_a_set_laid_anew_covers_no_texel_twice(models, name):
    made = open_scene(models / name)[2]
    after = apply_mend(made, "textures.unwrap", {"set": 1}).scene
    for mesh, was, figures in zip(after.meshes, made.meshes, collect(after).meshes, strict=True):
        assert np.array_equal(mesh.positions, was.positions)
        assert np.array_equal(mesh.corners, was.corners)
        assert figures.uvs[0].overlap is not None
        assert figures.uvs[0].overlap < 0.005
        assert figures.uvs[0].outside == 0


def test_texture_transforms_put_the_picture_where_the_models_own_markers_say(models):
    """A conformance model of the extension's own authors: each board shows an arrow, and its marker "Correct" stands where the
    arrow's tip must come to lie. The boards are 1 wide, with UVs from their upper left corner; the tip is told by the marker of
    the board whose transform is not applied."""
    scene = open_scene(models / "glTF2/textureTransform/TextureTransformTest.gltf")[2]
    at = {n.name: np.array(n.translation)[:2] * [1, -1] + 0.5 for n in scene.nodes}
    tip = at["Scale - Not Supported"]
    for board in ("Rotation", "Scale", "All"):
        mesh = scene.meshes[next(n.mesh for n in scene.nodes if n.name == board)]
        transform = scene.materials[mesh.slot_materials[0]].inputs[0].transform
        assert placed(at[f"{board} - Correct"], transform, True) == pytest.approx(tip, abs=0.05), board
    turned = scene.materials[scene.meshes[3].slot_materials[0]].inputs[0].transform
    assert placed(at["Rotation - Error"], turned, True) != pytest.approx(tip, abs=0.3)
