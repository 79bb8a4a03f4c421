"""COLLADA, as a destination reads it: geometries where their nodes put them, the common profile's colours. Source: COLLADA 1.4.1 and 1.5.0."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from urllib.parse import unquote

import numpy as np

from ...formats.shared.xml import Element, parse_xml
from ...limits import InputError
from ...words.arrays import F64, I64, Array
from ..messages import say
from .received import Node, Picture, Piece, Received, Skeleton, Surface, drawn_piece, plain_name

_SHADINGS = ("phong", "lambert", "blinn", "constant")
_FACES = ("triangles", "polylist", "polygons", "trifans", "tristrips")
_LINES = ("lines", "linestrips")
#: Nodes that are drawn at most, instances of instances among them.
_MOST_NODES = 200_000


def read_collada(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's COLLADA document holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .dae.
    """
    if not files[main]:
        raise InputError(say("receivers.empty", main=main))
    try:
        return _Document(parse_xml(files[main], main), files, posixpath.dirname(main)).received()
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError) as error:
        raise InputError(say("receivers.does-not-fit", main=main)) from error


class _Document:
    def __init__(self, root: Element, files: Mapping[str, bytes], folder: str) -> None:
        self.root, self.files, self.folder = root, files, folder
        self.by_id = {e.get("id"): e for e in root.iter() if e.get("id")}
        images = [e for library in root.findall("library_images") for e in library.iter("image")]
        self.image_numbers = {e.get("id") or e.get("name"): k for k, e in enumerate(images)}
        self.pictures = [self._picture(e) for e in images]
        materials = [e for library in root.findall("library_materials") for e in library.findall("material")]
        self.material_numbers = {e.get("id"): k for k, e in enumerate(materials)}
        self.surfaces = [self._surface(e) for e in materials]
        self.meshes: list[list[Piece]] = []
        #: Numbers of the mesh and the skin by what brings them and the materials bound there: what is placed often is read once.
        self.placed: dict[tuple[str | None, tuple[tuple[str, int], ...]], tuple[int, int]] = {}
        self.skins: list[Skeleton] = []
        self.nodes: list[Node] = []

    def received(self) -> Received:
        scene = self._at(self.root.find("scene/instance_visual_scene"))
        waiting = [(e, -1, np.eye(4)) for e in reversed([] if scene is None else scene.findall("node"))]
        while waiting:
            element, parent, above = waiting.pop()
            here, matrix = self._node(element, parent, above)
            inner = [*element.findall("node"), *filter(None.__ne__, map(self._at, element.findall("instance_node")))]
            waiting += [(e, here, matrix) for e in reversed(inner) if e is not None]
            if len(self.nodes) > _MOST_NODES:
                raise ValueError
        unit, up = self.root.find("asset/unit"), self.root.findtext("asset/up_axis", "Y_UP").strip()
        return Received(
            "dae",
            self.nodes,
            self.meshes,
            self.surfaces,
            self.pictures,
            metres=float(unit.get("meter", "1")) if unit is not None else 1.0,
            up=up[:1],
            skins=self.skins,
            clips=self._clips(),
            cameras=len(self.root.findall("library_cameras/camera")),
            lights=len(self.root.findall("library_lights/light")),
        )

    def _clips(self) -> list[str]:
        """Clips by name; without any named, all animation is one."""
        named = self.root.findall("library_animation_clips/animation_clip")
        if named or self.root.find("library_animations/animation") is None:
            return [plain_name(e.get("name") or e.get("id") or "") for e in named]
        return ["all"]

    def _at(self, element: Element | None, key: str = "url") -> Element | None:
        """What an element refers to, None where that is not in the document."""
        if element is None:
            return None
        return self.by_id.get(unquote((element.get(key) or "").lstrip("#")))

    @cached_property
    def joints(self) -> dict[str | None, Element]:
        """Nodes by their scoped identifier and by their own: a skin names its joints by either."""
        nodes = list(self.root.iter("node"))
        return {e.get("sid"): e for e in nodes} | {e.get("id"): e for e in nodes}

    # --- nodes --------------------------------------------------------------------------------

    def _node(self, element: Element, parent: int, above: F64) -> tuple[int, F64]:
        """Lays a node down, and one below it for each mesh after its first; gives its number and its matrix to the world."""
        matrix: F64 = above @ _local(element)
        name = plain_name(element.get("name") or element.get("id") or "")
        drawn = [self._instance(e) for e in element if e.tag in ("instance_geometry", "instance_controller")]
        here = len(self.nodes)
        self.nodes.append(Node(name, parent, matrix))
        for k, (mesh, skin) in enumerate(drawn):
            if k == 0:
                self.nodes[here] = replace(self.nodes[here], mesh=mesh, skin=skin)
            else:
                self.nodes.append(Node(name, here, matrix, mesh, skin))
        return here, matrix

    def _instance(self, element: Element) -> tuple[int, int]:
        """The numbers of the mesh and of the skin that an element brings, -1 for none."""
        bound = []
        for binding in element.findall("bind_material/technique_common/instance_material"):
            number = self.material_numbers.get(unquote((binding.get("target") or "").lstrip("#")))
            if number is not None:
                bound.append((binding.get("symbol") or "", number))
        key = (element.get("url"), tuple(bound))
        if key in self.placed:
            return self.placed[key]
        found, skin, carried = self._at(element), -1, None
        if found is not None and found.tag == "controller":
            skinned = found.find("skin")
            if skinned is not None:
                skin, carried = len(self.skins), _carried(skinned)
                self.skins.append(self._skeleton(skinned))
                found = self._at(skinned, "source")
            else:
                found = self._at(found.find("morph"), "source")
        self.meshes.append([] if found is None else self._pieces(found, dict(bound), carried))
        self.placed[key] = len(self.meshes) - 1, skin
        return self.placed[key]

    def _skeleton(self, skin: Element) -> Skeleton:
        names = self._words(next((e for e in skin.findall("joints/input") if e.get("semantic") == "JOINT"), None))
        joints, above = set(names), []
        for name in names:
            node = self.joints.get(name)
            parent = node.getparent() if node is not None else None
            called = {None} if parent is None else {parent.get("sid"), parent.get("id")}
            above.append(next((plain_name(other) for other in called & joints if other is not None), None))
        return Skeleton([plain_name(name) for name in names], above)

    def _words(self, element: Element | None) -> list[str]:
        source = self._at(element, "source")
        if source is None:
            return []
        return next((e.text or "" for e in source if e.tag in ("Name_array", "IDREF_array")), "").split()

    # --- meshes -------------------------------------------------------------------------------

    def _pieces(self, geometry: Element, bound: Mapping[str, int], carried: Array | None) -> list[Piece]:
        mesh = geometry.find("mesh")
        if mesh is None:
            return []
        shared = mesh.findall("vertices/input")
        points = next((self._numbers(e, 3) for e in shared if e.get("semantic") == "POSITION"), np.zeros((0, 3)))
        out = []
        for group in mesh:
            if group.tag in _FACES:
                symbol = group.get("material") or ""
                piece = self._piece(group, shared, points, bound.get(symbol, self.material_numbers.get(symbol, -1)))
                if carried is not None:
                    counts = carried[: len(points)]
                    piece = replace(piece, influences=int(counts.max(initial=0)), bare=int((counts == 0).sum()))
                out.append(drawn_piece(piece))
            elif group.tag in _LINES:
                ends = sum(len((e.text or "").split()) for e in group.findall("p")) // _width(group)
                out.append(Piece(np.zeros((0, 3)), np.zeros((0, 3), np.int64), lines=ends))
        return out

    def _piece(self, group: Element, shared: list[Element], points: F64, material: int) -> Piece:
        corners, faces = _corners(group), []
        inputs = {(e.get("semantic"), int(e.get("set", "0"))): e for e in reversed(group.findall("input"))}
        place = next((e for (kind, _), e in inputs.items() if kind == "VERTEX"), None)
        if place is None:
            raise ValueError
        for start, count in _polygons(group, corners):
            faces += [(start, start + k, start + k + 1) for k in range(1, count - 1)]
        if group.tag == "tristrips":
            faces = [(a, b, c) if k % 2 == 0 else (a, c, b) for k, (a, b, c) in enumerate(_strips(group, corners))]
        order = np.array(faces, np.int64).reshape(-1)
        at: I64 = corners[order, int(place.get("offset", "0"))]
        if len(at) and (at.min() < 0 or at.max() >= len(points)):
            raise ValueError
        mapped = next((e for (kind, _), e in sorted(inputs.items(), key=lambda x: x[0][1]) if kind == "TEXCOORD"), None)
        if mapped is None:
            through = next((e for e in shared if e.get("semantic") == "TEXCOORD"), None)
            uv = None if through is None else self._numbers(through, 2)
            return Piece(points, at.reshape(-1, 3), None if uv is None else uv * (1, -1) + (0, 1), material)
        uv = self._numbers(mapped, 2)[corners[order, int(mapped.get("offset", "0"))]] * (1, -1) + (0, 1)
        rows, number = np.unique(np.column_stack([at, uv]), axis=0, return_inverse=True)
        return Piece(points[rows[:, 0].astype(np.int64)], number.reshape(-1, 3).astype(np.int64), rows[:, 1:], material)

    def _numbers(self, element: Element, width: int) -> F64:
        """(N, width) numbers of the source that an input names."""
        source = self._at(element, "source")
        if source is None:
            raise ValueError
        accessor = source.find("technique_common/accessor")
        step, begin = (1, 0) if accessor is None else (int(accessor.get(k, d)) for k, d in (("stride", "1"), ("offset", "0")))
        values = np.array((source.findtext("float_array") or "").split(), np.float64)[begin:]
        if step < width or begin < 0:
            raise ValueError
        rows: F64 = values[: len(values) // step * step].reshape(-1, step)[:, :width]
        return rows

    # --- materials ----------------------------------------------------------------------------

    def _picture(self, element: Element) -> Picture:
        source = element.find("init_from")
        reference = "" if source is None else (source.findtext("ref") or source.text or "").strip()
        embedded = element.findtext("data") or ("" if source is None else source.findtext("hex") or "")
        name = plain_name(element.get("name") or element.get("id") or reference)
        if embedded:
            return Picture(name, bytes.fromhex("".join(embedded.split())))
        path = posixpath.normpath(posixpath.join(self.folder, unquote(reference.replace("\\", "/")).removeprefix("./")))
        return Picture(plain_name(reference), self.files.get(path))

    def _surface(self, material: Element) -> Surface:
        name = material.get("name")
        name = plain_name((material.get("id") or "") if name is None else name)
        effect = self._at(material.find("instance_effect"))
        shading = None if effect is None else next((e for e in effect.iter() if e.tag in _SHADINGS), None)
        if effect is None or shading is None:
            return Surface(name)
        params = {e.get("sid"): e for e in effect.iter("newparam")}
        images = [k for e in effect.iter("texture") if (k := self._image(e, params)) >= 0]
        diffuse = shading.find("diffuse/texture")
        colour = [float(x) for x in (shading.findtext("diffuse/color") or "1 1 1 1").split()]
        solid, by_picture = _opacity(shading), shading.find("transparent/texture") is not None
        red, green, blue = (x**2.2 for x in colour[:3])
        both = any((e.text or "").strip() in ("1", "true") for e in effect.iter("double_sided"))
        return Surface(
            name,
            (red, green, blue, solid),
            -1 if diffuse is None else self._image(diffuse, params),
            "blend" if by_picture or solid < 1 else "opaque",
            both_sides=both,
            images=tuple(sorted(set(images))),
        )

    def _image(self, texture: Element, params: Mapping[str | None, Element]) -> int:
        """The number of the image that a texture leads to, by way of its sampler and surface; -1 where it leads nowhere."""
        name = texture.get("texture")
        for _ in range(3):
            found = params.get(name)
            if found is None:
                break
            sampler = found.find("sampler2D")
            if sampler is not None and (instance := sampler.find("instance_image")) is not None:
                name = (instance.get("url") or "").lstrip("#")
            else:
                name = (found.findtext("sampler2D/source") or found.findtext("surface/init_from") or "").strip()
        return self.image_numbers.get(name, -1)


def _opacity(shading: Element) -> float:
    """How solid a material is, of its see-through colour and its amount (1.4.1, "Determining Transparency")."""
    see_through = shading.find("transparent")
    amount = float(shading.findtext("transparency/float") or 1)
    if see_through is None or see_through.find("color") is None:
        return 1.0
    red, green, blue, alpha = [float(x) for x in (*(see_through.findtext("color") or "").split(), "1", "1", "1", "1")[:4]]
    way = see_through.get("opaque", "A_ONE")
    value = alpha if way.startswith("A_") else 0.212671 * red + 0.715160 * green + 0.072169 * blue
    return value * amount if way.endswith("ONE") else 1 - value * amount


def _carried(skin: Element) -> Array:
    """(V,) int64: joints of each vertex."""
    return np.array((skin.findtext("vertex_weights/vcount") or "").split(), np.int64)


def _width(group: Element) -> int:
    """Indices of one corner."""
    return 1 + max((int(e.get("offset", "0")) for e in group.findall("input")), default=0)


def _corners(group: Element) -> I64:
    """(C, width) indices of all corners of a group, one polygon after the other."""
    words = " ".join(e.text or "" for e in (*group.iter("p"),)).split()
    width = _width(group)
    return np.array(words[: len(words) // width * width], np.int64).reshape(-1, width)


def _polygons(group: Element, corners: I64) -> Iterator[tuple[int, int]]:
    """First corner and number of corners of each polygon, in order."""
    if group.tag == "triangles":
        counts = [3] * (len(corners) // 3)
    elif group.tag == "polylist":
        counts = [int(word) for word in (group.findtext("vcount") or "").split()]
    elif group.tag == "tristrips":
        counts = []
    else:
        counts = [len((e.text or "").split()) // _width(group) for e in group.iter("p")]
    if sum(counts) > len(corners) or min(counts, default=0) < 0:
        raise ValueError
    start = 0
    for count in counts:
        yield start, count
        start += count


def _strips(group: Element, corners: I64) -> Iterator[tuple[int, int, int]]:
    start, width = 0, _width(group)
    for strip in group.iter("p"):
        count = len((strip.text or "").split()) // width
        yield from ((k, k + 1, k + 2) for k in range(start, start + count - 2))
        start += count


def _local(node: Element) -> F64:
    """(4, 4) of a node to its parent: its transforms in the order in which they stand (chapter 5, "node")."""
    out = np.eye(4)
    for transform in node:
        if transform.tag not in ("matrix", "translate", "rotate", "scale", "lookat", "skew"):
            continue
        v = np.array((transform.text or "").split(), np.float64)
        step = np.eye(4)
        if transform.tag == "matrix":
            step = v.reshape(4, 4)
        elif transform.tag == "translate":
            step[:3, 3] = v
        elif transform.tag == "scale":
            step[:3, :3] = np.diag(v)
        elif transform.tag == "rotate":
            step[:3, :3] = _turn(v[:3], float(np.radians(v[3])))
        elif transform.tag == "lookat":
            step = _looking(v.reshape(3, 3))
        out = out @ step
    return out


def _turn(axis: Array, angle: float) -> F64:
    """(3, 3) turn about an axis (Rodrigues 1840)."""
    x, y, z = axis / max(float(np.linalg.norm(axis)), 1e-30)
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    out: F64 = np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * (cross @ cross)
    return out


def _looking(rows: Array) -> F64:
    """(4, 4) of an eye, what it looks at, and what is up."""
    eye, at, up = rows
    back = (eye - at) / max(float(np.linalg.norm(eye - at)), 1e-30)
    right = np.cross(up, back)
    right /= max(float(np.linalg.norm(right)), 1e-30)
    out = np.eye(4)
    out[:3, 0], out[:3, 1], out[:3, 2], out[:3, 3] = right, np.cross(back, right), back, eye
    return out
