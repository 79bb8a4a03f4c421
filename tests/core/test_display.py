"""The display copy: light indices, reduced copies, marks cut from the full one, morphs, weights by joint."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.display import display_copy, light, marked, pulled, reduced_copy
from handlens.core.machine.sections import Opened
from handlens.core.scene import Layer, Mesh, Morph, Node, Scene, Skin, TextureInput, Weights
from handlens.core.scene.matrices import apply
from handlens.core.scene.model import frozen
from handlens.core.scene.motion import pose_at
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import world_matrices
from handlens.core.surface.uv_transform import placed
from kit.pictures import textured
from kit.scenes import eel, rigged


def sphere(rings: int, name: str = "float") -> Mesh:
    """A UV sphere of radius 1 as triangles, with a seam in its UVs."""
    v, u = np.meshgrid(np.linspace(0, np.pi, rings + 1), np.linspace(0, 2 * np.pi, 2 * rings + 1), indexing="ij")
    points = np.stack([np.sin(v) * np.cos(u), np.cos(v), np.sin(v) * np.sin(u)], axis=-1).reshape(-1, 3)
    a = (np.arange(rings)[:, None] * (2 * rings + 1) + np.arange(2 * rings)).reshape(-1)
    b = a + 2 * rings + 1
    quads = np.stack([np.stack([a, a + 1, b], axis=1), np.stack([b, a + 1, b + 1], axis=1)], axis=1).reshape(-1, 3)
    uv = np.stack([u, v], axis=-1).reshape(-1, 2).astype(np.float32) / np.float32(2 * np.pi)
    corners = quads.reshape(-1).astype(np.int32)
    return Mesh(
        id=name,
        name=name,
        positions=frozen(points),
        corners=frozen(corners),
        starts=frozen(np.arange(len(quads) + 1) * 3),
        slots=frozen((np.arange(len(quads)) >= len(quads) // 2).astype(np.int32)),
        slot_materials=(-1, -1),
        uvs=(Layer(frozen(uv), frozen(corners)),),
    )


def scene(*meshes: Mesh, **more: object) -> Scene:
    nodes = tuple(Node(id=f"n{k}", name=m.name, mesh=k) for k, m in enumerate(meshes))
    return Scene(
        format="glb",
        nodes=nodes,
        roots=tuple(range(len(nodes))),
        meshes=meshes,
        unit_metres=1.0,
        up_axis="Y",
        v_down=True,
        linear=True,
    ).with_(**more)


@pytest.fixture
def small_limits(monkeypatch):
    monkeypatch.setattr(light, "LIGHT_AIM", 1_500)
    monkeypatch.setattr("handlens.core.display.copy.LIGHT_OVER", 4_000)
    monkeypatch.setattr(light, "REDUCED_OVER", 12_000)
    monkeypatch.setattr(light, "REDUCED_AIM", 4_000)


def test_clusters_choose_a_vertex_of_their_own_cell():
    points = np.random.default_rng(4).random((5_000, 3)) * [4, 1, 2] + 1e5
    c = light.Clusters(points, 20)
    assert c.step == pytest.approx(np.ptp(points, axis=0).max() / 20)
    assert (c.cell[c.chosen] == np.arange(c.count)).all()
    assert np.linalg.norm(points - points[c.chosen[c.cell]], axis=1).max() <= np.sqrt(3) * c.step * (1 + 1e-9)


def test_clusters_of_a_single_point_and_of_flat_things():
    assert light.Clusters(np.zeros((4, 3)), 10).count == 1
    flat = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    clusters, kept = light.clusters_for(flat, np.array([[0, 1, 2], [0, 2, 3], [0, 0, 1]]), 10)
    assert kept.tolist() == [0, 1]
    assert clusters.count == 4


def test_a_large_mesh_carries_a_light_index_over_its_own_vertices(small_limits):
    made = Opened(display_copy(scene(sphere(60))))
    mesh = made.header["meshes"][0]
    index = made.array(mesh["light"]["index"], np.uint32).reshape(-1, 3)
    assert 700 <= len(index) <= 1_900
    assert index.max() < mesh["positions"]["count"] / 3
    groups = mesh["light"]["groups"]
    assert [g["material"] for g in groups] == [-1, -1]
    assert groups[0]["start"] == 0
    assert groups[1]["start"] == groups[0]["count"]
    assert sum(g["count"] for g in groups) == index.size
    # The light sphere still is the sphere: its volume by the divergence theorem is within a tenth.
    p = made.array(mesh["positions"], np.float32).reshape(-1, 3).astype(float)[index]
    volume = abs(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum()) / 6
    assert volume == pytest.approx(4 / 3 * np.pi, rel=0.1)


def test_small_models_have_neither():
    made = display_copy(scene(sphere(20)))
    assert "light" not in Opened(made).header["meshes"][0]
    assert reduced_copy(made) is None


def test_a_reduced_copy_says_so_and_names_stored_polygons_and_vertices(small_limits):
    whole = sphere(80)
    full = display_copy(scene(whole, sphere(10, "cork")))
    reduced = reduced_copy(full)
    assert reduced is not None
    assert len(reduced) < len(full) / 2
    made = Opened(reduced)
    mesh = made.header["meshes"][0]
    assert made.header["reduced"] is True
    assert mesh["reduced"]["from"] == whole.face_count
    assert mesh["triangles"] * 3 == mesh["index"]["count"]
    assert mesh["triangles"] < whole.face_count / 2
    # A mesh that is small already stays whole.
    assert "reduced" not in made.header["meshes"][1]
    assert made.header["meshes"][1]["triangles"] == 400
    index = made.array(mesh["index"], np.uint32).reshape(-1, 3)
    drawn = made.array(mesh["positions"], np.float32).reshape(-1, 3)[index].mean(axis=1)
    faces = made.array(mesh["faces"], np.uint32)
    true = whole.positions[whole.corners.reshape(-1, 3)][faces].mean(axis=1)
    # A drawn triangle lies within a cell's diagonal of the polygon that it stands for.
    assert np.linalg.norm(drawn + mesh["centre"] - true, axis=1).max() < np.sqrt(3) * mesh["reduced"]["step"] + 1e-6
    assert made.array(mesh["vertex"], np.uint32).max() < len(whole.positions)
    assert {k: len(made.array(mesh[k], t)) // n for k, (n, t) in light.VERTEX_SECTIONS.items() if k in mesh} == dict.fromkeys(
        ["positions", "normals", "uv0", "vertex"], mesh["vertex"]["count"]
    )


def test_no_crack_opens_where_charts_meet(small_limits):
    """Positions are one a cell: a closed surface stays closed although its UVs have a seam."""
    made = Opened(reduced_copy(display_copy(scene(sphere(80)))) or b"")
    mesh = made.header["meshes"][0]
    p = made.array(mesh["positions"], np.float32).reshape(-1, 3)
    _, weld = np.unique(p, axis=0, return_inverse=True)
    tri = weld.reshape(-1)[made.array(mesh["index"], np.uint32).reshape(-1, 3)]
    edges = np.sort(np.concatenate([tri[:, [0, 1]], tri[:, [1, 2]], tri[:, [2, 0]]]), axis=1)
    _, uses = np.unique(edges, axis=0, return_counts=True)
    assert (uses % 2 == 0).all()


@pytest.mark.parametrize("kind", ["faces", "edges", "vertices"])
def test_marks_are_cut_from_the_full_copy(kind):
    whole = sphere(12)
    full = display_copy(scene(whole))
    centre = np.array(Opened(full).header["meshes"][0]["centre"])
    indices = np.array([5, 6, 100, 101], np.int32)
    got = marked(full, 0, kind, indices) + centre
    wanted = whole.positions[whole.corners.reshape(-1, 3)[indices].reshape(-1)] if kind == "faces" else whole.positions[indices]
    assert np.abs(got - wanted).max() < 1e-6


def test_marks_of_what_is_not_drawn_are_none():
    full = display_copy(scene(sphere(4)))
    assert marked(full, 7, "faces", np.array([0], np.int32)).shape == (0, 3)
    assert marked(full, 0, "materials", np.array([0], np.int32)).shape == (0, 3)
    assert len(marked(full, 0, "faces", np.array([10**6], np.int32))) == 0


def test_stored_morph_weights_are_drawn_and_a_nodes_own_win():
    """glTF 2.0 §3.7.2.2: node.weights override mesh.weights."""
    plain = sphere(6)
    up = Morph("swell", frozen(np.tile([0.0, 2.0, 0.0], (len(plain.positions), 1))))
    mesh = replace(plain, morphs=(up,), morph_weights=(0.5,))
    nodes = (
        Node(id="a", name="a", mesh=0),
        Node(id="b", name="b", mesh=0, morph_weights=(0.25,)),
        Node(id="c", name="c", mesh=0),
    )
    made = Opened(display_copy(scene(mesh, nodes=nodes, roots=(0, 1, 2))))
    assert [p["mesh"] for p in made.header["parts"]] == [0, 1, 0]
    centres = [m["centre"][1] for m in made.header["meshes"]]
    assert centres[0] - centres[1] == pytest.approx(0.5)


def test_weights_travel_by_joint(small_limits):
    mesh = sphere(60)
    count = len(mesh.positions)
    joints = np.tile([0, 1], count).astype(np.int32)
    high = np.linspace(0, 1, count, dtype=np.float32)
    weights = Weights(frozen(np.arange(count + 1) * 2), frozen(joints), frozen(np.stack([high, 1 - high], axis=1).reshape(-1)))
    nodes = (Node(id="m", name="heron", mesh=0, skin=0), Node(id="j0", name="neck"), Node(id="j1", name="wing"))
    skinned = scene(replace(mesh, weights=weights), nodes=nodes, roots=(0, 1, 2), skins=(Skin("s", "rig", (1, 2)),))
    full = display_copy(skinned)
    for data in (full, reduced_copy(full) or b""):
        made = Opened(data)
        entry = made.header["meshes"][0]
        j = entry["joints"]
        assert j["names"] == ["neck", "wing"]
        assert j["nodes"] == [1, 2]
        vertex = made.array(entry["vertex"], np.uint32)
        starts = made.array(j["starts"], np.uint32)
        assert len(starts) == len(vertex) + 1
        first, joint = (made.array(j[k], np.uint16)[starts[:-1]] for k in ("weight", "joint"))
        heavier = np.maximum(high, 1 - high)[vertex]
        assert np.abs(first / 65_535 - heavier).max() <= 0.5 / 65_535 + 1e-6
        assert (joint == (high[vertex] < 0.5))[heavier > 0.51].all()


@pytest.mark.parametrize("seed", range(3))
def test_vertices_and_normals_move_from_the_copy_as_they_do_in_the_scene(seed):
    """What the stage works out: Root · World_j · Bind_j over the unposed vertices, against the core's own skinning at a moment of the clip."""
    made = rigged(np.random.default_rng(seed))
    made = made.with_(unit_metres=0.01, up_axis="Z")
    opened = Opened(display_copy(made))
    header = opened.header
    rig, part = header["rig"], header["parts"][0]
    entry = header["meshes"][part["mesh"]]
    root = np.array(rig["root"]).reshape(4, 4).T
    bound = opened.array(entry["bound"]["positions"], np.float32).reshape(-1, 3) + entry["bound"]["centre"]
    vertex = opened.array(entry["vertex"], np.uint32)
    skin, j = rig["skins"][part["skin"]], entry["joints"]
    inverse = opened.array(skin["inverse"], np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)
    starts, joint, weight = (
        opened.array(j[k], t) for k, t in (("starts", np.uint32), ("joint", np.uint16), ("weight", np.uint16))
    )
    for world in (world_matrices(made), pose_at(made, made.clips[0], 0.3)):
        m = root @ world[skin["joints"]] @ inverse
        owner = np.repeat(np.arange(len(vertex)), np.diff(starts))
        each = np.einsum("eij,ej->ei", m[joint][:, :3, :3], bound[owner]) + m[joint][:, :3, 3]
        points = np.stack([np.bincount(owner, each[:, a] * weight / 65_535, len(vertex)) for a in range(3)], 1)
        want = apply(root, posed(made, part["node"], world))[vertex]
        assert np.abs(points - want).max() <= 1e-4 * max(np.abs(want).max(), 1)
    still = np.array(part["matrix"]).reshape(4, 4).T
    drawn = apply(still, opened.array(entry["positions"], np.float32).reshape(-1, 3).astype(float))
    assert np.abs(drawn - apply(root, posed(made, part["node"]))[vertex]).max() <= 1e-5
    assert [n["node"] for n in rig["nodes"] if n["joint"]] == [1, 2, 3]
    assert [c["path"] for c in rig["clips"][0]["channels"]] == ["rotation", "translation", "scale"]


