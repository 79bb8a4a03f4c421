"""One scene with everything that a scene can hold, for walking through its fields."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
from PIL import Image as Picture

from handlens.core.scene import (
    Camera,
    Channel,
    Clip,
    Image,
    Layer,
    Light,
    Material,
    Mesh,
    Morph,
    Neighbour,
    Node,
    Scene,
    Skin,
    TextureInput,
    Weights,
)
from kit.scenes import cube, mesh, triangles_of


def picture(shade: int = 200) -> bytes:
    out = io.BytesIO()
    Picture.new("RGBA", (4, 4), (shade, 120, 40, 128)).save(out, "PNG")
    return out.getvalue()


def _layer(random: np.random.Generator, corners: int, width: int, gap: bool = False) -> Layer:
    index = np.arange(corners, dtype=np.int32)
    if gap:
        index[:3] = -1
    return Layer(random.random((corners, width)).astype(np.float32), index)


def _hull(random: np.random.Generator) -> Mesh:
    made = triangles_of(cube("hull"))
    c = len(made.corners)
    normals = _layer(random, c, 3)
    normals = Layer(normals.values / np.linalg.norm(normals.values, axis=1, keepdims=True), normals.index)
    tangents = Layer(np.tile(np.float32([1, 0, 0, 1]), (c, 1)), np.arange(c, dtype=np.int32))
    weights = Weights(np.arange(9) * 2, np.tile(np.int32([0, 1]), 8), np.tile(np.float32([0.25, 0.75]), 8))
    positions = made.positions.copy()
    morphs = tuple(
        Morph(n, random.normal(size=(8, 3)).astype(np.float32).astype(float), np.float32(random.normal(size=(c, 3))))
        for n in ("swell", "sag")
    )
    return replace(
        made,
        positions=positions,
        slots=np.repeat([0, 1], 6).astype(np.int32),
        slot_materials=(0, 1),
        uvs=(_layer(random, c, 2), _layer(random, c, 2)),
        normals=normals,
        tangents=tangents,
        colours=(_layer(random, c, 4),),
        weights=weights,
        morphs=morphs,
        morph_weights=(0.5, 0.0),
        lines=np.int32([[0, 7]]),
        points=np.int32([3]),
        extras={"extras": {"quay": 3}},
    )


def everything() -> Scene:
    """Three parts in a tree, one of them skinned and morphed and two sharing a mesh; materials, images, clips, cameras and lights."""
    random = np.random.default_rng(12)
    crate = mesh(np.float32([[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0], [0, 0, 3]]), [[0, 1, 2], [0, 2, 3], [0, 3, 4]], "crate")
    crate = replace(crate, uvs=(_layer(random, 9, 2),))
    spare = mesh(np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]), [[0, 1, 2]], "spare")
    nodes = (
        Node(
            "n0",
            "quay",
            (1.0, 2.0, 3.0),
            (0.0, 0.6, 0.0, 0.8),
            (2.0, 2.0, 2.0),
            children=(1, 2, 3, 4, 5),
            extras={"extras": {"tide": 1}},
        ),
        Node("n1", "hip", (0.0, 1.0, 0.0), children=(6,)),
        Node("n2", "hull", (0.5, 0.0, 0.0), mesh=0, skin=0, morph_weights=(0.25, 0.5)),
        Node("n3", "crate", (4.0, 0.0, 0.0), mesh=1),
        Node("n4", "crate too", (6.0, 0.0, 0.0), mesh=1, hidden=True),
        Node("n5", "lamp", camera=0, light=0),
        Node("n6", "knee", (0.0, 0.5, 0.0)),
        Node("n7", "store", (9.0, 0.0, 0.0)),
    )
    data = picture(), picture(90)
    images = (
        Image("i0", "rope.png", "rope.png", "embedded", None, "image/png", lambda: data[0]),
        Image("i1", "tar.png", "tar.png", "embedded", None, "image/png", lambda: data[1]),
        Image("i2", "gone.png", "maps/gone.png", "missing"),
    )
    base = TextureInput(
        "base-colour",
        ("pbrMetallicRoughness", "baseColorTexture"),
        0,
        1,
        {"wrapS": 33071, "magFilter": 9729},
        {"scale": [2.0, 3.0], "offset": [0.1, 0.2]},
    )
    bumps = TextureInput("normal", ("normalTexture",), 1, 0, {}, None, 0.5)
    lost = TextureInput("occlusion", ("occlusionTexture",), 2, options={"extras": {"kept": 1}})
    materials = (
        Material(
            "m0",
            "rope",
            (0.5, 0.6, 0.7, 0.8),
            0.25,
            0.75,
            (0.1, 0.2, 0.3),
            "mask",
            0.4,
            True,
            (base, bumps, lost),
            source={"extras": {"knots": 9}},
        ),
        Material("m1", "tar", (0.1, 0.1, 0.1, 1.0), 0.0, 1.0, (0.0, 0.0, 0.0), "opaque", None, False),
    )
    inverse = np.tile(np.eye(4), (2, 1, 1))
    inverse[:, :3, 3] = np.float32([[0, -1, 0], [0, -1.5, 0.25]])
    times = np.float32([0.0, 0.5, 1.0])
    half = np.float32([[0, 0, 0, 1], [0, 0.6, 0, 0.8], [0, 1, 0, 0]])
    channels = (
        Channel(1, "rotation", times, half),
        Channel(6, "translation", times, np.float32([[0, 0.5, 0], [0, 1, 0], [0, 0.5, 1]])),
        Channel(2, "weights", times, np.float32([[0, 1], [1, 0], [0.5, 0.5]]), "STEP"),
        Channel(3, "scale", times, np.float32([[1, 1, 1], [2, 2, 2], [1, 1, 1]])),
    )
    return Scene(
        "glb",
        nodes,
        (0,),
        (_hull(random), crate, spare),
        materials,
        images,
        (Skin("s0", "bones", (1, 6), inverse, 1),),
        (Clip("c0", "walk", channels),),
        (Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.125}}),),
        (
            Light(
                "sun",
                {
                    "type": "spot",
                    "color": [1.0, 0.5, 0.25],
                    "intensity": 4.0,
                    "spot": {"innerConeAngle": 0.1, "outerConeAngle": 0.5},
                },
            ),
        ),
        1.0,
        "Y",
        v_down=True,
        linear=True,
        beside=(Neighbour("list.xml", "side-file", "package", 7, lambda: b"<list/>", changed=True),),
        extras={"extras": {"harbour": "Mudlark Quay"}},
    )
