"""COLLADA 1.4 and 1.5 into the neutral scene. Chapters are those of the specification, release 1.4.1 and 1.5.0 (Khronos).

This module reads the document and its tree of nodes; meshes, materials, rigs and clips have modules of their own.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from urllib.parse import unquote

import numpy as np

from ...limits import InputError, plural
from ...packages import Package
from ...scene import Camera, Light, Node, Problem, Scene
from ...scene.matrices import decompose
from ...scene.model import HELD, Mesh, Skin, frozen
from ...words.arrays import F64, Array
from ..shared.xml import Element, Numbers, parse_xml
from .clips import read_clips
from .lights import camera_of, light_of
from .materials import Effects
from .mesh import Geometry, geometry_mesh, read_geometry
from .messages import say
from .rig import Rig, morphs_of, read_rig
from .transforms import product

#: Nodes that instances of nodes may grow to; a document of a few lines could ask for any number.
_MOST_NODES = 200_000
_UP = {"X_UP": "X", "Y_UP": "Y", "Z_UP": "Z"}


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read a COLLADA document. Raises InputError."""
    return _Reader(package, path, data).scene()


@dataclass
class _Draft:
    """A node on its way: its transform elements are kept, since clips address them one by one."""

    name: str
    key: str
    sid: str
    transforms: list[tuple[str, str, Array]] = field(default_factory=list)
    children: list[int] = field(default_factory=list)
    mesh: int | None = None
    skin: int | None = None
    camera: int | None = None
    light: int | None = None
    extras: dict[str, dict[str, str]] = field(default_factory=dict)
    #: Whether the file has no node of its own for it: one of several things that hang on one.
    beside: bool = False


