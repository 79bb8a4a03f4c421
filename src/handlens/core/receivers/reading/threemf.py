"""3MF, as a destination reads it: objects, their components, and what the build places. Source: 3MF Core Specification 1.3 and its Materials extension."""

from __future__ import annotations

import io
import posixpath
import zipfile
import zlib
from collections.abc import Mapping

import numpy as np

from ...formats.shared.xml import Element, parse_xml
from ...limits import InputError
from ...packages import checked_entries
from ...words.arrays import F64, Array
from ..messages import say
from .received import Node, Picture, Piece, Received, Surface, drawn_piece, plain_name

_UNITS = {"micron": 1e-6, "millimeter": 1e-3, "centimeter": 1e-2, "inch": 0.0254, "foot": 0.3048, "meter": 1.0}
#: Placements of objects in one another that are followed at most.
_MOST_NODES = 100_000
#: Where a reader that finds no relationships looks for the model (§2.1 by example).
_MODEL = "3D/3dmodel.model"


def read_3mf(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's 3MF holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .3mf.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(files[main])) as archive:
            inside = {path: archive.read(entry) for path, entry in checked_entries(archive, main).items()}
        return _File(inside, main).received()
    except (zipfile.BadZipFile, zlib.error, OSError, RuntimeError, EOFError, NotImplementedError) as error:
        raise InputError(say("receivers.wrong", main=main, what="no readable package" if files[main] else "empty")) from error
    except (LookupError, TypeError, ValueError) as error:
        raise InputError(say("receivers.does-not-fit", main=main)) from error


class _File:
    def __init__(self, inside: Mapping[str, bytes], main: str) -> None:
        self.inside, self.main = inside, main
        self.root = parse_xml(inside[_start(inside, main)], main)
        self.objects = {e.get("id"): e for e in self.root.iterfind("resources/object")}
        self.groups = {e.get("id"): e for e in self.root.iterfind("resources/*") if e.tag != "object"}
        #: Rows of each group: a list, since to count along an element's children takes as long as there are.
        self.rows = {number: list(e) for number, e in self.groups.items()}
        self.surfaces: list[Surface] = []
        self.pictures: list[Picture] = []
        self.surface_of: dict[tuple[str, int], int] = {}
        self.meshes: list[list[Piece]] = []
        self.mesh_of: dict[str, int] = {}
        self.nodes: list[Node] = []

    def received(self) -> Received:
        for number, group in self.groups.items():
            for k in range(len(self.rows[number]) if group.tag == "basematerials" else 0):
                self._surface(number or "", k)
        for item in self.root.iterfind("build/item"):
            self._place(item.get("objectid"), -1, _matrix(item.get("transform")))
        return Received(
            "3mf",
            self.nodes,
            self.meshes,
            self.surfaces,
            self.pictures,
            metres=_UNITS[self.root.get("unit", "millimeter")],
            up="Z",
        )

    def _place(self, number: str | None, parent: int, matrix: F64) -> None:
        """An object where it is placed, and what it is composed of; none is part of itself (§4.2), and of a loop none comes to an end."""
        waiting = [(number, parent, matrix)]
        while waiting:
            number, parent, matrix = waiting.pop()
            found = self.objects[number]
            mesh = found.find("mesh")
            self.nodes.append(
                Node(
                    plain_name(found.get("name") or f"object {number}"),
                    parent,
                    matrix,
                    -1 if mesh is None else self._mesh(str(number), found),
                )
            )
            if len(self.nodes) > _MOST_NODES:
                raise ValueError
            here = len(self.nodes) - 1
            waiting += [
                (e.get("objectid"), here, matrix @ _matrix(e.get("transform"))) for e in found.iterfind("components/component")
            ]

    def _mesh(self, number: str, found: Element) -> int:
        """The number of an object's mesh, read when it is first met."""
        if number in self.mesh_of:
            return self.mesh_of[number]
        points = np.array([[float(e.get(axis, "")) for axis in "xyz"] for e in found.iterfind("mesh/vertices/vertex")])
        points = points.reshape(-1, 3).astype(np.float64)
        own = (found.get("pid"), found.get("pindex", "0"))
        groups: dict[int, list[tuple[list[int], list[tuple[float, float]] | None]]] = {}
        for triangle in found.iterfind("mesh/triangles/triangle"):
            corners = [int(triangle.get(key, "")) for key in ("v1", "v2", "v3")]
            group, first = (triangle.get("pid"), triangle.get("p1")) if triangle.get("pid") or triangle.get("p1") else own
            group = group or own[0]
            surface = -1 if group is None else self._surface(group, int(first or 0))
            groups.setdefault(surface, []).append((corners, self._mapped(group, triangle)))
        self.mesh_of[number] = len(self.meshes)
        self.meshes.append([_piece(points, rows, surface) for surface, rows in groups.items()])
        return self.mesh_of[number]

    def _mapped(self, group: str | None, triangle: Element) -> list[tuple[float, float]] | None:
        """UVs of a triangle's corners, where its group is one of places on a picture."""
        found = self.groups.get(group)
        if found is None or found.tag != "texture2dgroup":
            return None
        first = triangle.get("p1", "0")
        rows = self.rows[group]
        places = [rows[int(triangle.get(key, first))] for key in ("p1", "p2", "p3")]
        return [(float(e.get("u", "0")), 1 - float(e.get("v", "0"))) for e in places]

    def _surface(self, group: str, index: int) -> int:
        """The number of a material: of a base material by its place, of a picture's group one for all."""
        found = self.groups[group]
        pictured = found.tag == "texture2dgroup"
        key = (group, 0 if pictured else index)
        if key not in self.surface_of:
            self.surface_of[key] = len(self.surfaces)
            self.surfaces.append(self._pictured(found) if pictured else _plain(self.rows[group][index], index))
        return self.surface_of[key]

    def _pictured(self, group: Element) -> Surface:
        path = (self.groups[group.get("texid")].get("path") or "").lstrip("/")
        self.pictures.append(Picture(plain_name(posixpath.basename(path)), self.inside.get(path)))
        number = len(self.pictures) - 1
        return Surface(plain_name(posixpath.basename(path).rpartition(".")[0]), (1.0, 1.0, 1.0, 1.0), number, images=(number,))


def _start(inside: Mapping[str, bytes], main: str) -> str:
    """The part that the package's relationships name as its model (§2.1.1)."""
    if "_rels/.rels" in inside:
        for relationship in parse_xml(inside["_rels/.rels"], main):
            if (relationship.get("Type") or "").endswith("/3dmodel"):
                return (relationship.get("Target") or "").lstrip("/")
    return _MODEL


def _piece(points: F64, rows: list[tuple[list[int], list[tuple[float, float]] | None]], surface: int) -> Piece:
    corners = np.array([row for row, _ in rows], np.int64).reshape(-1, 3)
    if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
        raise ValueError
    if any(places is None for _, places in rows):
        return drawn_piece(Piece(points, corners, None, surface))
    # A corner of its own for each: one place may lie at several on the picture.
    uv: Array = np.array([place for _, places in rows for place in places or ()], np.float64).reshape(-1, 2)
    return Piece(points[corners.reshape(-1)], np.arange(corners.size, dtype=np.int64).reshape(-1, 3), uv, surface)


def _plain(found: Element, index: int) -> Surface:
    """A material of one colour, sRGB with or without alpha (§5.1.1)."""
    text = (found.get("displaycolor") or found.get("color") or "#CCCCCCFF").lstrip("#")
    red, green, blue, *alpha = (int(text[k : k + 2], 16) / 255 for k in range(0, len(text), 2))
    solid = alpha[0] if alpha else 1.0
    name = plain_name(found.get("name") or f"colour {index}")
    return Surface(name, (red**2.2, green**2.2, blue**2.2, solid), alpha="opaque" if solid == 1.0 else "blend")


def _matrix(text: str | None) -> F64:
    """(4, 4) of the twelve numbers of a placement, row by row and for rows of coordinates (§3.3)."""
    out = np.eye(4)
    if text:
        out[:3, :] = np.array([float(word) for word in text.split()]).reshape(4, 3).T
    return out