def test_normals_are_drawn_as_the_skin_turns_them():
    made = eel()
    quarter = (-np.sqrt(0.5), 0.0, 0.0, np.sqrt(0.5))
    nodes = tuple(replace(n, rotation=quarter) if n.name == "rig" else n for n in made.nodes)
    opened = Opened(display_copy(made.with_(nodes=nodes)))
    entry = opened.header["meshes"][0]
    normals = opened.array(entry["normals"], np.int8).reshape(-1, 4)[:, :3] / 127
    bound = opened.array(entry["bound"]["normals"], np.int8).reshape(-1, 4)[:, :3] / 127
    turn = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]])
    assert np.abs(bound).max() > 0.9
    assert normals == pytest.approx(bound @ turn.T, abs=0.02)


def test_channels_that_cannot_be_played_stay_behind():
    made = eel()
    good = made.clips[0].channels[0]
    bad = [
        replace(good, times=np.array([0, 1, 0.5], np.float32)),
        replace(good, values=np.full((3, 4), np.nan, np.float32)),
        replace(good, path="translation"),
        replace(good, node=None),
        replace(good, path="weights"),
    ]
    opened = Opened(display_copy(made.with_(clips=(replace(made.clips[0], channels=(good, *bad)),))))
    assert [c["node"] for c in opened.header["rig"]["clips"][0]["channels"]] == [2]
    assert Opened(display_copy(scene(sphere(4)))).header["rig"] is None