class _Reader:
    def __init__(self, package: Package, path: str, data: bytes) -> None:
        self.package, self.path, self.label = package, path, path.rpartition("/")[2]
        self.root = parse_xml(data, self.label)
        if self.root.tag != "COLLADA":
            raise InputError(say("collada.no-collada", label=self.label, tag=self.root.tag))
        self.numbers = Numbers(self.label)
        self.problems: list[Problem] = []
        self.by_id: dict[str, Element] = {}
        for element in self.root.iter():
            if isinstance(element.tag, str) and (key := element.get("id")):
                self.by_id.setdefault(key, element)
        self.effects = Effects(package, path, self.root, self.by_id, self.numbers, self.problems)
        self.geometries: dict[str, Geometry] = {}
        self.meshes: list[Mesh] = []
        self.mesh_numbers: dict[object, int] = {}
        self.drafts: list[_Draft] = []
        self.rigs: list[tuple[int, Rig, list[str]]] = []
        self.cameras: list[Camera] = []
        self.lights: list[Light] = []
        self.splines = 0

    def target(self, url: str | None, tag: str) -> Element | None:
        """The element that a local URL leads to (chapter 3, "Address syntax")."""
        key = unquote((url or "").strip().lstrip("#"))
        found = self.by_id.get(key)
        if found is None or found.tag != tag:
            where = "another file" if url and "#" in url and not url.startswith("#") else "the document"
            self.problems.append(Problem("broken-reference", say("collada.no-such-name", url=url, tag=tag, where=where), tag))
            return None
        return found

    def scene(self) -> Scene:
        asset = self.root.find("asset")
        unit, up = _unit(asset), _UP.get((asset.findtext("up_axis") or "").strip()) if asset is not None else None
        roots = [self.node(e, 0, ()) for e in self.top_nodes()]
        skins = self.skins()
        clips = read_clips(self.root, self.by_id, self.drafts, self.numbers, self.problems)
        driven = {channel.node for clip in clips for channel in clip.channels}
        nodes = tuple(self.finished(i, draft, i in driven) for i, draft in enumerate(self.drafts))
        self.counted_problems()
        return Scene(
            format="dae",
            nodes=nodes,
            roots=tuple(roots),
            meshes=tuple(self.meshes),
            materials=self.effects.materials(),
            images=self.effects.images(),
            skins=skins,
            clips=clips,
            cameras=tuple(self.cameras),
            lights=tuple(self.lights),
            unit_metres=unit,
            up_axis=up,
            problems=tuple(self.problems),
            files=tuple(self.effects.files()),
        )

    def counted_problems(self) -> None:
        if self.numbers.commas:
            text = f"{self.numbers.commas:,} numbers are written with a decimal comma; they were read as points."
            self.problems.append(Problem("decimal-comma", text))
        if self.splines:
            self.problems.append(Problem("free-form", say("collada.splines", splines=self.splines)))
        bridged = sum(geometry.bridged for geometry in self.geometries.values())
        if bridged:
            self.problems.append(Problem("not-carried", say("collada.holes-bridged", bridged=bridged)))
        for tag, words in (
            ("library_physics_scenes", "physics scene"),
            ("library_force_fields", "force field"),
            ("library_formulas", "formula"),
        ):
            count = sum(len(e) for e in self.root.findall(tag))
            if count:
                self.problems.append(Problem("not-carried", say("collada.no-place", counted=plural(count, words))))

    # --- nodes --------------------------------------------------------------------------------

    def top_nodes(self) -> list[Element]:
        chosen = self.root.find("scene/instance_visual_scene")
        scene = self.target(chosen.get("url"), "visual_scene") if chosen is not None else None
        if scene is None:
            scene = self.root.find("library_visual_scenes/visual_scene")
        if scene is not None:
            return scene.findall("node")
        # Without a scene nothing is placed; what the libraries hold is still what came.
        return [e for library in self.root.findall("library_nodes") for e in library.findall("node")]

    def node(self, element: Element, depth: int, above: tuple[Element, ...]) -> int:
        number = len(self.drafts)
        if number >= _MOST_NODES:
            raise InputError(say("collada.too-many-nodes", label=self.label, most=_MOST_NODES))
        if depth > 500 or element in above:
            raise InputError(say("collada.circle", label=self.label))
        draft = _Draft(_name(element), element.get("id") or "", element.get("sid") or "")
        if element.get("layer"):
            draft.extras["extras"] = {"layer": element.get("layer") or ""}
        self.drafts.append(draft)
        for child in element:
            if child.tag in _TRANSFORMS:
                draft.transforms.append((child.get("sid") or "", child.tag, _values(child, self.numbers)))
        inner = (*above, element)
        for child in element:
            match child.tag:
                case "node":
                    draft.children.append(self.node(child, depth + 1, inner))
                case "instance_node":
                    found = self.target(child.get("url"), "node")
                    if found is not None:
                        draft.children.append(self.node(found, depth + 1, inner))
                case "instance_geometry" | "instance_controller":
                    self.hang(number, child)
                case "instance_camera":
                    found = self.target(child.get("url"), "camera")
                    if found is not None:
                        self.holder(number, "camera").camera = len(self.cameras)
                        self.cameras.append(Camera(_name(found), camera_of(found, self.numbers)))
                case "instance_light":
                    found = self.target(child.get("url"), "light")
                    if found is not None:
                        self.holder(number, "light").light = len(self.lights)
                        self.lights.append(Light(_name(found), light_of(found, self.numbers)))
                case _:
                    continue
        return number

    def holder(self, number: int, what: str) -> _Draft:
        """The node itself, or a child of it where it already holds one: COLLADA hangs several things on one node."""
        draft = self.drafts[number]
        if getattr(draft, what) is None:
            return draft
        extra = _Draft("", "", "", beside=True)
        draft.children.append(len(self.drafts))
        self.drafts.append(extra)
        return extra

    def hang(self, number: int, instance: Element) -> None:
        rig: Rig | None = None
        if instance.tag == "instance_controller":
            controller = self.target(instance.get("url"), "controller")
            if controller is None:
                return
            rig = read_rig(controller, self.target, self.numbers, self.problems)
            source = rig.geometry
        else:
            source = self.target(instance.get("url"), "geometry")
        if source is None:
            return
        if source.find("spline") is not None:
            self.splines += 1
            return
        key = source.get("id") or str(id(source))
        if key not in self.geometries:
            self.geometries[key] = read_geometry(source, self.target, self.numbers, self.label)
        geometry = self.geometries[key]
        binding = self.effects.binding(instance, geometry.symbols)
        mesh_key = (key, binding, None if rig is None else rig.key)
        if mesh_key not in self.mesh_numbers:
            self.mesh_numbers[mesh_key] = len(self.meshes)
            morphs = morphs_of(rig, geometry, self.geometry_of) if rig else ((), ())
            weights = rig.weights(len(geometry.positions), self.label) if rig and rig.joints else None
            self.meshes.append(geometry_mesh(geometry, len(self.meshes), binding, weights, *morphs))
        holder = self.holder(number, "mesh")
        holder.mesh = self.mesh_numbers[mesh_key]
        if rig and rig.joints:
            roots = [unquote((e.text or "").strip().lstrip("#")) for e in instance.findall("skeleton")]
            self.rigs.append((next(i for i, draft in enumerate(self.drafts) if draft is holder), rig, roots))

    def geometry_of(self, url: str) -> Geometry | None:
        found = self.target(url, "geometry")
        return None if found is None else read_geometry(found, self.target, self.numbers, self.label)

    # --- skins --------------------------------------------------------------------------------

    def skins(self) -> tuple[Skin, ...]:
        """Joints are named by sid below the skeleton's root, or by id (chapter 5, `joints`)."""
        by_id = {d.key: i for i, d in reversed(list(enumerate(self.drafts))) if d.key}
        out: list[Skin] = []
        known: dict[object, int] = {}
        for holder, rig, roots in self.rigs:
            starts = [by_id[root] for root in roots if root in by_id] or list(range(len(self.drafts)))
            by_sid: dict[str, int] = {}
            for start in starts:
                for i in self.below(start):
                    by_sid.setdefault(self.drafts[i].sid or self.drafts[i].key, i)
            joints, lost = [], 0
            for name in rig.joints:
                found = by_sid.get(name, by_id.get(name))
                lost += found is None
                joints.append(found if found is not None else starts[0] if starts else 0)
            if lost:
                text = f"Skin {rig.key} names {plural(lost, 'joint')} that no node is called by."
                self.problems.append(Problem("skin", text, str(rig.key)))
            # Each geometry has a controller of its own: those that say the same of the same joints are one skin.
            inverse = frozen(rig.inverse_bind @ rig.bind_shape)
            key = (rig.name, tuple(joints), inverse.tobytes())
            if key not in known:
                known[key] = len(out)
                out.append(Skin(f"skin:{len(out)}", rig.name, tuple(joints), inverse))
            self.drafts[holder].skin = known[key]
        return tuple(out)

    def below(self, start: int) -> list[int]:
        out, stack = [], [start]
        while stack:
            i = stack.pop()
            out.append(i)
            stack.extend(reversed(self.drafts[i].children))
        return out

    def finished(self, number: int, draft: _Draft, driven: bool) -> Node:
        kinds = [k for _, k, _ in draft.transforms]
        matrix = product(draft.transforms)
        held = {
            "mesh": draft.mesh,
            "skin": draft.skin,
            "camera": draft.camera,
            "light": draft.light,
            "children": tuple(draft.children),
            "extras": draft.extras,
        }
        plain = (
            kinds == sorted(kinds, key=("translate", "rotate", "scale").index)
            if set(kinds) <= {"translate", "rotate", "scale"}
            else False
        )
        if (plain and kinds.count("translate") <= 1 and kinds.count("scale") <= 1) or driven:
            translation, rotation, scale = decompose(matrix)
            if plain and "scale" in kinds:
                # A triple that is stored is kept as it stands: taking a matrix apart would lose mirrored axes.
                scale = tuple(map(float, next(v for _, k, v in draft.transforms if k == "scale")))
                rotation = decompose(product([x for x in draft.transforms if x[1] == "rotate"]))[1]
            return Node(f"node:{number}{HELD * draft.beside}", draft.name, translation, rotation, scale, **held)  # type: ignore[arg-type]
        return Node(f"node:{number}{HELD * draft.beside}", draft.name, matrix=frozen(matrix), **held)  # type: ignore[arg-type]


# --- transforms -----------------------------------------------------------------------------------

_TRANSFORMS = {"matrix": 16, "translate": 3, "rotate": 4, "scale": 3, "lookat": 9, "skew": 7}


def _name(element: Element) -> str:
    """A thing's name, or its id where it has none at all."""
    name = element.get("name")
    return (element.get("id") or "") if name is None else str(name)


def _values(element: Element, numbers: Numbers) -> F64:
    return numbers.floats(element, _TRANSFORMS[element.tag])


def _unit(asset: Element | None) -> float | None:
    unit = asset.find("unit") if asset is not None else None
    try:
        metres = float((unit.get("meter") or "").replace(",", ".")) if unit is not None else 0.0
    except ValueError:
        return None
    return metres if metres > 0 and np.isfinite(metres) else None
