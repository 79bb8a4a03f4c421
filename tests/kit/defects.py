"""A small sound model, and defects of many kinds that are put into it by the number of a seed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from handlens.core.geometry.smoothing import smooth_normals
from handlens.core.scene import Image, Layer, Material, Mesh, Node, Scene, TextureInput
from handlens.core.scene.matrices import unit_vectors
from handlens.core.scene.model import frozen
from kit.pictures import png
from kit.scenes import cube, scene, triangles_of
from kit.solids import icosphere

Defect = Callable[[Scene, np.random.Generator], Scene]


def _mapped(made: Mesh, slot: int) -> Mesh:
    """A mesh with UVs of its own at each corner, smooth normals, and one material."""
    points = made.positions[made.corners]
    by_face = points.reshape(-1, 3, 3)
    normal = unit_vectors(np.cross(by_face[:, 1] - by_face[:, 0], by_face[:, 2] - by_face[:, 0]))
    flat = np.abs(normal).argmax(axis=1).repeat(3)
    across = np.stack([points[np.arange(len(points)), (flat + k) % 3] for k in (1, 2)], axis=1)
    uv = (across - across.min(axis=0)) / np.ptp(across, axis=0).max()
    made = replace(made, uvs=(Layer(frozen(uv.astype(np.float32)), np.arange(len(uv), dtype=np.int32)),), slot_materials=(slot,))
    return replace(made, normals=smooth_normals(made, 40)[0])


def sound() -> Scene:
    """A crate, a float and a post on the floor, in metres, of which nothing stops or cautions a realtime engine."""
    crate = _mapped(triangles_of(cube("crate", 0.8, (-0.4, 0.0, -0.4))), 0)
    ball = _mapped(icosphere(2), 1)
    ball = replace(ball, name="float", positions=frozen(ball.positions * 0.3 + [0.0, 0.3, 0.0]))
    post = triangles_of(cube("post", 1.0, (-0.5, 0.0, -0.5)))
    post = _mapped(replace(post, positions=frozen(post.positions * [0.1, 1.6, 0.1])), 2)
    nodes = tuple(
        Node(f"node:{k}", name, (x, 0.0, 0.0), mesh=k)
        for k, (name, x) in enumerate((("crate", 0.0), ("float", 1.2), ("post", -1.0)))
    )
    data = png(noise=20)
    images = (Image("i0", "tar.png", "tar.png", "embedded", None, "image/png", lambda: data),)
    inputs = (TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0),)
    materials = (
        Material("m0", "tarred", alpha_mode="opaque", inputs=inputs),
        Material("m1", "cork", base_colour=(0.8, 0.5, 0.3, 1.0), alpha_mode="opaque"),
        Material("m2", "oak", base_colour=(0.4, 0.3, 0.2, 1.0), alpha_mode="opaque"),
    )
    return scene(crate, ball, post, nodes=nodes, materials=materials, images=images).with_(
        format="glb", unit_metres=1.0, up_axis="Y"
    )


def _mesh(s: Scene, k: int, **changes: object) -> Scene:
    return s.with_(meshes=tuple(replace(m, **changes) if n == k else m for n, m in enumerate(s.meshes)))  # type: ignore[arg-type]


def _node(s: Scene, k: int, **changes: object) -> Scene:
    return s.with_(nodes=tuple(replace(m, **changes) if n == k else m for n, m in enumerate(s.nodes)))  # type: ignore[arg-type]


def turned(s: Scene, random: np.random.Generator) -> Scene:
    """A third of the float's faces, or the whole crate, wound the other way."""
    k = int(random.integers(2))
    corners = s.meshes[k].corners.reshape(-1, 3).copy()
    some = random.random(len(corners)) < (1.0 if k == 0 else 0.3)
    order = np.arange(len(corners) * 3).reshape(-1, 3)
    order[some] = order[some][:, ::-1]
    flat = order.reshape(-1)
    m = s.meshes[k]
    layers = {"uvs": tuple(Layer(u.values, u.index[flat]) for u in m.uvs)}
    if m.normals is not None:
        layers["normals"] = Layer(m.normals.values, m.normals.index[flat])  # type: ignore[assignment]
    return _mesh(s, k, corners=m.corners[flat], **layers)


def scaled(s: Scene, random: np.random.Generator) -> Scene:
    """A node that carries an uneven scale."""
    k = int(random.integers(3))
    by = (2.0, 0.5, 1.0)
    return _mesh(_node(s, k, scale=by), k, positions=frozen(s.meshes[k].positions / np.array(by)))


def mirrored(s: Scene, random: np.random.Generator) -> Scene:
    """A node whose scale mirrors it."""
    return _node(s, 2, scale=(-1.0, 1.0, 1.0))


