"""3MF into the neutral scene. Chapters are those of the 3MF Core Specification 1.3 and its Materials and Properties Extension 1.2.1.

One model part is read with what it builds; the format fixes Z up (core, chapter 3.3) and states the unit (chapter 3.4).
"""

from __future__ import annotations

import io
import posixpath
import re
import zipfile
from collections.abc import Callable

import numpy as np

from ...limits import InputError
from ...packages import Package, checked_entries
from ...scene import Image, Layer, Material, Mesh, Node, Problem, Scene, TextureInput
from ...scene.model import frozen
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...surface.pictures import media_type
from ...words.arrays import F64, I64, Array
from ..conform.frame import THREEMF_UNITS as UNITS
from ..shared.xml import Element, Numbers, parse_xml
from .messages import say

_MOST_NODES = 200_000
_WRAPS = {"wrap": REPEAT, "mirror": MIRROR, "clamp": CLAMP, "none": CLAMP}


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read a 3MF package. Raises InputError."""
    label = path.rpartition("/")[2]
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
        raise InputError(say("threemf.no-package", label=label)) from error
    return _Reader(archive, label).scene()


class _Reader:
    def __init__(self, archive: zipfile.ZipFile, label: str) -> None:
        self.archive, self.label = archive, label
        self.entries = checked_entries(archive, label)
        self.part = self._start()
        self.root = parse_xml(self.bytes(self.part), f"{label}, {self.part}")
        if self.root.tag != "model":
            raise InputError(say("threemf.no-model", label=label, part=self.part))
        self.numbers = Numbers(label)
        self.problems: list[Problem] = []
        self.nodes: list[Node] = []
        self.meshes: list[Mesh] = []
        self.mesh_numbers: dict[str, int] = {}
        self.images: list[Image] = []
        self.materials: list[Material] = []
        #: By resource id: material of each property, None where it has no material of its own; colours (N, 4); UVs (N, 2).
        self.slots: dict[str, list[int]] = {}
        self.colours: dict[str, Array] = {}
        self.uvs: dict[str, Array] = {}
        self.objects: dict[str, Element] = {}

    def bytes(self, path: str) -> bytes:
        try:
            return self.archive.read(self.entries[path])
        except KeyError:
            raise InputError(say("threemf.no-such-part", label=self.label, path=path)) from None
        except Exception as error:  # zlib and lzma raise errors of their own
            raise InputError(say("threemf.damaged", path=path, label=self.label)) from error

    def _start(self) -> str:
        """The model part that the package's relationships name (OPC, 9.3), else the first model part."""
        if "_rels/.rels" in self.entries:
            rels = parse_xml(self.bytes("_rels/.rels"), f"{self.label}, _rels/.rels")
            for relationship in rels.iter("Relationship"):
                target = (relationship.get("Target") or "").lstrip("/")
                if (relationship.get("Type") or "").endswith("/3dmodel") and target in self.entries:
                    return target
        found = next((n for n in self.entries if n.lower().endswith(".model")), None)
        if found is None:
            raise InputError(say("threemf.no-model-part", label=self.label))
        return found

    def scene(self) -> Scene:
        unit = self.root.get("unit") or "millimeter"
        if unit not in UNITS:
            self.problems.append(Problem("broken-reference", say("threemf.unknown-unit", unit=unit)))
        resources = self.root.find("resources")
        for element in resources if resources is not None else ():
            self.resource(element)
        build = self.root.find("build")
        roots = [self.instance(e, 0) for e in (build if build is not None else ()) if e.tag == "item"]
        beyond = [n for n in self.entries if n.lower().endswith(".model") and n != self.part]
        if beyond:
            self.problems.append(Problem("not-carried", say("threemf.further-parts", count=len(beyond), what=beyond[0])))
        return Scene(
            format="3mf",
            nodes=tuple(self.nodes),
            roots=tuple(root for root in roots if root is not None),
            meshes=tuple(self.meshes),
            materials=tuple(self.materials),
            images=tuple(self.images),
            unit_metres=UNITS.get(unit),
            up_axis="Z",
            problems=tuple(self.problems),
        )

    # --- resources ----------------------------------------------------------------------------

    def resource(self, element: Element) -> None:
        key = element.get("id") or ""
        match element.tag:
            case "object":
                self.objects[key] = element
            case "basematerials":
                self.slots[key] = [
                    self.material(b.get("name") or "", self.colour(b, "displaycolor")) for b in element.findall("base")
                ]
            case "colorgroup":
                self.colours[key] = np.array([self.colour(c, "color") for c in element.findall("color")]).reshape(-1, 4)
            case "texture2d":
                self.picture(element, key)
            case "texture2dgroup":
                self.texture_group(element, key)
            case _:
                self.problems.append(Problem("not-carried", say("threemf.resource-without-place", tag=element.tag)))

    def colour(self, element: Element, key: str) -> tuple[float, float, float, float]:
        """#RRGGBB or #RRGGBBAA as sRGB (core, chapter 5.1)."""
        digits = re.fullmatch(r"#([0-9A-Fa-f]{6})([0-9A-Fa-f]{2})?", (element.get(key) or "#FFFFFF").strip())
        if digits is None:
            self.numbers.fail(element, f"has a colour {element.get(key)!r}, which is not written as #RRGGBB")
        r, g, b, a = (v / 255 for v in bytes.fromhex(digits[1] + (digits[2] or "FF")))
        return r, g, b, a

    def material(self, name: str, colour: tuple[float, float, float, float], inputs: tuple[TextureInput, ...] = ()) -> int:
        self.materials.append(Material(f"material:{len(self.materials)}", name, colour, inputs=inputs))
        return len(self.materials) - 1

    def picture(self, element: Element, key: str) -> None:
        path = (element.get("path") or "").lstrip("/")
        name = posixpath.basename(path)
        there = path in self.entries
        sampler = {
            k: _WRAPS[wrap]
            for k, t in (("wrapS", "tilestyleu"), ("wrapT", "tilestylev"))
            if (wrap := element.get(t) or "wrap") in _WRAPS
        }
        load: Callable[[], bytes] | None = (lambda: self.bytes(path)) if there else None
        kind = media_type(self.bytes(path)) if there else None
        # Several resources may say in their own ways how one picture is laid on.
        number = next((k for k, i in enumerate(self.images) if i.reference == (element.get("path") or "")), len(self.images))
        if number == len(self.images):
            status = "embedded" if there else "missing"
            self.images.append(Image(f"image:{number}", name, element.get("path") or "", status, None, kind, load))
        slot = TextureInput("base-colour", ("texture2d",), number, 0, sampler)
        self.slots[key] = [self.material(name.rpartition(".")[0], (1.0, 1.0, 1.0, 1.0), (slot,))]

    def texture_group(self, element: Element, key: str) -> None:
        rows = [(self.number(c, "u"), self.number(c, "v")) for c in element.findall("tex2coord")]
        self.uvs[key] = np.array(rows, np.float64).reshape(-1, 2)
        texture = element.get("texid") or ""
        if texture not in self.slots:
            self.problems.append(Problem("broken-reference", say("threemf.no-such-texture", texture=texture)))
        self.slots[key] = self.slots.get(texture, [-1])

    def number(self, element: Element, key: str) -> float:
        try:
            return float(element.get(key) or "")
        except ValueError:
            self.numbers.fail(element, f"has {key}={element.get(key)!r} where a number belongs")

    # --- objects ------------------------------------------------------------------------------

    def instance(self, element: Element, depth: int) -> int | None:
        """A node for a build item or a component (core, chapters 3.4.3 and 4.2)."""
        key = element.get("objectid") or ""
        found = self.objects.get(key)
        if found is None:
            self.problems.append(Problem("broken-reference", say("threemf.no-such-object", key=key), "build"))
            return None
        if depth > 200:
            raise InputError(say("threemf.circle", label=self.label))
        if len(self.nodes) >= _MOST_NODES:
            raise InputError(say("threemf.too-many-nodes", label=self.label, most=_MOST_NODES))
        number = len(self.nodes)
        name = found.get("name")
        name = f"object_{key}" if name is None else name
        self.nodes.append(Node(f"node:{number}", name))
        matrix = self.matrix(element)
        components = found.find("components")
        children = [self.instance(c, depth + 1) for c in (components if components is not None else ()) if c.tag == "component"]
        mesh = found.find("mesh")
        if mesh is not None and key not in self.mesh_numbers:
            self.mesh_numbers[key] = len(self.meshes)
            self.meshes.append(self.mesh(mesh, found, name))
        self.nodes[number] = Node(
            f"node:{number}",
            name,
            matrix=frozen(matrix) if (matrix != np.eye(4)).any() else None,
            children=tuple(child for child in children if child is not None),
            mesh=self.mesh_numbers.get(key),
        )
        return number

    def matrix(self, element: Element) -> F64:
        """Twelve numbers, row by row, of a matrix for row vectors (core, chapter 3.3)."""
        text = element.get("transform")
        if not text:
            return np.eye(4)
        try:
            values = np.array([float(w) for w in text.split()])
        except ValueError:
            values = np.zeros(0)
        if len(values) != 12:
            self.numbers.fail(element, "has a transform that is not twelve numbers")
        out = np.eye(4)
        out[:3, :] = values.reshape(4, 3).T
        return out

    def mesh(self, mesh: Element, owner: Element, name: str) -> Mesh:
        corner = mesh.find("vertices")
        positions = self.table(corner, "vertex", ("x", "y", "z"), float)
        triangles = mesh.find("triangles")
        rows = self.table(triangles, "triangle", ("v1", "v2", "v3"), int)
        if len(rows) and (rows.max() >= len(positions) or rows.min() < 0):
            raise InputError(
                say("threemf.no-such-vertex", label=self.label, name=name, vertex=int(rows.max()), count=len(positions))
            )
        pid, entries = self.properties(triangles, owner, len(rows))
        slots, table, uvs, colours = self.surfaces(pid, entries)
        return Mesh(
            f"mesh:{len(self.meshes)}",
            name,
            frozen(positions),
            frozen(rows.astype(np.int32).reshape(-1)),
            frozen(np.arange(len(rows) + 1, dtype=np.int64) * 3),
            frozen(slots),
            table,
            uvs,
            colours=colours,
        )

    def table(self, owner: Element | None, tag: str, keys: tuple[str, ...], kind: type) -> Array:
        """(N, k) attributes of every child of that tag."""
        if owner is None:
            return np.zeros((0, len(keys)), np.float64 if kind is float else np.int64)
        children = owner.findall(tag)
        try:
            return np.array(
                [[kind(child.get(k)) for k in keys] for child in children], np.float64 if kind is float else np.int64
            ).reshape(-1, len(keys))
        except (TypeError, ValueError, OverflowError):
            bad = next(child for child in children if not all(_reads(kind, child.get(k)) for k in keys))
            self.numbers.fail(bad, f"does not have a number in each of {', '.join(keys)}")

    def properties(self, triangles: Element | None, owner: Element, count: int) -> tuple[list[str], Array]:
        """Property group of each triangle, and (T, 3) which property each corner takes; the object's own where none is said (core, 4.1.4)."""
        default, first = owner.get("pid") or "", owner.get("pindex") or "0"
        pid, entries = [], np.zeros((count, 3), np.int64)
        for k, triangle in enumerate(triangles.findall("triangle") if triangles is not None else ()):
            own = triangle.get("pid") or default
            pid.append(own)
            own_entry = triangle.get("p1") or (first if own == default else "0")
            for corner, text in enumerate((own_entry, triangle.get("p2") or own_entry, triangle.get("p3") or own_entry)):
                if not (text.isascii() and text.isdigit() and len(text) < 10):
                    self.numbers.fail(triangle, f"has a property {text!r} that is no whole number")
                entries[k, corner] = int(text)
        return pid, entries

    def surfaces(self, pid: list[str], properties: I64) -> tuple[Array, tuple[int, ...], tuple[Layer, ...], tuple[Layer, ...]]:
        """Slots, their materials, UVs and colours of triangles by their properties.

        properties: (T, 3) int, the property of each corner, -1 for none.
        """
        slots, table = np.zeros(len(pid), np.int32), list[int]()
        uv_values: list[Array] = []
        colour_values: list[Array] = []
        uv_index, colour_index = np.full(properties.shape, -1, np.int32), np.full(properties.shape, -1, np.int32)
        groups = np.array(pid, dtype=object) if pid else np.zeros(0, object)
        lost: set[str] = set()
        for key in dict.fromkeys(pid):
            mine = np.flatnonzero(groups == key)
            if key in self.uvs or key in self.colours:
                values = self.uvs.get(key, self.colours.get(key))
                index, store = (uv_index, uv_values) if key in self.uvs else (colour_index, colour_values)
                assert values is not None
                good = (properties[mine] < len(values)).all(axis=1)
                index[mine[good]] = properties[mine[good]] + sum(map(len, store))
                store.append(values)
                which = np.zeros(len(mine), np.int64)
            else:
                which = properties[mine, 0]
            materials = self.slots.get(key, [-1])
            if key and key not in self.slots and key not in self.colours:
                lost.add(key)
            for number in np.unique(which):
                material = materials[number] if number < len(materials) else -1
                if material not in table:
                    table.append(material)
                slots[mine[which == number]] = table.index(material)
        for key in sorted(lost):
            self.problems.append(
                Problem(
                    "broken-reference",
                    say("threemf.no-such-properties", key=key),
                    key,
                )
            )
        layer = lambda values, index, kind: (
            (Layer(frozen(np.concatenate(values).astype(kind)), frozen(index.reshape(-1))),) if values else ()
        )
        return frozen(slots), tuple(table), layer(uv_values, uv_index, np.float64), layer(colour_values, colour_index, np.float32)


def _reads(kind: type, text: str | None) -> bool:
    """Whether a text is a number of a kind, and of those one that 64 bits hold."""
    try:
        number = kind(text)
        return kind is float or -(2**63) <= number < 2**63
    except (TypeError, ValueError):
        return False
