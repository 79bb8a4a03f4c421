"""USD and its packages, as a destination reads them. The reference library opens the stage in a child that reads nothing but the package."""

from __future__ import annotations

import io
import posixpath
import tempfile
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from ...limits import InputError
from ...machine.extras import need
from ...machine.native import in_child
from ...machine.sections import Opened
from ...packages import checked_entries, clean_path
from ...words.arrays import Array
from ..messages import say
from .received import Node, Picture, Piece, Received, Skeleton, Surface, drawn_piece, plain_name

_LAYERS = (".usda", ".usdc", ".usd")


def read_usd(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's USD holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .usda, .usdc or .usdz.
    """
    need("pxr", "usd", "Reading USD")
    inside = dict(files)
    first = main
    if main.lower().endswith(".usdz"):
        inside = _unpacked(files[main], main)
        first = next(iter(inside), "")
    if not first.lower().endswith(_LAYERS):
        raise InputError(say("receivers.no-layer-first", main=main))
    with tempfile.TemporaryDirectory(prefix="handlens-received-") as name:
        root = Path(name).resolve()
        for path, data in inside.items():
            place = root / clean_path(path)
            place.parent.mkdir(parents=True, exist_ok=True)
            # Of what is no layer the names alone are laid out, for paths to be resolved to.
            place.write_bytes(data if path.lower().endswith(_LAYERS) else b"")
        answer = in_child("receivers.reading.usd_child:read", {"file": str(root / first)}, main, read=[root])
    try:
        return _received(answer, inside, first, main)
    except (LookupError, TypeError, ValueError) as error:
        raise InputError(say("receivers.does-not-fit", main=main)) from error


def _unpacked(data: bytes, label: str) -> dict[str, bytes]:
    """The files of a .usdz in their order, the layer that counts first (USDZ specification, "Default Layer"). Raises InputError."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = checked_entries(archive, label)
            order = {clean_path(name): k for k, name in enumerate(archive.namelist()) if not name.endswith("/")}
            return {path: archive.read(entries[path]) for path in sorted(entries, key=lambda path: order.get(path, len(order)))}
    except (zipfile.BadZipFile, zlib.error, OSError, ValueError, RuntimeError, EOFError, NotImplementedError) as error:
        raise InputError(say("receivers.no-package", label=label)) from error


def _received(answer: Opened, files: Mapping[str, bytes], first: str, main: str) -> Received:
    header = answer.header
    array = lambda section, kind, width: answer.array(section, kind).reshape(-1, width)
    names = list(dict.fromkeys(m["image"] for m in header["materials"] if m["image"]))
    pictures = [
        Picture(plain_name(name), files.get(posixpath.normpath(posixpath.join(posixpath.dirname(first), name)))) for name in names
    ]
    surfaces = []
    for material in header["materials"]:
        image = names.index(material["image"]) if material["image"] else -1
        red, green, blue = (float(x) for x in material["colour"])
        surfaces.append(
            Surface(
                plain_name(material["name"]),
                (red, green, blue, float(material["opacity"])),
                image,
                str(material["alpha"]),
                float(material["cutoff"]),
                bool(material["both_sides"]),
                tuple(x for x in (image,) if x >= 0),
            )
        )
    nodes: list[Node] = []
    meshes: list[list[Piece]] = []
    for mesh in header["meshes"]:
        points, corners = array(mesh["points"], np.float64, 3), array(mesh["corners"], np.int64, 3)
        uv = array(mesh["uv"], np.float64, 2) if mesh["uv"] else None
        if len(corners) and (int(corners.max()) >= len(points) or int(corners.min()) < 0):
            raise ValueError("a corner of no point")
        slots: Array = answer.array(mesh["slots"], np.int64)
        influences, bare = int(mesh["influences"]), int(mesh["bare"])
        pieces = [
            drawn_piece(Piece(points, corners[slots == k], uv, k if 0 <= k < len(surfaces) else -1, 0, influences, bare))
            for k in np.unique(slots).tolist()
        ]
        nodes.append(Node(plain_name(mesh["name"]), -1, array(mesh["matrix"], np.float64, 4), len(meshes), int(mesh["skin"])))
        meshes.append(pieces)
    return Received(
        main.rpartition(".")[2].lower(),
        nodes,
        meshes,
        surfaces,
        pictures,
        metres=float(header["metres"]),
        up=str(header["up"]),
        skins=[Skeleton(list(map(plain_name, s["joints"])), s["above"]) for s in header["skins"]],
        clips=[plain_name(name) for name in header["clips"]],
        cameras=int(header["cameras"]),
        lights=int(header["lights"]),
    )
