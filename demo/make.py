"""Makes the demo models of Mudlark Quay, with the defects that models.json writes down. Deterministic: same bytes each time.

Run: PYTHONPATH=src python demo/make.py
"""

from __future__ import annotations

import json
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
sys.path.insert(0, str(Path(__file__).parent))
import rigging
import shapes as sh
from blocks import OUT, bands, material, mesh, net, paint, picture, save, scale_board, wood
from handlens.core.scene import Camera, Light, Mesh, Node, Scene
from painted import PAINTED

# --- the models -------------------------------------------------------------------------------------------


def crab_pot() -> tuple[str, list[str]]:
    """A half-round pot of laths and net, with a studio left around it."""
    images = (picture(0, "net.png", net()), picture(1, "lath.png", wood(128, 64, (176, 138, 92))))
    materials = (
        material(0, "lath", "B08A5C", 1),
        material(1, "net", "96A884", 0, "mask"),
        material(2, "rope", "C9A45C"),
        material(3, "base", "7A5F44"),
    )
    base = sh.join(
        *[sh.box((0.68, 0.022, 0.05), (0, 0.045, z)) for z in np.linspace(-0.2, 0.2, 6)],
        *[sh.box((0.06, 0.034, 0.46), (x, 0.017, 0)) for x in (-0.27, 0, 0.27)],
    )
    arch = [(0.0, 0.2 * np.cos(a)) for a in np.linspace(0, np.pi, 13)]
    hoops = []
    for x in (-0.32, -0.107, 0.107, 0.32):
        hoops.append(
            sh.tube([(x, 0.056 + 0.24 * np.sin(a), 0.21 * np.cos(a)) for a in np.linspace(0, np.pi, len(arch))], 0.013, 8)
        )
    laths = [
        sh.box((0.7, 0.012, 0.034), (0, 0.056 + 0.255 * np.sin(a), 0.222 * np.cos(a))) for a in (0.45, 1.0, np.pi / 2, 2.14, 2.69)
    ]
    steps = np.linspace(0, np.pi, 15)
    columns = np.linspace(-0.31, 0.31, 13)
    points = np.array([[x, 0.056 + 0.235 * np.sin(a), 0.205 * np.cos(a)] for a in steps for x in columns])
    w = len(columns)
    faces = [
        [r * w + c, r * w + c + 1, (r + 1) * w + c + 1, (r + 1) * w + c] for r in range(len(steps) - 1) for c in range(w - 1)
    ]
    # Part of the net was laid on from the inside: those faces look inward.
    inward = [k for k, f in enumerate(faces) if 2 <= k // (w - 1) <= 6 and 4 <= k % (w - 1) <= 8]
    cover = sh.turned_over((points, faces), inward)
    ends = [sh.tube([(x - 0.004, 0.17, 0), (x + 0.004, 0.17, 0)], 0.09, 20) for x in (-0.32, 0.32)]
    loop = sh.tube(
        [(0.12 * np.cos(a), 0.3 + 0.075 * np.sin(a), 0.01 * np.sin(3 * a)) for a in np.linspace(0, np.pi, 14)], 0.012, 8
    )
    # Coiled lying down, then stood up by its node: the quarter turn stays on the node.
    coil = sh.tube(
        [
            (r * np.cos(a), r * np.sin(a), 0.012 * k / 30)
            for k, (a, r) in enumerate(zip(np.linspace(0, 5 * np.pi, 60), np.linspace(0.04, 0.1, 60), strict=True))
        ],
        0.011,
        7,
    )
    meshes = (
        mesh(0, "base", base, 3),
        mesh(1, "hoops", sh.join(*hoops, *ends), 2),
        mesh(2, "laths", sh.join(*laths), 0, "box"),
        mesh(3, "net", cover, 1, "box"),
        mesh(4, "handle", loop, 2),
        mesh(5, "rope", coil, 2),
    )
    s = float(np.sqrt(0.5))
    nodes = (
        Node("node:0", "crab_pot", children=(1, 2, 3, 4, 5, 6, 7, 8, 9, 10)),
        Node("node:1", "base", mesh=0),
        Node("node:2", "hoops", mesh=1),
        Node("node:3", "laths", mesh=2),
        Node("node:4", "net", mesh=3),
        Node("node:5", "handle", scale=(-1.0, 1.0, 1.0), mesh=4),
        Node("node:6", "rope", translation=(-0.48, 0.011, 0.1), rotation=(-s, 0.0, 0.0, s), mesh=5),
        Node("node:7", "studio_camera", translation=(0.4, 0.6, 2.0), camera=0),
        Node("node:8", "softbox_left", translation=(-1.0, 1.5, 1.0), light=0),
        Node("node:9", "softbox_right", translation=(1.0, 1.5, 1.0), light=1),
        Node("node:10", "old_rope", translation=(0.2, 0.0, 0.3)),
    )
    lamp = {"type": "point", "color": [1.0, 0.96, 0.9], "intensity": 40.0}
    scene = Scene(
        "glb",
        nodes,
        (0,),
        meshes,
        materials,
        images,
        unit_metres=1.0,
        up_axis="Y",
        cameras=(
            Camera(
                "studio_camera",
                {"type": "perspective", "name": "studio_camera", "perspective": {"yfov": 0.6, "znear": 0.1, "zfar": 20.0}},
            ),
        ),
        lights=(
            Light("softbox_left", {**lamp, "name": "softbox_left"}),
            Light("softbox_right", {**lamp, "name": "softbox_right"}),
        ),
    )
    return "crab_pot", save("crab_pot", scene, "glb", "crab_pot")


def quay_crane() -> tuple[str, list[str]]:
    """A crane drawn in survey coordinates, its parts rescaled by whoever placed them."""
    materials = (material(0, "crane green", "6C8468"), material(1, "cab ochre", "C08A3C"), material(2, "iron", "5A6467"))
    legs = [sh.tube([(x, 0, z), (x * 0.45, 3.6, z * 0.45)], 0.09, 8) for x in (-1.3, 1.3) for z in (-1.3, 1.3)]
    braces = [
        sh.tube([(a * 1.1, 0.6, b * 1.1), (c * 0.7, 2.6, d * 0.7)], 0.045, 6)
        for a, b, c, d in [(-1, -1, 1, -1), (1, -1, 1, 1), (1, 1, -1, 1), (-1, 1, -1, -1)]
    ]
    feet = [sh.box((0.36, 0.12, 0.36), (x * 1.3, 0.06, z * 1.3)) for x in (-1, 1) for z in (-1, 1)]
    tower = sh.join(*legs, *braces, *feet, sh.lathe([(0.95, 3.55), (0.95, 3.75), (0.5, 3.9)], 20))
    cab = sh.join(sh.box((1.5, 1.1, 1.2), (0, 4.5, 0)), sh.box((0.5, 0.8, 1.0), (-0.95, 4.4, 0)))
    # Drawn at half size; its node doubles it again.
    a, b = np.array([0.3, 2.1, 0.0]), np.array([2.9, 4.3, 0.0])
    chords = [
        sh.tube([a + o, b + o * 0.3], 0.035, 6)
        for o in (np.array([0, 0.2, 0.17]), np.array([0, 0.2, -0.17]), np.array([0, -0.15, 0.0]))
    ]
    lacing = []
    for k in range(8):
        p, q = a + (b - a) * k / 8, a + (b - a) * (k + 1) / 8
        lacing.append(
            sh.tube([p + np.array([0, 0.2 - 0.014 * k, 0.17 - 0.015 * k]), q + np.array([0, -0.15 + 0.013 * k, 0])], 0.016, 5)
        )
        lacing.append(
            sh.tube([p + np.array([0, 0.2 - 0.014 * k, -0.17 + 0.015 * k]), q + np.array([0, -0.15 + 0.013 * k, 0])], 0.016, 5)
        )
    jib = sh.join(*chords, *lacing, sh.tube([(2.9, 4.3, -0.09), (2.9, 4.3, 0.09)], 0.14, 14))
    hook = sh.join(
        sh.box((0.22, 0.3, 0.16), (0, -4.2, 0)),
        sh.tube([(0, 0, 0), (0, -4.05, 0)], 0.025, 6),
        sh.ring(0.13, 0.035, (0, -4.5, 0), 14, 6),
    )
    meshes = [
        mesh(0, "tower", tower, 0),
        mesh(1, "cab", cab, 1),
        mesh(2, "jib", jib, 0),
        mesh(3, "hook", hook, 2),
        mesh(4, "counterweight", sh.box((0.7, 0.7, 1.0), (0, 0, 0)), 2),
    ]
    # The setting-out lines of the drawing came along.
    guide = np.array([[-2.5, 0, 0], [2.5, 0, 0], [0, 0, -2.5], [0, 0, 2.5]], float)
    meshes.append(Mesh("mesh:5", "setting_out", guide, lines=np.array([[0, 1], [2, 3]], np.int32)))
    lean = np.radians(20)
    nodes = (
        Node("node:0", "quay_crane", translation=(965606.0, 0.0, 236541.87), children=(1, 2, 3, 4, 5, 7)),
        Node("node:1", "tower", mesh=0),
        Node("node:2", "cab", mesh=1),
        Node("node:3", "jib", scale=(2.0, 2.0, 2.0), mesh=2, children=(6,)),
        Node("node:4", "setting_out", mesh=5),
        # Stretched, and turned below the stretch: the turned part is sheared.
        Node("node:5", "weight_arm", translation=(-1.7, 4.5, 0.0), scale=(1.4, 1.0, 1.0), children=(8,)),
        # Halved below the doubled jib: the pair cancels out.
        Node("node:6", "hook", translation=(2.9, 4.16, 0.0), scale=(0.5, 0.5, 0.5), mesh=3),
        Node("node:7", "grid_mark"),
        Node("node:8", "counterweight", rotation=(0.0, 0.0, float(np.sin(lean / 2)), float(np.cos(lean / 2))), mesh=4),
    )
    scene = Scene("gltf", nodes, (0,), tuple(meshes), materials, unit_metres=1.0, up_axis="Y")
    return "quay_crane", save("quay_crane", scene, "gltf", "quay_crane")


def heron() -> tuple[str, list[str]]:
    """A heron whose rig was scaled down once too often; drawn with Z up and stood up by the rig's quarter turn.

    Its neck was posed after it was bound, and a clip holds that pose; its satchel hangs on nothing that moves.
    """
    materials = (
        material(0, "slate feathers", "8C9390"),
        material(1, "breast", "E6D9C0"),
        material(2, "bill", "D19A3A"),
        material(3, "legs", "6E6134"),
        material(4, "waxed cloth", "7C4B3A"),
    )
    body = sh.ellipsoid((0.26, 0.12, 0.1), (0.0, 0.46, 0), 12, 18, 0.55)
    wing = [sh.ellipsoid((0.25, 0.09, 0.025), (-0.06, 0.45, z), 8, 14, 0.6) for z in (-0.095, 0.095)]
    tail = sh.tube([(-0.2, 0.34, 0), (-0.31, 0.24, 0)], [0.05, 0.012], 8)
    t = np.linspace(0, 1, 14)
    neck = np.stack([0.18 + 0.07 * np.sin(2 * np.pi * t) + 0.05 * t, 0.55 + 0.34 * t, 0 * t], 1)
    throat = sh.tube(neck, np.linspace(0.055, 0.026, 14), 12)
    head = sh.ellipsoid((0.065, 0.036, 0.033), (0.255, 0.9, 0), 8, 12, 0.12)
    crest = sh.tube([(0.24, 0.93, 0), (0.16, 0.934, 0), (0.1, 0.915, 0)], [0.014, 0.01, 0.003], 6)
    bill = sh.tube([(0.3, 0.905, 0), (0.45, 0.912, 0)], [0.018, 0.002], 8)
    legs = []
    for z in (-0.045, 0.045):
        legs.append(sh.tube([(0.02, 0.4, z), (-0.02, 0.22, z), (0.01, 0.012, z)], [0.018, 0.011, 0.009], 8))
        legs += [
            sh.tube([(0.01, 0.01, z), (0.01 + 0.09 * np.cos(a), 0.006, z + 0.05 * np.sin(a))], [0.008, 0.005], 6)
            for a in (-0.6, 0, 0.6, 3.1)
        ]
    strap = sh.tube(
        [(0.19 + 0.05 * np.cos(a), 0.5 + 0.07 * np.sin(a), 0.075 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 17)[:-1]],
        0.005,
        6,
        True,
    )
    up = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    parts = [
        ("body", sh.join(body, tail), 0),
        ("wings", sh.join(*wing), 0),
        ("neck", sh.join(throat, head), 1),
        ("crest", crest, 0),
        ("bill", bill, 2),
        ("legs", sh.join(*legs), 3),
        ("satchel", sh.join(sh.box((0.075, 0.06, 0.035), (0.19, 0.41, 0.0)), strap), 4),
    ]
    low = min(float(solid[0][:, 1].min()) for _, solid, _ in parts)
    meshes = tuple(mesh(k, name, ((solid[0] - [0, low, 0]) @ up.T, solid[1]), m) for k, (name, solid, m) in enumerate(parts))
    s = float(np.sqrt(0.5))
    nodes = (
        Node("node:0", "rig", rotation=(-s, 0.0, 0.0, s), scale=(0.01, 0.01, 0.01), children=tuple(range(1, len(parts) + 1))),
        *(Node(f"node:{k + 1}", name, mesh=k) for k, (name, _, _) in enumerate(parts)),
    )
    meshes = (*rigging.skinned(meshes[:-1], low, up), meshes[-1])
    scene = rigging.rigged(Scene("glb", nodes, (0,), meshes, materials, unit_metres=1.0, up_axis="Y"), low, up)
    return "heron", save("heron", scene, "glb", "heron")


def tide_gauge() -> tuple[str, list[str]]:
    """A tide gauge whose column was modelled rivet by rivet, with pictures far too large for it."""
    images = (picture(0, "scale_board.png", scale_board(2048)), picture(1, "gauge_paint.png", paint(2048)))
    materials = (
        material(0, "column paint", "6E8A6C", 1),
        material(1, "scale board", "EEE4CC", 0),
        material(2, "ironwork", "66706F"),
        material(3, "plinth", "6A7F86"),
    )
    plinth = sh.join(sh.box((1.0, 0.14, 0.8), (0, 0.07, 0)), sh.box((0.76, 0.14, 0.6), (0, 0.21, 0)))
    rows = 110
    heights = np.linspace(0.28, 2.1, rows)
    bulge = 0.2 + 0.012 * np.cos(heights * 2 * np.pi / 0.45) ** 8
    column = sh.lathe([(float(r), float(y)) for r, y in zip(bulge, heights, strict=True)], 104, (-0.12, 0, 0))
    rivets = [
        sh.ellipsoid((0.014, 0.014, 0.014), (-0.12 + 0.213 * np.cos(a), y, 0.213 * np.sin(a)), 6, 8)
        for y in (0.48, 0.93, 1.38, 1.83)
        for a in np.linspace(0, 2 * np.pi, 22, endpoint=False)
    ]
    house = sh.join(
        sh.lathe([(0.27, 2.1), (0.27, 2.42)], 12, (-0.12, 0, 0)), sh.lathe([(0.34, 2.42), (0.0, 2.62)], 12, (-0.12, 0, 0))
    )
    dial = sh.moved(sh.tube([(0, 0, 0), (0, 0, 0.03)], 0.14, 28), (-0.12, 2.26, 0.255))
    board = sh.box((0.16, 1.86, 0.03), (0.2, 1.22, 0.06))
    ladder = sh.join(
        *[sh.tube([(x, 0.28, -0.02), (x, 2.0, -0.02)], 0.016, 6) for x in (0.34, 0.5)],
        *[sh.tube([(0.34, y, -0.02), (0.5, y, -0.02)], 0.011, 6) for y in np.linspace(0.42, 1.9, 9)],
    )
    meshes = (
        mesh(0, "plinth", plinth, 3),
        mesh(1, "column", sh.join(column, *rivets), 0, "round"),
        mesh(2, "house", sh.join(house, dial), 2),
        mesh(3, "board", board, 1, "box"),
        mesh(4, "ladder", ladder, 2),
    )
    nodes = (
        Node("node:0", "tide_gauge", children=(1, 2, 3, 4, 5)),
        *(Node(f"node:{k + 1}", m.name, mesh=k) for k, m in enumerate(meshes)),
    )
    scene = Scene("glb", nodes, (0,), meshes, materials, images, unit_metres=1.0, up_axis="Y")
    return "tide_gauge", save("tide_gauge", scene, "glb", "tide_gauge")


def mooring_buoy() -> tuple[str, list[str]]:
    """A buoy in centimetres, in a format that cannot say so, with two names that clash and a ring that is there twice."""
    images = (picture(0, "buoy_red.png", bands()),)
    materials = (material(0, "buoy paint", "B25442", 0), material(1, "iron", "6A7274", linear=False))
    t = np.linspace(-np.pi / 2, np.pi / 2, 19)
    float_ = sh.lathe([(0 if k in (0, 18) else 36 * np.cos(a), 50 + 36 * np.sin(a)) for k, a in enumerate(t)], 32)
    neck = sh.join(sh.lathe([(15, 83), (9, 100)], 20), sh.lathe([(8, 4), (11, 16)], 20))
    top = sh.ring(9, 2.6, (0, 111.4, 0), 24, 10)
    chain = [
        sh.moved(sh.ring(5, 1.2, (0, 0, 0), 14, 6, upright=bool(k % 2)), (14 + 8 * k, 1.2 if k % 2 == 0 else 6.2, 6))
        for k in range(4)
    ]
    meshes = (
        mesh(0, "float", float_, 0, "round"),
        mesh(1, "Fitting", neck, 1),
        mesh(2, "fitting", sh.join(*chain), 1),
        mesh(3, "lifting ring", top, 1),
        mesh(4, "lifting ring copy", top, 1),
    )
    nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    scene = Scene("obj", nodes, tuple(range(5)), meshes, materials, images)
    return "mooring_buoy", save("mooring_buoy", scene, "obj", "mooring_buoy")


def ferry_hut() -> tuple[str, list[str]]:
    """The waiting room of the ferry, built to be seen from inside: its walls look in, and nothing is wrong with that."""
    images = (picture(0, "boards.png", wood(128, 128, (196, 170, 126))),)
    materials = (
        material(0, "boards", "C4AA7E", 0),
        material(1, "bench oak", "8A6B43"),
        material(2, "stove iron", "4F5A5C"),
        material(3, "ticket green", "6C8468"),
    )
    room = sh.turned_over(sh.box((4.2, 2.5, 3.2), (0, 1.25, 0)), range(6))
    bench = sh.join(
        sh.box((2.6, 0.06, 0.42), (0, 0.46, 0)),
        sh.box((2.6, 0.5, 0.05), (0, 0.82, -0.2)),
        *[sh.box((0.08, 0.42, 0.36), (x, 0.215, 0)) for x in (-1.2, 0, 1.2)],
    )
    stove = sh.join(
        sh.lathe([(0.26, 0.005), (0.3, 0.2), (0.3, 0.7), (0.2, 0.85)], 20), sh.tube([(0, 0.86, 0), (0, 2.45, 0)], 0.07, 12)
    )
    window = sh.join(
        sh.box((0.24, 0.08, 1.2), (0.1, 0.95, 0)), *[sh.box((0.1, 0.9, 0.1), (0.06, 1.45, z)) for z in (-0.55, 0.55)]
    )
    parts = [
        ("walls", room, 0, "box", (0, 0, 0)),
        ("bench", bench, 1, "", (-0.4, 0, -1.34)),
        ("stove", stove, 2, "", (1.55, 0, -0.95)),
        ("ticket_window", window, 3, "", (-2.09, 0, 0.5)),
    ]
    meshes = tuple(mesh(k, name, solid, m, uv) for k, (name, solid, m, uv, _) in enumerate(parts))
    nodes = (
        Node("node:0", "ferry_hut", children=(1, 2, 3, 4)),
        *(Node(f"node:{k + 1}", name, at, mesh=k) for k, (name, _, _, _, at) in enumerate(parts)),
    )
    scene = Scene("glb", nodes, (0,), meshes, materials, images, unit_metres=1.0, up_axis="Y")
    return "ferry_hut", save("ferry_hut", scene, "glb", "ferry_hut")


def slip_cart() -> tuple[str, list[str]]:
    """The cart that brings boats up the slip, put together in a hurry: a wheel that swings out, and a bed full of leftovers."""
    materials = (
        material(0, "tarred oak", "6A5138", linear=False),
        material(1, "cart iron", "5E686A", linear=False),
        material(2, "pennant", "B25442", linear=False),
    )
    bed_points, bed_faces = sh.box((2.4, 0.12, 1.2), (0, 0.62, 0))
    # A chock sawn to shape: a polygon that turns inwards, drawn as one.
    outline = np.array([[-0.3, 0], [0.3, 0], [0.3, 0.32], [0.12, 0.32], [0.0, 0.1], [-0.12, 0.32], [-0.3, 0.32]])
    n = len(outline)
    chock = np.concatenate([np.column_stack([outline, np.full(n, z)]) for z in (-0.06, 0.06)]) + np.array([0.7, 0.68, 0])
    chock_faces = [list(range(n))[::-1], list(range(n, 2 * n)), *[[k, (k + 1) % n, n + (k + 1) % n, n + k] for k in range(n)]]
    bed = sh.join((bed_points, bed_faces), (chock, chock_faces), sh.box((0.12, 0.3, 1.0), (-0.9, 0.83, 0)))
    points, faces = np.array(bed[0]), [list(f) for f in bed[1]]
    # One side of the bed drawn twice, one face squeezed to a line, two points left over far behind the cart.
    faces += [list(faces[2]), [0, 1, 1]]
    points = np.concatenate([points, [[-3.2, 0.1, 0.0], [-3.3, 0.1, 0.1]]])
    # The tyre's last seam was never joined: its two rims lie a fifth of a millimetre apart.
    tyre = sh.ring(0.36, 0.05, (0, 0, 0), 28, 8)
    sides, count = 8, 28
    seam = tyre[0][:sides] + np.array([0.0, 0.0002, 0.0])
    tyre_points = np.concatenate([tyre[0], seam])
    tyre_faces = [[i if i >= sides or k < (count - 1) * sides else len(tyre[0]) + i for i in f] for k, f in enumerate(tyre[1])]
    spokes = [
        sh.tube([(0.05 * np.cos(a), 0.05 * np.sin(a), 0), (0.33 * np.cos(a), 0.33 * np.sin(a), 0)], 0.02, 6)
        for a in np.linspace(0, 2 * np.pi, 6, endpoint=False)
    ]
    wheel = sh.join((tyre_points, tyre_faces), *spokes, sh.tube([(0, 0, -0.09), (0, 0, 0.09)], 0.07, 14))
    place = np.array([0.75, 0.41, 0.72])
    flag = (np.array([[0, 0, 0], [0.42, 0.05, 0], [0.42, 0.25, 0], [0, 0.3, 0]], float), [[0, 1, 2, 3]])
    meshes = (
        mesh(0, "bed", (points, faces), 0),
        mesh(1, "wheel", wheel, 1),
        mesh(2, "wheel_astray", (wheel[0] + place, wheel[1]), 1),
        mesh(3, "pennant", flag, 2),
        mesh(4, "pole", sh.tube([(0, 0, 0), (0, 1.1, 0)], 0.018, 8), 1),
    )
    nodes = (
        Node("node:0", "slip_cart", children=(1, 2, 3, 4, 5, 6, 7)),
        Node("node:1", "bed", (0.0, 0.0, 0.0), mesh=0),
        Node("node:2", "wheel_fore_left", (0.75, 0.41, -0.72), mesh=1),
        Node("node:3", "wheel_aft_left", (-0.75, 0.41, -0.72), mesh=1),
        Node("node:4", "wheel_aft_right", (-0.75, 0.41, 0.72), mesh=1),
        # This one was modelled where it stands, and its pivot left behind on the slip.
        Node("node:5", "wheel_fore_right", (-3.0, 0.0, 0.0), mesh=2),
        Node("node:6", "pennant", (-1.1, 1.45, 0.0), mesh=3),
        Node("node:7", "pole", (-1.1, 0.68, 0.0), mesh=4),
    )
    meshes = (*meshes[:2], replace(meshes[2], positions=meshes[2].positions + np.array([3.0, 0.0, 0.0])), *meshes[3:])
    scene = Scene("dae", nodes, (0,), meshes, materials, unit_metres=1.0, up_axis="Y")
    return "slip_cart", save("slip_cart", scene, "dae", "slip_cart")


def main() -> None:
    written = json.loads((Path(__file__).parent / "models.json").read_text())
    made = dict(f() for f in (crab_pot, quay_crane, heron, tide_gauge, mooring_buoy, ferry_hut, slip_cart, *PAINTED))
    manifest = {"models": [{**m, "files": made[m["folder"]]} for m in written["models"]]}
    (OUT / "manifest.json").write_text(json.dumps(manifest, indent=2, ensure_ascii=False) + "\n")


if __name__ == "__main__":
    main()
