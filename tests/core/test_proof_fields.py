"""One thing changed at a time, for every field of every type of a scene: the proof must see it. A new field without a change fails."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace

import numpy as np
import pytest

from handlens.core import scene as types
from handlens.core.geometry.recut import recut
from handlens.core.proof import compare
from handlens.core.proof.rows import Row
from handlens.core.scene import Channel, Layer, Morph, Neighbour, Scene, Weights
from kit.everything import everything, picture

Change = Callable[[Scene], Scene]


def of(listing: str, k: int, **changes) -> Change:
    """One thing of a list of the scene with other fields; a field may be a function of the old value."""

    def change(s: Scene) -> Scene:
        some = list(getattr(s, listing))
        new = {n: v(getattr(some[k], n)) if callable(v) and n != "load" else v for n, v in changes.items()}
        some[k] = replace(some[k], **new)
        return s.with_(**{listing: tuple(some)})

    return change


def layer(values=None, index=None) -> Callable[[Layer], Layer]:
    return lambda x: Layer(
        x.values if values is None else values(x.values.copy()), x.index if index is None else index(x.index.copy())
    )


def poke(at, amount):
    """An array with one entry changed."""

    def change(a):
        a = np.array(a)
        a[at] += amount
        return a

    return change


def first(change):
    return lambda some: (change(some[0]), *some[1:])


def input_of(k: int, **changes) -> Change:
    return of("materials", 0, inputs=lambda some: tuple(replace(t, **changes) if n == k else t for n, t in enumerate(some)))


def channel_of(k: int, **changes) -> Change:
    new = lambda c: replace(c, **{n: v(getattr(c, n)) if callable(v) else v for n, v in changes.items()})
    return of("clips", 0, channels=lambda some: tuple(new(c) if n == k else c for n, c in enumerate(some)))


def weights(**changes) -> Change:
    return of(
        "meshes",
        0,
        weights=lambda w: Weights(
            **{n: changes.get(n, lambda v: v)(getattr(w, n).copy()) for n in ("starts", "joints", "weights")}
        ),
    )


def swapped(a):
    a = a.copy()
    a[[0, 1]] = a[[1, 0]]
    return a


#: Type -> field -> changes of it, each of which must be seen.
CHANGES: dict[str, dict[str, list[Change]]] = {
    "Scene": {
        "nodes": [lambda s: s.with_(nodes=(*s.nodes, types.Node("n8", "drift")), roots=(*s.roots, 8))],
        "roots": [lambda s: s.with_(roots=(0, 7)), lambda s: s.with_(roots=())],
        "meshes": [
            lambda s: s.with_(meshes=s.meshes[:2]),
            lambda s: s.with_(meshes=(*s.meshes, replace(s.meshes[1], id="more"))),
        ],
        "materials": [lambda s: s.with_(materials=(*s.materials, types.Material("m2", "more")))],
        "images": [lambda s: s.with_(images=(*s.images, types.Image("i3", "more", "more.png", "embedded", load=picture)))],
        "skins": [lambda s: s.with_(skins=(*s.skins, replace(s.skins[0], id="s1")))],
        "clips": [lambda s: s.with_(clips=()), lambda s: s.with_(clips=(*s.clips, replace(s.clips[0], name="run")))],
        "cameras": [lambda s: s.with_(cameras=(*s.cameras, s.cameras[0]))],
        "lights": [lambda s: s.with_(lights=(*s.lights, s.lights[0]))],
        "unit_metres": [lambda s: s.with_(unit_metres=0.01), lambda s: s.with_(unit_metres=None)],
        "up_axis": [lambda s: s.with_(up_axis="Z"), lambda s: s.with_(up_axis=None)],
        "handedness": [lambda s: s.with_(handedness="left")],
        "beside": [
            lambda s: s.with_(beside=()),
            lambda s: s.with_(beside=(Neighbour("list.xml", "side-file", "package", 7, lambda: b"<LIST/>"),)),
        ],
        "extras": [lambda s: s.with_(extras={"extras": {"harbour": "Mudlark Bay"}})],
    },
    "Node": {
        "name": [of("nodes", 3, name="box"), of("nodes", 1, name="Hip")],
        "translation": [of("nodes", 3, translation=(4.0, 1e-3, 0.0)), of("nodes", 6, translation=(0.0, 0.6, 0.0))],
        "rotation": [of("nodes", 0, rotation=(0.0, -0.6, 0.0, 0.8))],
        "scale": [of("nodes", 3, scale=(1.0, 1.001, 1.0)), of("nodes", 3, scale=(-1.0, 1.0, 1.0))],
        "matrix": [of("nodes", 3, matrix=np.eye(4))],
        "children": [
            lambda s: s.with_(
                nodes=tuple(replace(n, children={0: (1, 2, 4, 5), 4: (3,)}.get(k, n.children)) for k, n in enumerate(s.nodes))
            )
        ],
        "mesh": [of("nodes", 3, mesh=2), of("nodes", 3, mesh=None), of("nodes", 5, mesh=1)],
        "skin": [of("nodes", 2, skin=None), of("nodes", 3, skin=0)],
        "camera": [of("nodes", 5, camera=None), lambda s: of("nodes", 5, camera=None)(of("nodes", 6, camera=0)(s))],
        "light": [of("nodes", 5, light=None)],
        "hidden": [of("nodes", 4, hidden=False), of("nodes", 3, hidden=True)],
        "morph_weights": [of("nodes", 2, morph_weights=(0.25, 0.6)), of("nodes", 2, morph_weights=())],
        "extras": [of("nodes", 0, extras={})],
    },
    "Mesh": {
        "name": [of("meshes", 1, name="box")],
        "positions": [
            of("meshes", 0, positions=poke((2, 1), 1e-4)),
            of("meshes", 1, positions=lambda p: p * 1.001),
            of("meshes", 2, positions=lambda p: p + 1),
        ],
        "corners": [
            of("meshes", 0, corners=poke(4, -1)),
            of("meshes", 1, corners=lambda c: np.concatenate([c[:3][::-1], c[3:]])),
        ],
        "starts": [
            lambda s: s.with_(meshes=(recut(s.meshes[0], np.arange(33), np.arange(12) * 3, np.arange(11)), *s.meshes[1:]))
        ],
        "slots": [of("meshes", 0, slots=poke(0, 1)), of("meshes", 0, slots=lambda x: 1 - x)],
        "slot_materials": [
            of("meshes", 1, slot_materials=(1,)),
            of("meshes", 1, slot_materials=(-1,)),
            of("meshes", 0, slot_materials=(1, 0)),
        ],
        "uvs": [of("meshes", 0, uvs=lambda u: u[:1]), of("meshes", 0, uvs=lambda u: u[::-1]), of("meshes", 1, uvs=())],
        "normals": [
            of("meshes", 0, normals=None),
            of("meshes", 0, normals=layer(lambda v: -v)),
            of("meshes", 0, normals=layer(lambda v: v * 0.9)),
        ],
        "tangents": [of("meshes", 0, tangents=None), of("meshes", 0, tangents=layer(lambda v: v * [1, 1, 1, -1]))],
        "colours": [
            of("meshes", 0, colours=()),
            of("meshes", 0, colours=first(layer(lambda v: v / 2))),
            of("meshes", 0, colours=first(layer(lambda v: v[:, :3]))),
        ],
        "smooth": [of("meshes", 0, smooth=np.repeat([0, 2], 6))],
        "groups": [of("meshes", 0, groups=np.repeat([0, 1], 6).astype(np.int32), group_names=("lid", "rim"))],
        "group_names": [of("meshes", 1, groups=np.zeros(3, np.int32), group_names=("lid",))],
        "lines": [of("meshes", 0, lines=np.int32([[0, 6]])), of("meshes", 0, lines=np.zeros((0, 2), np.int32))],
        "points": [of("meshes", 0, points=np.int32([2])), of("meshes", 1, points=np.int32([2]))],
        "weights": [of("meshes", 0, weights=None)],
        "morphs": [
            of("meshes", 0, morphs=()),
            of("meshes", 0, morphs=lambda m: m[:1]),
            of("meshes", 0, morphs=lambda m: m[::-1]),
        ],
        "morph_weights": [of("meshes", 0, morph_weights=(1.0, 0.0)), of("meshes", 0, morph_weights=())],
        "extras": [of("meshes", 0, extras={"extras": {"quay": 4}})],
    },
    "Layer": {
        "values": [
            of("meshes", 0, uvs=first(layer(poke((5, 0), 1e-3)))),
            of("meshes", 0, normals=layer(poke((5, 0), 0.01))),
            of("meshes", 0, colours=first(layer(poke((5, 3), 0.1)))),
        ],
        "index": [
            of("meshes", 0, uvs=first(layer(index=poke(4, 1)))),
            of("meshes", 0, uvs=first(layer(index=lambda i: np.where(i < 3, -1, i)))),
            of("meshes", 0, normals=layer(index=lambda i: np.where(i == 7, -1, i))),
        ],
    },
    "Weights": {
        "starts": [weights(starts=lambda s: np.array([0, 1, 4, 6, 8, 10, 12, 14, 16]))],
        "joints": [weights(joints=lambda j: 1 - j), weights(joints=lambda j: j * 0)],
        "weights": [
            weights(weights=poke(3, 0.01)),
            weights(weights=lambda w: np.concatenate([w[2:], w[:2]])[::-1]),
            weights(weights=lambda w: w * 0.5),
        ],
    },
    "Morph": {
        "name": [of("meshes", 0, morphs=first(lambda m: replace(m, name="grow")))],
        "positions": [
            of("meshes", 0, morphs=first(lambda m: Morph(m.name, m.positions / 2, m.normals))),
            of("meshes", 0, morphs=first(lambda m: replace(m, positions=poke((1, 2), 1e-3)(m.positions)))),
        ],
        "normals": [
            of("meshes", 0, morphs=first(lambda m: Morph(m.name, m.positions))),
            of("meshes", 0, morphs=first(lambda m: replace(m, normals=poke((9, 1), 0.1)(m.normals)))),
        ],
    },
    "Material": {
        "name": [of("materials", 0, name="hemp")],
        "base_colour": [
            of("materials", 0, base_colour=(0.5, 0.6, 0.71, 0.8)),
            of("materials", 0, base_colour=(0.5, 0.6, 0.7, 0.7)),
        ],
        "metallic": [of("materials", 0, metallic=0.5), of("materials", 1, metallic=None)],
        "roughness": [of("materials", 0, roughness=0.5)],
        "emissive": [of("materials", 0, emissive=(0.1, 0.2, 0.4))],
        "alpha_mode": [of("materials", 0, alpha_mode="blend"), of("materials", 1, alpha_mode="mask")],
        "alpha_cutoff": [of("materials", 0, alpha_cutoff=0.5)],
        "double_sided": [of("materials", 0, double_sided=False), of("materials", 1, double_sided=True)],
        "inputs": [
            of("materials", 0, inputs=lambda x: x[:2]),
            of("materials", 1, inputs=lambda x: everything().materials[0].inputs[1:2]),
        ],
        "defined": [of("materials", 1, defined=False)],
        "source": [of("materials", 0, source={}), of("materials", 1, source={"extensions": {"KHR_materials_unlit": {}}})],
    },
    "TextureInput": {
        "role": [input_of(1, role="bump")],
        "image": [input_of(0, image=1), input_of(0, image=None), input_of(2, image=0)],
        "uv_set": [input_of(0, uv_set=0)],
        "sampler": [
            input_of(0, sampler={"magFilter": 9729}),
            input_of(0, sampler={"wrapS": 33071, "magFilter": 9728}),
            input_of(1, sampler={"wrapT": 33648}),
        ],
        "transform": [
            input_of(0, transform=None),
            input_of(0, transform={"scale": [2.0, 3.0], "offset": [0.1, 0.2], "rotation": 0.1}),
            input_of(1, transform={"scale": [2.0, 2.0]}),
        ],
        "scale": [input_of(1, scale=1.0), input_of(1, scale=None), input_of(2, scale=0.5)],
        "channel": [input_of(2, channel="g")],
        "options": [input_of(2, options={})],
    },
    "Image": {
        "name": [of("images", 0, name="Rope.png")],
        "reference": [of("images", 2, reference="maps/lost.png")],
        "load": [
            of("images", 0, load=lambda: picture(201)),
            of("images", 0, load=None),
            of("images", 0, load=lambda: b"no picture"),
            of("images", 2, load=picture),
        ],
    },
    "Skin": {
        "name": [of("skins", 0, name="rig")],
        "joints": [of("skins", 0, joints=(1, 3)), of("skins", 0, joints=(6, 1)), of("skins", 0, joints=(1,))],
        "inverse_bind": [
            of("skins", 0, inverse_bind=None),
            of("skins", 0, inverse_bind=poke((1, 1, 3), 1e-3)),
            of("skins", 0, inverse_bind=swapped),
        ],
        "skeleton": [of("skins", 0, skeleton=0), of("skins", 0, skeleton=None)],
    },
    "Clip": {"name": [of("clips", 0, name="run")], "channels": [of("clips", 0, channels=lambda c: c[:3])]},
    "Channel": {
        "node": [channel_of(3, node=4), channel_of(3, node=None)],
        "path": [channel_of(3, path="translation")],
        "times": [channel_of(0, times=np.float32([0, 0.25, 1])), channel_of(1, times=np.float32([0, 0.5, 2]))],
        "values": [
            channel_of(0, values=lambda v: np.tile(v[:1], (3, 1))),
            channel_of(1, values=poke((1, 2), 1e-3)),
            channel_of(2, values=poke((2, 1), 0.1)),
            channel_of(3, values=lambda v: v * 0 + 1),
        ],
        "interpolation": [channel_of(1, interpolation="STEP"), channel_of(2, interpolation="LINEAR")],
    },
    "Camera": {
        "name": [of("cameras", 0, name="lens")],
        "source": [
            of("cameras", 0, source={"type": "perspective", "perspective": {"yfov": 0.7, "znear": 0.125}}),
            of("cameras", 0, source={"type": "orthographic"}),
        ],
    },
    "Light": {
        "name": [of("lights", 0, name="moon")],
        "source": [
            of("lights", 0, source=lambda x: {**x, "intensity": 5.0}),
            of("lights", 0, source=lambda x: {**x, "spot": {"innerConeAngle": 0.2, "outerConeAngle": 0.5}}),
        ],
    },
}

#: Fields that are not compared, and why.
APART = {
    **{(t, "id"): "a number of ours, which no file holds" for t in ("Node", "Mesh", "Material", "Image", "Skin", "Clip")},
    ("TextureInput", "path"): "where a role has its place in one format's description",
    ("Image", "status"): "whether it was found, which `load` says",
    ("Image", "found_at"): "where it lay, which is the layout of a folder",
    ("Image", "media_type"): "what its bytes say",
    ("Image", "keep"): "a wish for the writer",
    ("Scene", "format"): "the one is compared in the other's words",
    ("Scene", "problems"): "what a reader says of its file",
    ("Scene", "files"): "which files were read",
    ("Scene", "main"): "its path",
    ("Scene", "file_bytes"): "how large the files were that were read",
    ("Scene", "former"): "names of before",
    ("Scene", "v_down"): "how UVs are counted: the same numbers by both",
    ("Scene", "linear"): "how colours are counted: the same numbers by both",
}
#: What lies beside a model is compared as the scene's; a sentence about a file is none of its parts.
NO_PARTS = {"Neighbour", "Problem"}


def stops(a: Scene, b: Scene, single: bool = True) -> list[Row]:
    return [r for r in compare(a, b, single) if r.result == "stop"]


@pytest.mark.parametrize("name", [n for n in types.__all__ if n not in NO_PARTS])
def test_every_field_is_compared_or_said_not_to_be(name):
    own = {f.name for f in fields(getattr(types, name))}
    compared, apart = set(CHANGES.get(name, {})), {f for t, f in APART if t == name}
    assert compared | apart == own
    assert not compared & apart


@pytest.mark.parametrize(
    ("name", "field", "k"), [(t, f, k) for t, some in CHANGES.items() for f, all_ in some.items() for k in range(len(all_))]
)
def test_a_change_of_one_field_is_seen(name, field, k):
    sent = everything()
    found = stops(sent, CHANGES[name][field][k](everything()))
    assert found
    # One cause is not told as though everything had changed.
    assert len(found) <= 9, [(r.what, r.difference) for r in found]
    assert all(r.difference and r.group for r in found)


def shuffled(s: Scene, seed: int) -> Scene:
    """The same in another order: nodes, meshes, materials, images, vertices, faces, the corners that faces begin with, joints, channels."""
    random = np.random.default_rng(seed)
    meshes = []
    for m in s.meshes:
        order = random.permutation(m.face_count)
        turn = random.integers(0, 3, m.face_count)
        corners = (3 * order[:, None] + (np.arange(3) + turn[:, None]) % 3).reshape(-1)
        made = recut(m, corners, m.starts, order)
        new = random.permutation(len(m.positions))
        back = np.argsort(new)
        w = m.weights
        if w is not None:
            rows = [random.permutation(np.arange(w.starts[v], w.starts[v + 1])) for v in new]
            entry = np.concatenate(rows)
            w = Weights(np.concatenate([[0], np.cumsum([len(r) for r in rows])]), w.joints[entry], w.weights[entry])
        of_vertex = lambda x, new=new: replace(x, positions=x.positions[new])
        made = replace(
            made,
            positions=m.positions[new],
            corners=back[made.corners].astype(np.int32),
            lines=back[m.lines][:, ::-1].astype(np.int32),
            points=back[m.points].astype(np.int32),
            weights=w,
            morphs=tuple(of_vertex(x) for x in m.morphs),
        )
        meshes.append(made)

    def moved(some):
        order = random.permutation(len(some))
        return tuple(some[k] for k in order), {int(old): new for new, old in enumerate(order)} | {None: None, -1: -1}

    meshes, mesh_at = moved(meshes)
    materials, material_at = moved(s.materials)
    images, image_at = moved(s.images)
    nodes, node_at = moved(s.nodes)
    meshes = tuple(replace(m, slot_materials=tuple(material_at[k] for k in m.slot_materials)) for m in meshes)
    materials = tuple(replace(m, inputs=tuple(replace(t, image=image_at[t.image]) for t in m.inputs)) for m in materials)
    nodes = tuple(
        replace(n, mesh=mesh_at[n.mesh], children=tuple(random.permutation([node_at[c] for c in n.children]).tolist()))
        for n in nodes
    )
    skins = []
    for x in s.skins:
        order = random.permutation(len(x.joints))
        skins.append(
            replace(
                x,
                joints=tuple(node_at[x.joints[k]] for k in order),
                inverse_bind=x.inverse_bind[order],
                skeleton=node_at[x.skeleton],
            )
        )
        at = np.argsort(order).astype(np.int32)
        meshes = tuple(
            m if m.weights is None else replace(m, weights=Weights(m.weights.starts, at[m.weights.joints], m.weights.weights))
            for m in meshes
        )
    clips = tuple(replace(c, channels=moved([replace(x, node=node_at[x.node]) for x in c.channels])[0]) for c in s.clips)
    return s.with_(
        meshes=meshes,
        materials=materials,
        images=images,
        nodes=nodes,
        roots=tuple(node_at[r] for r in s.roots),
        skins=tuple(skins),
        clips=clips,
    )


def wider(s: Scene) -> Scene:
    """The same numbers in wider types."""
    wide = lambda x: None if x is None else Layer(x.values.astype(np.float64), x.index.astype(np.int64))
    some = lambda xs: tuple(wide(x) for x in xs)
    meshes = tuple(
        replace(
            m,
            corners=m.corners.astype(np.int64),
            uvs=some(m.uvs),
            normals=wide(m.normals),
            tangents=wide(m.tangents),
            colours=some(m.colours),
        )
        for m in s.meshes
    )
    clips = tuple(
        replace(
            c,
            channels=tuple(
                Channel(x.node, x.path, x.times.astype(np.float64), x.values.astype(np.float64), x.interpolation)
                for x in c.channels
            ),
        )
        for c in s.clips
    )
    return s.with_(meshes=meshes, clips=clips)


def written_out(s: Scene) -> Scene:
    """The same with defaults written out, weights of nought, and transforms as matrices."""
    full = lambda t: replace(
        t,
        sampler={"wrapS": 10497, "wrapT": 10497, **t.sampler},
        transform=t.transform or {"scale": [1, 1]},
        scale=1.0 if t.scale is None else t.scale,
    )
    materials = tuple(replace(m, inputs=tuple(full(t) for t in m.inputs)) for m in s.materials)
    nodes = tuple(
        replace(n, translation=(0, 0, 0), rotation=(0, 0, 0, 1), scale=(1, 1, 1), matrix=np.array(n.local)) for n in s.nodes
    )
    hull = s.meshes[0]
    rows = np.zeros((8, 3), np.float32)
    rows[:, :2] = hull.weights.weights.reshape(8, 2)
    padded = Weights(np.arange(9) * 3, np.tile(np.int32([0, 1, 0]), 8), rows.reshape(-1))
    meshes = (replace(hull, weights=padded, smooth=np.zeros(12, np.int32)), *s.meshes[1:])
    return s.with_(materials=materials, nodes=nodes, meshes=meshes)


@pytest.mark.parametrize("change", [lambda s: s, *(lambda s, k=k: shuffled(s, k) for k in range(6)), wider, written_out])
def test_what_differs_in_nothing_is_proved(change):
    assert [(r.what, r.difference, r.where) for r in stops(everything(), change(everything()))] == []
