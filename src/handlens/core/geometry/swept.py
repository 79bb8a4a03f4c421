"""Chains of lines swept by a rectangle: thin bodies that every destination draws."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, I32, I64

#: A corner of a chain is drawn out to a point up to so many times the section's half.
_POINTED = 3.0


def chains(lines: I32, points: F64) -> list[list[int]]:
    """Lines hung together at vertices where no more than two meet. A closed chain ends with the vertex that it begins with.

    lines: (L, 2) int, vertices. points: (V, 3) float64; lines of no length are left out.
    """
    beyond: dict[int, list[int]] = {}
    for a, b in lines.tolist():
        if a != b and (points[a] != points[b]).any() and b not in beyond.get(a, ()):
            beyond.setdefault(a, []).append(b)
            beyond.setdefault(b, []).append(a)
    done: set[tuple[int, int]] = set()
    out = []
    ends = [v for v in beyond if len(beyond[v]) != 2]
    for start in (*ends, *beyond):
        for second in beyond[start]:
            if (start, second) in done:
                continue
            chain = [start, second]
            done |= {(start, second), (second, start)}
            while len(beyond[chain[-1]]) == 2 and chain[-1] != start:
                one, two = beyond[chain[-1]]
                following = two if one == chain[-2] else one
                if (chain[-1], following) in done:
                    break
                done |= {(chain[-1], following), (following, chain[-1])}
                chain.append(following)
            out.append(chain)
    return out


def swept(points: F64, width: float, height: float) -> tuple[F64, I64, I64]:
    """The body of a chain: its points (P, 3), the corners of its faces (C,), and the first corner of each face (F+1,).

    points: (n, 3) float64, n > 1, no two that follow each other in one place; closed where the last is the first. width, height: of the
    section. Frames are carried along without twist (Wang et al. 2008, Computation of Rotation Minimizing Frames, by double reflection).
    """
    closed = len(points) > 3 and bool((points[0] == points[-1]).all())
    at = points[:-1] if closed else points
    ahead = np.roll(at, -1, axis=0) - at if closed else np.diff(at, axis=0)
    ahead = ahead / np.linalg.norm(ahead, axis=1, keepdims=True)
    before = np.roll(ahead, 1, axis=0) if closed else np.concatenate([ahead[:1], ahead])
    after = ahead if closed else np.concatenate([ahead, ahead[-1:]])
    tangent = before + after
    length = np.linalg.norm(tangent, axis=1, keepdims=True)
    tangent = np.where(length > 1e-9, tangent / np.maximum(length, 1e-30), after)
    across = _frames(at, tangent, closed)
    up = np.cross(tangent, across)
    section = [(1, 1), (-1, 1), (-1, -1), (1, -1)]
    offsets = np.stack([across * (width / 2 * x) + up * (height / 2 * y) for x, y in section], axis=1)
    bend = after - before
    size = np.linalg.norm(bend, axis=1, keepdims=True)
    bend = np.where(size > 1e-9, bend / np.maximum(size, 1e-30), 0.0)
    longer = 1 / np.clip(np.einsum("ij,ij->i", tangent, after), 1 / _POINTED, 1.0) - 1
    offsets += (np.einsum("ijk,ik->ij", offsets, bend) * longer[:, None])[:, :, None] * bend[:, None, :]
    rings = np.arange(4 * len(at)).reshape(-1, 4)
    one, two = (rings, np.roll(rings, -1, axis=0)) if closed else (rings[:-1], rings[1:])
    sides = np.stack([one, np.roll(one, -1, axis=1), np.roll(two, -1, axis=1), two], axis=2).reshape(-1, 4)
    faces = sides if closed else np.concatenate([sides, [rings[0][::-1], rings[-1]]])
    return (at[:, None] + offsets).reshape(-1, 3), faces.reshape(-1), np.arange(0, faces.size + 1, 4)


def _frames(points: F64, tangent: F64, closed: bool) -> F64:
    """(n, 3) directions across a chain, each carried from the one before it; of a closed one the twist is spread over all."""
    first = np.eye(3)[int(np.abs(tangent[0]).argmin())]
    out = np.empty_like(points)
    out[0] = _square(first, tangent[0])
    for k in range(1, len(points)):
        out[k] = _carried(out[k - 1], points[k] - points[k - 1], tangent[k - 1], tangent[k])
    if closed:
        back = _carried(out[-1], points[0] - points[-1], tangent[-1], tangent[0])
        turn = float(np.arctan2(np.dot(np.cross(back, out[0]), tangent[0]), np.dot(back, out[0])))
        # The section is the same after half a turn, so no more than a quarter is left to spread.
        turn -= np.pi * round(turn / np.pi)
        angle = (turn * np.arange(len(points)) / len(points))[:, None]
        out = out * np.cos(angle) + np.cross(tangent, out) * np.sin(angle)
    return out


def _carried(across: F64, way: F64, before: F64, after: F64) -> F64:
    half = across - 2 / float(way @ way) * float(way @ across) * way
    mirrored = before - 2 / float(way @ way) * float(way @ before) * way
    rest = after - mirrored
    length = float(rest @ rest)
    return _square(half if length < 1e-20 else half - 2 / length * float(rest @ half) * rest, after)


def _square(direction: F64, tangent: F64) -> F64:
    """The part of a direction that stands square on a tangent, of length 1."""
    out = direction - (direction @ tangent) * tangent
    length = float(np.linalg.norm(out))
    return out / length if length > 1e-9 else _square(np.eye(3)[int(np.abs(tangent).argmin())], tangent)