def test_every_uv_set_is_drawn_and_the_material_says_which_and_where():
    """glTF 2.0 §3.9.2 (texCoord) and KHR_texture_transform; v runs upwards in OBJ and downwards on the stage."""
    board = textured(b"")
    m = board.meshes[0]
    second = Layer(m.uvs[0].values[::-1], np.array([0, 1, -1, 3], np.int32))
    paint = board.materials[0]
    moved = replace(paint.inputs[0], uv_set=1, transform={"rotation": 0.3, "scale": [2.0, 1.0], "offset": [0.1, 0.2]})
    made = board.with_(meshes=(replace(m, uvs=(m.uvs[0], second)),), materials=(replace(paint, inputs=(moved,)),))
    for v_down, s in ((True, made), (False, made.with_(format="obj", v_down=False))):
        opened = Opened(display_copy(s))
        mesh, material = opened.header["meshes"][0], opened.header["materials"][0]
        uv = [opened.array(mesh[k], np.float32).reshape(-1, 2) for k in ("uv0", "uv1")]
        stored = opened.array(mesh["vertex"], np.uint32)
        turn = (lambda p: p) if v_down else (lambda p: p * [1, -1] + [0, 1])
        assert uv[0] == pytest.approx(turn(m.uvs[0].values)[stored])
        # A corner without a UV is laid where destinations lay it: on the first.
        expected = turn(np.where(second.index[:, None] >= 0, second.values[second.index], 0))
        assert uv[1] == pytest.approx(expected[stored])
        assert material["uvSet"] == 1
        place = np.array(material["placed"]).reshape(2, 3)
        points = np.random.default_rng(2).random((5, 2))
        drawn = np.column_stack([turn(points), np.ones(5)]) @ place.T
        assert drawn == pytest.approx(turn(placed(points, moved.transform, v_down)))


