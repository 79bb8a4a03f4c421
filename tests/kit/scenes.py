"""Small scenes made in code, from our own made-up world."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from handlens.core import formats
from handlens.core.formats.table import BY_NAME
from handlens.core.judge import Judgement, judge
from handlens.core.measures import Measures
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.present.ledger import ledger as entries
from handlens.core.present.ledger import recounted
from handlens.core.present.report import report, with_waivers
from handlens.core.proof import Proof
from handlens.core.route.measuring import measure
from handlens.core.rules import Intent, load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.rules.sheet import RuleSheet
from handlens.core.scene import Channel, Clip, Layer, Material, Mesh, Node, Scene, Skin, Weights
from handlens.core.scene.weighing import with_rows

CUBE_POINTS = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
#: Quads of the unit cube, wound outwards.
CUBE_FACES = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]


def mesh(points: Any, faces: list[list[int]], name: str = "crate", **more: Any) -> Mesh:
    corners = np.array([i for f in faces for i in f], np.int32)
    starts = np.concatenate([[0], np.cumsum([len(f) for f in faces])]).astype(np.int64)
    slots = np.zeros(len(faces), np.int32)
    return Mesh("mesh:0", name, np.array(points, float), corners, starts, slots, (0,), **more)


def cube(name: str = "crate", size: float = 1.0, at: tuple[float, float, float] = (0, 0, 0)) -> Mesh:
    return mesh(CUBE_POINTS * size + at, CUBE_FACES, name)


def triangles_of(made: Mesh) -> Mesh:
    """The same surface as triangles."""
    from handlens.core.geometry.triangles import triangulate

    corners, face = triangulate(made)
    return replace(
        made,
        corners=made.corners[corners].reshape(-1),
        starts=np.arange(len(corners) + 1) * 3,
        slots=made.slots[face],
        uvs=tuple(Layer(u.values, u.index[corners].reshape(-1)) for u in made.uvs),
        normals=None if made.normals is None else Layer(made.normals.values, made.normals.index[corners].reshape(-1)),
    )


def scene(*meshes: Mesh, nodes: tuple[Node, ...] | None = None, roots: tuple[int, ...] | None = None, **more: Any) -> Scene:
    """A scene with one node a mesh unless nodes are given; unit metre, Y up, like a GLB."""
    nodes = nodes or tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    children = {c for n in nodes for c in n.children}
    roots = roots if roots is not None else tuple(i for i in range(len(nodes)) if i not in children)
    settings: dict[str, Any] = {"materials": (Material("material:0", "tarred_wood", alpha_mode="opaque", double_sided=False),)}
    settings |= {"unit_metres": 1.0, "up_axis": "Y", "format": "glb"} | more
    form = BY_NAME[settings["format"]]
    settings = {"v_down": form.v_down, "linear": form.linear} | settings
    return Scene(nodes=nodes, roots=roots, meshes=tuple(meshes), **settings)


def rigged(random: np.random.Generator, clip: bool = True, even: bool = True) -> Scene:
    """A chain of three joints below a scaled and turned rig, a skinned strip, a clip that turns and shifts the joints."""
    points = np.array([[x, y, 0] for y in np.linspace(0, 2, 9) for x in (-0.1, 0.1)])
    faces = [[2 * k, 2 * k + 1, 2 * k + 3, 2 * k + 2] for k in range(8)]
    strip = mesh(points, faces, "eel")
    turn = lambda: tuple(_unit(random.normal(size=4)))
    rig_scale = (0.01, 0.01, 0.01) if even else (0.5, 1.0, 2.0)
    nodes = (
        Node("node:0", "rig", translation=(1.0, 2.0, 3.0), rotation=turn(), scale=rig_scale, children=(1, 4)),
        Node("node:1", "hip", translation=(0.0, 10.0, 0.0), rotation=turn(), scale=(100.0, 100.0, 100.0), children=(2,)),
        Node("node:2", "spine", translation=(0.0, 0.7, 0.1), rotation=turn(), children=(3,)),
        Node("node:3", "head", translation=(0.1, 0.6, 0.0), rotation=turn(), scale=(1.5, 1.5, 1.5)),
        Node("node:4", "eel", translation=(0.2, 0.0, 0.0), rotation=turn(), scale=(3.0, 3.0, 3.0), mesh=0, skin=0),
    )
    rows = random.dirichlet(np.ones(3), size=len(points)).astype(np.float32)
    weights = Weights(np.arange(len(points) + 1) * 3, np.tile(np.arange(3, dtype=np.int32), len(points)), rows.reshape(-1))
    inverse = np.stack([_random_bind(random) for _ in range(3)])
    clips: tuple[Clip, ...] = ()
    if clip:
        times = np.array([0.0, 0.5, 1.0], np.float32)
        channels = (
            Channel(2, "rotation", times, np.stack([_unit(random.normal(size=4)) for _ in times]).astype(np.float32)),
            Channel(1, "translation", times, random.normal(size=(3, 3)).astype(np.float32)),
            Channel(3, "scale", times, np.outer([1.5, 2.0, 0.5], [1, 1, 1]).astype(np.float32)),
        )
        clips = (Clip("clip:0", "swim", channels),)
    made = scene(replace(strip, weights=weights), nodes=nodes, clips=clips)
    return made.with_(skins=(Skin("skin:0", "bones", (1, 2, 3), inverse),))


def eel(rings: int = 9, **more: Any) -> Scene:
    """A closed tube two metres tall on three joints a metre apart, bound where it rests, with a clip that bends the middle one.

    Vertices: `rings` rings of eight from the foot up, then the middle of each end. No check of Skin or Motion finds anything on it.
    """
    angles = np.arange(8) * np.pi / 4
    ring = np.stack([0.2 * np.cos(angles), 0 * angles, 0.2 * np.sin(angles)], 1)
    heights = np.linspace(0, 2, rings)
    points = np.concatenate([*(ring + np.array([0, y, 0]) for y in heights), [[0, 0, 0], [0, 2, 0]]])
    sides = [[8 * r + a, 8 * r + 8 + a, 8 * r + 8 + (a + 1) % 8, 8 * r + (a + 1) % 8] for r in range(rings - 1) for a in range(8)]
    foot, top = len(points) - 2, len(points) - 1
    caps = [[foot, a, (a + 1) % 8] for a in range(8)] + [[top, top - 10 + (a + 1) % 8, top - 10 + a] for a in range(8)]
    shares = np.stack([np.clip(1 - abs(points[:, 1] - j), 0, 1) for j in range(3)], 1)
    vertex, joint = np.nonzero(shares)
    weights = with_rows(len(points), vertex, joint, shares[vertex, joint])
    nodes = (
        Node("n0", "rig", children=(1, 4)),
        Node("n1", "foot", children=(2,)),
        Node("n2", "waist", translation=(0.0, 1.0, 0.0), children=(3,)),
        Node("n3", "head", translation=(0.0, 1.0, 0.0)),
        Node("n4", "eel", mesh=0, skin=0),
    )
    inverse = np.tile(np.eye(4), (3, 1, 1))
    inverse[:, 1, 3] = [0, -1, -2]
    half = 0.3
    turns = np.array([[0, 0, 0, 1], [0, 0, np.sin(half), np.cos(half)], [0, 0, 0, 1]], np.float32)
    bend = Clip("c0", "bend", (Channel(2, "rotation", np.array([0, 0.5, 1], np.float32), turns),))
    settings = {"skins": (Skin("s0", "bones", (1, 2, 3), inverse),), "clips": (bend,), "nodes": nodes} | more
    return scene(replace(mesh(points, sides + caps, "eel"), weights=weights), **settings)


def _unit(v: np.ndarray) -> np.ndarray:
    return v / np.linalg.norm(v)


def _random_bind(random: np.random.Generator) -> np.ndarray:
    m = np.eye(4)
    m[:3, :3] = np.linalg.qr(random.normal(size=(3, 3)))[0]
    m[:3, 3] = random.normal(size=3)
    return m


def findings(made: Scene | Measures, sheet: str = "realtime-engine", intent: str = "{}") -> dict[str, Any]:
    """Check id -> list of its findings."""
    measures = made if isinstance(made, Measures) else measure(made)
    out: dict[str, Any] = {}
    for f in judge(measures, load_sheet(sheet), intent_from_json(intent)).findings:
        out.setdefault(f.check, []).append(f)
    return out


def read_files(folder: Path, files: dict[str, bytes | str], main: str) -> Scene:
    """Write files and read the main one."""
    for name, data in files.items():
        place = folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data.encode() if isinstance(data, str) else data)
    return formats.read(FolderPackage(folder), main)


def round_trip(made: Scene, name: str, folder: Path, stem: str = "thing") -> tuple[Scene, Proof]:
    """A scene written, read back, and the proof of it."""
    written = write_as(made, name, stem)
    for path, data in written.files.items():
        place = folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    package, main = FolderPackage(folder), next(iter(written.files))
    return formats.read(package, main), written.proof(package, main)


__all__ = ["Intent", "cube", "findings", "mesh", "read_files", "rigged", "round_trip", "scene", "triangles_of"]


def ledger(m: Measures, sheet: RuleSheet, intent: Intent, judged: Judgement, waived: Any = ()) -> list[dict[str, Any]]:
    """The ledger as plain data, as the front end gets it."""
    told = with_waivers(report({}, m, judged, with_indices=False), dict.fromkeys(waived, "so wanted"))
    return msgspec.to_builtins(recounted(entries(m, sheet, intent, judged), told))