def far_out(s: Scene, random: np.random.Generator) -> Scene:
    """All of it hundreds of kilometres out."""
    way = np.array([4e5, 0.0, 3e5])
    return s.with_(nodes=tuple(replace(n, translation=tuple(np.array(n.translation) + way)) for n in s.nodes))


def lines(s: Scene, random: np.random.Generator) -> Scene:
    """Setting-out lines beside the crate's faces."""
    return _mesh(s, 0, lines=np.int32([[0, 6], [1, 7]]))


def doubled(s: Scene, random: np.random.Generator) -> Scene:
    """Faces of the crate that are there twice."""
    m = s.meshes[0]
    more = np.arange(6)
    layers = {"uvs": tuple(Layer(u.values, np.concatenate([u.index, u.index[more]])) for u in m.uvs)}
    if m.normals is not None:
        layers["normals"] = Layer(m.normals.values, np.concatenate([m.normals.index, m.normals.index[more]]))  # type: ignore[assignment]
    return _mesh(
        s,
        0,
        corners=np.concatenate([m.corners, m.corners[more]]),
        starts=np.append(m.starts, [m.starts[-1] + 3, m.starts[-1] + 6]).astype(m.starts.dtype),
        slots=np.append(m.slots, [0, 0]).astype(np.int32) if len(m.slots) else m.slots,
        **layers,
    )


def bad_normals(s: Scene, random: np.random.Generator) -> Scene:
    """Stored normals of the float that point inward."""
    normals = s.meshes[1].normals
    assert normals is not None
    return _mesh(s, 1, normals=Layer(frozen(-normals.values), normals.index))


def not_a_number(s: Scene, random: np.random.Generator) -> Scene:
    """A few normals that are no numbers."""
    normals = s.meshes[1].normals
    assert normals is not None
    values = normals.values.copy()
    values[:5] = np.nan
    return _mesh(s, 1, normals=Layer(frozen(values), normals.index))


def see_through(s: Scene, random: np.random.Generator) -> Scene:
    """A picture with holes on a material that is drawn solid."""
    import io

    from PIL import Image as Picture

    pixels = np.full((64, 64, 4), 255, np.uint8)
    pixels[16:48, 16:48, 3] = 0
    pixels[..., :3] = random.integers(90, 160, (64, 64, 3))
    out = io.BytesIO()
    Picture.fromarray(pixels).save(out, "PNG")
    data = out.getvalue()
    return s.with_(images=(replace(s.images[0], load=lambda: data),))


def stray(s: Scene, random: np.random.Generator) -> Scene:
    """A speck of a part two kilometres from the rest."""
    speck = _mapped(triangles_of(cube("speck", 0.01)), 2)
    x, y, z = s.nodes[0].translation
    node = Node("node:speck", "speck", (x + 2_000.0, y, z), mesh=len(s.meshes))
    return s.with_(meshes=(*s.meshes, speck), nodes=(*s.nodes, node), roots=(*s.roots, len(s.nodes)))


def twin_materials(s: Scene, random: np.random.Generator) -> Scene:
    """Each part in a material of its own that is the same as another's."""
    made = s.with_(materials=(*s.materials, replace(s.materials[2], id="m9", name="oak.001")))
    return _mesh(made, 2, slot_materials=(len(s.materials),))


def copied(s: Scene, random: np.random.Generator) -> Scene:
    """The float a second time in its own place."""
    return s.with_(nodes=(*s.nodes, replace(s.nodes[1], id="node:again", name="float copy")), roots=(*s.roots, len(s.nodes)))


def torn(s: Scene, random: np.random.Generator) -> Scene:
    """The float in triangles that share no vertex, a hair apart."""
    m = s.meshes[1]
    points = m.positions[m.corners] + random.normal(scale=2e-6, size=(len(m.corners), 3))
    return _mesh(s, 1, positions=frozen(points), corners=np.arange(len(points), dtype=np.int32))


DEFECTS: tuple[Defect, ...] = (
    turned,
    scaled,
    mirrored,
    far_out,
    lines,
    doubled,
    bad_normals,
    not_a_number,
    see_through,
    stray,
    twin_materials,
    copied,
    torn,
)


#: What the models are meant to be: nothing of what is wrong with them waits for a word.
INTENT = '{"expected": {"height_m": 1.6}, "seen_from": "outside", "pivot": "base-centre"}'


def seeded(seed: int) -> tuple[Scene, list[str]]:
    """The sound model with three to eight defects, and their names. The same seed gives the same model."""
    random = np.random.default_rng(seed)
    chosen = random.permutation(len(DEFECTS))[: int(random.integers(3, 9))]
    made = sound()
    for k in sorted(chosen.tolist()):
        made = DEFECTS[k](made, random)
    return made, [DEFECTS[k].__name__ for k in sorted(chosen.tolist())]