def _coloured(values: np.ndarray, format: str = "glb", index: np.ndarray | None = None) -> np.ndarray:
    """(V, 4) colours of the drawn vertices of a triangle in the copy."""
    corners = np.arange(3, dtype=np.int32)
    flag = Mesh(
        "flag",
        "flag",
        np.eye(3),
        corners,
        np.array([0, 3]),
        np.zeros(1, np.int32),
        (-1,),
        colours=(Layer(values.astype(np.float32), corners if index is None else index),),
    )
    made = Opened(display_copy(scene(flag, format=format, linear=format == "glb")))
    return made.array(made.header["meshes"][0]["colour"], np.uint8).reshape(-1, 4)


def test_colours_of_vertices_are_coded_for_the_screen():
    """Linear light in glTF (2.0 §3.7.2.1), as shown in PLY. Half of white light is 188 of 255 (IEC 61966-2-1, equation 8)."""
    half = np.tile([0.5, 0.0, 1.0], (3, 1))
    assert _coloured(half)[0].tolist() == [188, 0, 255, 255]
    assert _coloured(half, "ply")[0].tolist() == [128, 0, 255, 255]
    assert _coloured(np.column_stack([half, [0.2, 0.4, 0.6]]), "ply")[:, 3].tolist() == [51, 102, 153]
    # What is out of range or no number is brought within; a corner without a colour is white, which changes nothing.
    assert _coloured(np.array([[np.nan, 2.0, -1.0]] * 3), "ply")[0].tolist() == [0, 255, 0, 255]
    assert _coloured(half, "ply", np.array([0, -1, 0], np.int32))[1].tolist() == [255] * 4


def test_a_border_between_colours_is_drawn_hard():
    """Two triangles share a side but not its colours: the drawn vertices are split there."""
    index = np.array([0, 0, 0, 1, 1, 1], np.int32)
    corners = np.array([0, 1, 2, 0, 2, 3], np.int32)
    flag = Mesh(
        "flag",
        "flag",
        np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float),
        corners,
        np.array([0, 3, 6]),
        np.zeros(2, np.int32),
        (-1,),
        colours=(Layer(np.array([[1, 0, 0], [0, 0, 1]], np.float32), index),),
    )
    made = Opened(display_copy(scene(flag)))
    assert made.array(made.header["meshes"][0]["colour"], np.uint8).reshape(-1, 4)[:, 0].tolist() == [255] * 3 + [0] * 3


