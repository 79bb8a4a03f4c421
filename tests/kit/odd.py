"""Scenes that are valid and odd."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np

from handlens.core.scene import Camera, Clip, Image, Layer, Light, Material, Mesh, Node, Scene, TextureInput
from kit.cards import CUT, card
from kit.pictures import png, textured
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, mesh, rigged, scene, triangles_of


def _stray() -> Scene:
    """Faces of no area, of no numbers, doubled and turned; loose points and lines; a material that nothing uses."""
    points = np.vstack([CUBE_POINTS, [[np.nan, 0, 0], [5, 5, 5], [6, 6, 6], [0, 0, 0]]])
    faces = [*CUBE_FACES, CUBE_FACES[0], CUBE_FACES[1][::-1], [0, 0, 1], [0, 1, 8], [0, 1, 11]]
    made = replace(mesh(points, faces, "stray"), lines=np.array([[9, 10]], np.int32), points=np.array([9], np.int32))
    return scene(made, materials=(Material("m0", "tar"), Material("m1", "tar"), Material("m2", "")))


def _left_over() -> Scene:
    nodes = (
        Node("a", "crate", mesh=0, children=(1,), scale=(0, 1, 1)),
        Node("b", "eye", camera=0),
        Node("c", "lamp", light=0),
        Node("d", ""),
    )
    return scene(
        cube(),
        nodes=nodes,
        cameras=(Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}),),
        lights=(Light("lamp", {"type": "point"}),),
        clips=(Clip("k", None, ()),),
    )


def _lost_images() -> Scene:
    made = textured(png())
    gone = Image("image:1", "gone.png", "Q:\\quay\\gone.png", "absolute")
    spoilt = Image("image:2", "spoilt.png", "spoilt.png", "found", "spoilt.png", load=lambda: b"no picture")
    roles = ("normal", "emissive", "alpha", "roughness", "metallic", "occlusion")
    inputs = tuple(TextureInput(r, (f"{r}Texture",), 1 + k % 2, uv_set=k % 2) for k, r in enumerate(roles))
    empty = TextureInput("bump", ("map_Bump",), None)
    paint = replace(made.materials[0], inputs=(*made.materials[0].inputs, *inputs, empty), source={})
    return made.with_(images=(*made.images, gone, spoilt), materials=(paint,))


ODD = {
    "nothing": lambda: scene(nodes=(Node("a", "bare"),)),
    "no nodes": lambda: Scene(format="obj", nodes=(), roots=(), meshes=()),
    "a mesh without faces": lambda: scene(Mesh("m", "points", np.eye(3), points=np.arange(3, dtype=np.int32))),
    "an empty mesh": lambda: scene(Mesh("m", "empty", np.zeros((0, 3)))),
    "a mesh that nobody places": lambda: scene(cube(), cube("spare"), nodes=(Node("a", "crate", mesh=0),)),
    "stray things": _stray,
    "things left over": _left_over,
    "a rig": lambda: rigged(np.random.default_rng(3)),
    "a painted board": lambda: textured(png((30, 20), noise=4)),
    "a leaf": lambda: card(CUT),
    "lost images": _lost_images,
    "a file without a unit": lambda: scene(cube(), cube("lid", at=(0.0, 1.0, 0.0)), format="obj", unit_metres=None, up_axis=None),
    "two sets of UVs": lambda: scene(
        replace(triangles_of(cube()), uvs=tuple(Layer(np.zeros((1, 2), np.float32), np.zeros(36, np.int32)) for _ in range(2)))
    ),
}


@cache
def odd(name: str) -> Scene:
    return ODD[name]()


def whole(s: Scene):
    """That every index of a scene leads somewhere and every layer fits its corners."""
    for n in s.nodes:
        assert all(0 <= c < len(s.nodes) for c in n.children)
        assert n.mesh is None or 0 <= n.mesh < len(s.meshes)
        assert n.skin is None or 0 <= n.skin < len(s.skins)
        assert n.camera is None or 0 <= n.camera < len(s.cameras)
        assert n.light is None or 0 <= n.light < len(s.lights)
    assert all(0 <= r < len(s.nodes) for r in s.roots)
    for m in s.meshes:
        vertices = len(m.positions)
        for use in (m.corners, m.lines.reshape(-1), m.points):
            assert not len(use) or (use.min() >= 0 and use.max() < vertices)
        assert m.starts[-1] == len(m.corners)
        assert len(m.slots) in (0, m.face_count)
        assert not len(m.slots) or m.slots.max() < max(len(m.slot_materials), 1)
        assert all(-1 <= x < len(s.materials) for x in m.slot_materials)
        for per_face in (m.smooth, m.groups):
            assert per_face is None or len(per_face) == m.face_count
        for layer in m.layers():
            assert len(layer.index) == len(m.corners)
            assert not len(layer.index) or layer.index.max() < len(layer.values)
        assert m.weights is None or len(m.weights.starts) == vertices + 1
        assert all(len(x.positions) == vertices for x in m.morphs)
    for x in s.materials:
        assert all(t.image is None or 0 <= t.image < len(s.images) for t in x.inputs)
    for c in s.clips:
        assert all(x.node is None or 0 <= x.node < len(s.nodes) for x in c.channels)
    for k in s.skins:
        assert all(0 <= j < len(s.nodes) for j in k.joints)
