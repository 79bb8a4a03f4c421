"""Polygon files with their material libraries, as a destination reads them: polygons as fans, groups as parts."""

from __future__ import annotations

import posixpath
from collections.abc import Mapping

import numpy as np

from ...limits import InputError
from ..messages import say
from .received import Node, Picture, Piece, Received, Surface, plain_name

#: How many words follow each option of a map before its file name; -o, -s and -t take one to three numbers.
_OPTIONS = {"-blendu": 1, "-blendv": 1, "-boost": 1, "-mm": 2, "-texres": 1, "-clamp": 1, "-bm": 1, "-imfchan": 1, "-type": 1}
_VECTORS = ("-o", "-s", "-t")


def read_obj(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's polygon file holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .obj.
    """
    try:
        return _Reader(files, posixpath.dirname(main)).received(files[main].decode("utf-8", "replace"))
    except (IndexError, ValueError) as error:
        raise InputError(say("receivers.failed", main=main, error=str(error))) from error


class _Reader:
    def __init__(self, files: Mapping[str, bytes], folder: str) -> None:
        self.files, self.folder = files, folder
        self.points: list[tuple[float, ...]] = []
        self.uv: list[tuple[float, ...]] = []
        self.surfaces: list[Surface] = []
        self.pictures: list[Picture] = []
        #: Of each part: its name, triangles by material as pairs of position and UV, and its loose lines and points.
        self.parts: list[tuple[str, dict[int, list[list[tuple[int, int]]]], list[int]]] = []

    def received(self, text: str) -> Received:
        material = -1
        for number, line in enumerate(text.replace("\\\n", " ").splitlines(), 1):
            words = line.split()
            if not words or words[0].startswith("#"):
                continue
            kind, rest = words[0], words[1:]
            try:
                if kind == "v":
                    self.points.append(tuple(map(float, rest[:3])))
                elif kind == "vt":
                    self.uv.append(tuple(map(float, (*rest, "0")[:2])))
                elif kind == "f":
                    self._face(rest, material)
                elif kind in ("l", "p"):
                    self._part()[2].append(len(rest))
                elif kind == "o":
                    self.parts.append((line.split(None, 1)[1].strip() if rest else "", {}, []))
                elif kind == "mtllib":
                    self._library(line.split(None, 1)[1].strip())
                elif kind == "usemtl":
                    name = line.split(None, 1)[1].strip() if rest else ""
                    material = next((k for k, surface in enumerate(self.surfaces) if surface.name == plain_name(name)), -1)
            except (ValueError, IndexError) as error:
                raise ValueError(f"line {number} is not laid out as it should be") from error
        return self._received()

    def _part(self) -> tuple[str, dict[int, list[list[tuple[int, int]]]], list[int]]:
        if not self.parts:
            self.parts.append(("", {}, []))
        return self.parts[-1]

    def _face(self, words: list[str], material: int) -> None:
        corners = []
        for word in words:
            place, _, uv = word.partition("/")
            uv = uv.partition("/")[0]
            corners.append((self._index(place, len(self.points)), self._index(uv, len(self.uv)) if uv else -1))
        fan = [[corners[0], corners[k], corners[k + 1]] for k in range(1, len(corners) - 1)]
        self._part()[1].setdefault(material, []).extend(fan)

    @staticmethod
    def _index(word: str, count: int) -> int:
        number = int(word)
        number = number - 1 if number > 0 else count + number
        if not 0 <= number < count:
            raise ValueError
        return number

    def _library(self, name: str) -> None:
        data = self._file(name)
        if data is None:
            return
        now: dict[str, str] = {}
        for line in [*data.decode("utf-8", "replace").splitlines(), "newmtl"]:
            words = line.split()
            if words and words[0] == "newmtl":
                if now:
                    self.surfaces.append(self._surface(now))
                now = {"name": line.split(None, 1)[1].strip()} if len(words) > 1 else {}
            elif len(words) > 1 and now:
                now[words[0].lower()] = line.split(None, 1)[1].strip()

    def _surface(self, lines: dict[str, str]) -> Surface:
        maps = {key: _map_name(value) for key, value in lines.items() if key.startswith(("map_", "bump", "norm", "disp"))}
        numbers = {key: self._picture(name) for key, name in maps.items()}
        colour = [float(x) for x in (*lines.get("kd", "0.8 0.8 0.8").split(), "0", "0")[:3]]
        opacity = float(lines["d"].split()[-1]) if "d" in lines else 1 - float(lines.get("tr", "0").split()[-1])
        red, green, blue = (x**2.2 for x in colour)
        see_through = opacity < 1 or "map_d" in maps
        return Surface(
            plain_name(lines["name"]),
            (red, green, blue, opacity),
            numbers.get("map_kd", -1),
            "blend" if see_through else "opaque",
            images=tuple(sorted(set(numbers.values()))),
        )

    def _picture(self, name: str) -> int:
        for k, picture in enumerate(self.pictures):
            if picture.name == plain_name(name):
                return k
        self.pictures.append(Picture(plain_name(name), self._file(name)))
        return len(self.pictures) - 1

    def _file(self, name: str) -> bytes | None:
        return self.files.get(posixpath.normpath(posixpath.join(self.folder, name.replace("\\", "/"))))

    def _received(self) -> Received:
        points = np.array(self.points, np.float64).reshape(-1, 3)
        uv = np.array([*self.uv, (0.0, 0.0)], np.float64).reshape(-1, 2) * (1, -1) + (0, 1)
        nodes: list[Node] = []
        meshes: list[list[Piece]] = []
        for k, (name, groups, loose) in enumerate(self.parts):
            if not groups and not loose:
                continue
            nodes.append(Node(plain_name(name) or f"part[{k}]", -1, np.eye(4), len(meshes)))
            pieces = []
            for material, triangles in groups.items():
                pairs = np.array(triangles, np.int64).reshape(-1, 2)
                used, corners = np.unique(pairs, axis=0, return_inverse=True)
                mapped = bool(len(used)) and bool((used[:, 1] >= 0).all())
                pieces.append(
                    Piece(points[used[:, 0]], corners.reshape(-1, 3), uv[used[:, 1]] if mapped else None, material, lines=0)
                )
            if loose:
                pieces.append(Piece(np.zeros((0, 3)), np.zeros((0, 3), np.int64), lines=sum(loose)))
            meshes.append(pieces)
        return Received("obj", nodes, meshes, self.surfaces, self.pictures)


def _map_name(words: str) -> str:
    """The file that a map names, after its options."""
    left = words.split()
    while left and left[0] in (*_OPTIONS, *_VECTORS):
        option = left.pop(0)
        if option in _VECTORS:
            for _ in range(3):
                if len(left) > 1 and _is_number(left[0]):
                    left.pop(0)
        else:
            left = left[_OPTIONS[option] :]
    return " ".join(left)


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