def test_a_reduced_copy_keeps_the_colours_of_its_vertices(small_limits):
    ball = sphere(100)
    red = Layer(np.array([[1, 0, 0, 1]], np.float32), np.zeros(len(ball.corners), np.int32))
    small = Opened(reduced_copy(display_copy(scene(replace(ball, colours=(red,))))))
    mesh = small.header["meshes"][0]
    colours = small.array(mesh["colour"], np.uint8).reshape(-1, 4)
    assert len(colours) == mesh["positions"]["count"] / 3
    assert (colours == [255, 0, 0, 255]).all()


def _drawn(**more) -> dict:
    made = textured(b"")
    return Opened(display_copy(made.with_(materials=(replace(made.materials[0], **more),)))).header["materials"][0]


def test_what_glows_and_what_takes_no_light():
    glow = TextureInput("emissive", ("emissiveTexture",), 0, uv_set=1, transform={"offset": [0.5, 0.0]})
    inputs = (glow,)
    made = _drawn(emissive=(1.0, 0.5, 0.0), inputs=inputs)
    assert made["glow"] == {"colour": [1.0, 0.5, 0.0], "image": 0, "uvSet": 1, "placed": [1, 0, 0.5, 0, 1, 0], "repeat": True}
    assert _drawn(emissive=(0.0, 0.0, 0.0), inputs=inputs)["glow"] is None, "black times a picture is black"
    strong = {"extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 3.0}, "KHR_materials_unlit": {}}}
    assert _drawn(emissive=(0.25, 0.5, 0.0), source=strong)["glow"]["colour"] == [0.75, 1.0, 0.0]
    assert _drawn(source=strong)["unlit"]
    assert not _drawn()["unlit"]


@pytest.mark.parametrize(
    "extensions",
    [None, [], "x", {"KHR_materials_emissive_strength": {"emissiveStrength": "much"}}, {"KHR_materials_emissive_strength": 4}],
)
def test_a_glow_is_drawn_whatever_stands_beside_it(extensions):
    assert _drawn(emissive=(0.5, 0.5, 0.5), source={"extensions": extensions})["glow"]["colour"] == [0.5] * 3


def test_a_pulled_joint_carries_some_leaves_others_and_tears_what_is_bare():
    """Held against the core's own skinning of the scene."""
    made = eel()
    half = np.radians(60) / 2
    turn = (0.0, 0.0, float(np.sin(half)), float(np.cos(half)))
    (sound,) = pulled(display_copy(made), 2, turn)
    nodes = tuple(replace(n, rotation=turn) if k == 2 else n for k, n in enumerate(made.nodes))
    moved = np.linalg.norm(posed(made.with_(nodes=nodes), 4) - posed(made, 4), axis=1) > 1e-4 * 2.04
    assert (sound.come, sound.stay, sound.torn) == (moved.sum(), (~moved).sum(), 0)
    # One vertex of the top ring is left to the foot: all sides that meet there tear.
    w = made.meshes[0].weights
    joints = w.joints.copy()
    joints[w.starts[68]] = 0
    torn = made.with_(meshes=(replace(made.meshes[0], weights=replace(w, joints=joints)),))
    (part,) = pulled(display_copy(torn), 2, turn)
    assert (part.come, part.stay) == (sound.come - 1, sound.stay + 1)
    assert part.torn > 0
    assert all(68 in pair for pair in np.array(part.edges).reshape(-1, 2))
    assert pulled(display_copy(made), 99, turn) == []
    assert pulled(display_copy(scene(sphere(4))), 0, turn) == []


def test_sides_that_are_stretched_are_told_worst_first():
    made = eel()
    half = np.radians(180) / 2
    (part,) = pulled(display_copy(made), 2, (0.0, 0.0, float(np.sin(half)), float(np.cos(half))))
    nodes = tuple(replace(n, rotation=(0, 0, 1.0, 0.0)) if k == 2 else n for k, n in enumerate(made.nodes))
    a, b = posed(made, 4), posed(made.with_(nodes=nodes), 4)
    stretch = lambda i, j: np.linalg.norm(b[i] - b[j]) / np.linalg.norm(a[i] - a[j])
    pairs = np.array(part.edges).reshape(-1, 2)
    told = [max(stretch(i, j), 1 / max(stretch(i, j), 1e-12)) for i, j in pairs]
    assert len(pairs) == part.torn > 0
    assert told == sorted(told, reverse=True)
    assert part.worst == pytest.approx(max(stretch(i, j) for i, j in pairs), rel=1e-3)
