"""The neutral scene into a binary little-endian PLY: polygons and lines kept, all parts in one list, in file units."""

from __future__ import annotations

import numpy as np

from ...geometry.split import split_vertices
from ...scene import Layer, Mesh, Scene
from ...words.arrays import F64, I64, Array
from ..conform.steps import Target


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes} of a scene that a PLY can hold (`formats.conform`): one mesh, whose vertices are split where layers differ."""
    mesh = scene.meshes[0] if scene.meshes else Mesh("mesh:0", "", np.zeros((0, 3)))
    layers = [x for x in (mesh.normals, *mesh.uvs, *mesh.colours) if x is not None]
    used, corners = split_vertices(mesh, layers)
    free = np.ones(len(mesh.positions), bool)
    free[mesh.corners] = False
    rest = np.flatnonzero(free)
    stored = np.concatenate([mesh.corners[used], rest]).astype(np.int64)
    # Doubles only where single precision would round what was read.
    with np.errstate(over="ignore", invalid="ignore"):
        wide = not np.array_equal(mesh.positions.astype(np.float32), mesh.positions, equal_nan=True)
    columns: list[tuple[str, str, Array]] = []

    def add(names: str, values: Array, kind: str) -> None:
        columns.extend((name, kind, values[:, k]) for k, name in enumerate(names.split()))

    kind = "<f8" if wide else "<f4"
    add("x y z", mesh.positions[stored], kind)
    if mesh.normals is not None:
        add("nx ny nz", _taken(mesh.normals, used, len(rest), 0.0), kind)
    for layer in mesh.uvs:
        add("s t", _taken(layer, used, len(rest), 0.0), "<f8" if layer.values.dtype == np.float64 else kind)
    for layer in mesh.colours:
        add("red green blue", _taken(layer, used, len(rest), 1.0), "<f4")
    table = np.zeros(len(stored), np.dtype([(name, k) for name, k, _ in columns]))
    for name, _, values in columns:
        table[name] = values
    counts = mesh.corner_counts
    count_kind, count_word = ("<u1", "uchar") if counts.max(initial=0) < 256 else ("<u4", "uint")
    place = np.zeros(len(mesh.positions), np.int64)
    place[stored[::-1]] = np.arange(len(stored))[::-1]
    header = ["ply", "format binary_little_endian 1.0", "comment Hand Lens", f"element vertex {len(table)}"]
    header += [f"property {'double' if k == '<f8' else 'float'} {name}" for name, k, _ in columns]
    header += [f"element face {mesh.face_count}", f"property list {count_word} int vertex_indices"]
    if len(mesh.lines):
        header += [f"element edge {len(mesh.lines)}", "property int vertex1", "property int vertex2"]
    body = [table.tobytes(), _lists(corners, counts, count_kind), place[mesh.lines].astype("<i4").tobytes()]
    return {f"{target.stem}.ply": ("\n".join([*header, "end_header"]) + "\n").encode() + b"".join(body)}


def _lists(corners: I64, counts: I64, count_kind: str) -> bytes:
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


def _taken(layer: Layer, used: I64, rest: int, default: float) -> F64:
    """(V, k) values of a layer at the vertices, the default at those that no face uses."""
    out = np.full((len(used) + rest, layer.values.shape[1]), default)
    out[: len(used)] = layer.values[layer.index[used]]
    return out
