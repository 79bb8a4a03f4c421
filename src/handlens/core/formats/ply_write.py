"""The neutral scene into a binary little-endian PLY: polygons and lines kept, all parts in one list, in file units."""

from __future__ import annotations

import numpy as np

from ..format_table import BY_NAME
from ..scene import Layer, Mesh, Scene
from ..scene.model import Array
from .flat import flat_parts
from .layout import PLAIN, Layout
from .losses import losses
from .split import split_vertices


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}. A vertex is split where normals, UVs or colours differ, as the format has one index for all."""
    parts = [mesh for _, mesh in flat_parts(scene)]
    has = {
        "normals": any(m.normals is not None for m in parts), "uv": any(m.uvs for m in parts), "colours": any(m.colours for m in parts),
    }  # fmt: skip
    pieces = [_piece(m, has, BY_NAME[scene.format].v_down) for m in parts]
    rows = np.concatenate([p[0] for p in pieces]) if pieces else np.zeros((0, 3))
    # Doubles only where single precision would round what was read.
    with np.errstate(over="ignore", invalid="ignore"):
        wide = not np.array_equal(rows[:, :3].astype(np.float32), rows[:, :3], equal_nan=True)
    names = ["x", "y", "z"] + ["nx", "ny", "nz"] * has["normals"] + ["s", "t"] * has["uv"]
    kind = [(n, "<f8" if wide else "<f4") for n in names] + [(n, "<f4") for n in ("red", "green", "blue")] * has["colours"]
    table = np.zeros(len(rows), np.dtype([(n, k) for n, k in kind]))
    for k, (name, _) in enumerate(kind):
        table[name] = rows[:, k]
    offsets = np.cumsum([0, *(len(p[0]) for p in pieces)])
    faces = [(p[1] + offsets[k], p[2]) for k, p in enumerate(pieces)]
    lines = np.concatenate([p[3] + offsets[k] for k, p in enumerate(pieces)]) if pieces else np.zeros((0, 2), np.int64)
    most = max((int(c.max(initial=0)) for _, c in faces), default=0)
    count_kind, count_word = ("<u1", "uchar") if most < 256 else ("<u4", "uint")
    word = "double" if wide else "float"
    header = ["ply", "format binary_little_endian 1.0", "comment Hand Lens", f"element vertex {len(rows)}"]
    header += [f"property {word if k == kind[0][1] else 'float'} {n}" for n, k in kind]
    header += [f"element face {sum(len(c) for _, c in faces)}", f"property list {count_word} int vertex_indices"]
    if len(lines):
        header += [f"element edge {len(lines)}", "property int vertex1", "property int vertex2"]
    body = [table.tobytes(), *(_lists(i, c, count_kind) for i, c in faces), lines.astype("<i4").tobytes()]
    return {f"{stem}.ply": ("\n".join([*header, "end_header"]) + "\n").encode() + b"".join(body)}


def _lists(corners: Array, counts: Array, count_kind: str) -> bytes:
    """Polygons as their count and their corners, one behind the other."""
    lead = np.dtype(count_kind).itemsize
    sizes = lead + 4 * counts
    starts = np.cumsum(sizes) - sizes
    out = np.zeros(int(sizes.sum()), np.uint8)
    heads = starts[:, None] + np.arange(lead)
    out[heads] = counts.astype(count_kind).view(np.uint8).reshape(-1, lead)
    first = np.cumsum(counts) - counts
    owner = np.repeat(np.arange(len(counts)), counts)
    places = starts[owner] + lead + 4 * (np.arange(len(corners)) - first[owner])
    out[places[:, None] + np.arange(4)] = corners.astype("<i4").view(np.uint8).reshape(-1, 4)
    return out.tobytes()


def _piece(mesh: Mesh, has: dict[str, bool], v_down: bool) -> tuple[Array, Array, Array, Array]:
    """Rows of vertices, corners (C,), counts (F,) and lines (L, 2) of one part."""
    layers: list[Layer] = [x for x in (mesh.normals, *mesh.uvs[:1], *mesh.colours[:1]) if x is not None]
    used, index = split_vertices(mesh, layers)
    rest = np.setdiff1d(np.arange(len(mesh.positions)), mesh.corners)
    stored = np.concatenate([mesh.corners[used], rest]).astype(np.int64)
    columns = [mesh.positions[stored]]
    if has["normals"]:
        columns.append(_taken(mesh.normals, used, len(rest), 3, 0.0))
    if has["uv"]:
        uv = _taken(mesh.uvs[0] if mesh.uvs else None, used, len(rest), 2, 0.0)
        columns.append(np.column_stack([uv[:, 0], 1 - uv[:, 1]]) if v_down else uv)
    if has["colours"]:
        columns.append(_taken(mesh.colours[0] if mesh.colours else None, used, len(rest), 3, 1.0))
    place = np.zeros(len(mesh.positions), np.int64)
    place[stored[::-1]] = np.arange(len(stored))[::-1]
    return np.column_stack(columns), index, mesh.corner_counts, place[mesh.lines]


def _taken(layer: Layer | None, used: Array, rest: int, width: int, default: float) -> Array:
    """(V, width) values of a layer at the vertices, the default where it has none."""
    out = np.full((len(used) + rest, width), default)
    if layer is not None and len(layer.values) and len(used):
        index = layer.index[used]
        out[: len(used)][index >= 0] = layer.values[index[index >= 0], :width]
    return out


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that a PLY cannot hold."""
    lost = losses(scene, format_name)
    if any(len(c.values) and c.values.shape[1] > 3 for m in scene.meshes for c in m.colours[:1]):
        lost.append("The alpha of vertex colours is left out.")
    return lost
