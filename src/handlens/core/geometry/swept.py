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
    beyond: dict[int, dict[int, None]] = {}
    for a, b in lines[(points[lines[:, 0]] != points[lines[:, 1]]).any(axis=1)].tolist():
        beyond.setdefault(a, {})[b] = None
        beyond.setdefault(b, {})[a] = None
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
    section. Its direction is carried along without twist (Bishop 1975, There Is More than One Way to Frame a Curve).
    """
    closed = len(points) > 3 and bool((points[0] == points[-1]).all())
    at = points[:-1] if closed else points
    ahead = np.roll(at, -1, axis=0) - at if closed else np.diff(at, axis=0)
    ahead = ahead / np.linalg.norm(ahead, axis=1, keepdims=True)
    before = np.roll(ahead, 1, axis=0) if closed else np.concatenate([ahead[:1], ahead])
    after = ahead if closed else np.concatenate([ahead, ahead[-1:]])
    tangent = before + after
    length = np.linalg.norm(tangent, axis=1, keepdims=True)
    # Where a chain turns back on itself there is no plane between: it ends flat.
    tangent = np.where(length > 1e-9, tangent / np.maximum(length, 1e-30), before)
    across = _frames(before, closed)
    up = np.cross(before, across)
    section = [(1, 1), (-1, 1), (-1, -1), (1, -1)]
    offsets = np.stack([across * (width / 2 * x) + up * (height / 2 * y) for x, y in section], axis=1)
    # The edges of the body before a corner, drawn out to the plane halfway between both directions.
    lean = np.clip(np.einsum("ij,ij->i", before, tangent), 1 / _POINTED, 1.0)
    offsets -= (np.einsum("ijk,ik->ij", offsets, tangent) / lean[:, None])[:, :, None] * before[:, None, :]
    rings = np.arange(4 * len(at)).reshape(-1, 4)
    one, two = (rings, np.roll(rings, -1, axis=0)) if closed else (rings[:-1], rings[1:])
    sides = np.stack([one, np.roll(one, -1, axis=1), np.roll(two, -1, axis=1), two], axis=2).reshape(-1, 4)
    faces = sides if closed else np.concatenate([sides, [rings[0][::-1], rings[-1]]])
    return (at[:, None] + offsets).reshape(-1, 3), faces.reshape(-1), np.arange(0, faces.size + 1, 4)


def _frames(direction: F64, closed: bool) -> F64:
    """(n, 3) directions across a chain, each turned from the one before it as little as can be; of a closed one the twist is spread."""
    out = np.empty_like(direction)
    out[0] = _square(np.eye(3)[int(np.abs(direction[0]).argmin())], direction[0])
    for k in range(1, len(direction)):
        out[k] = _carried(out[k - 1], direction[k - 1], direction[k])
    if closed:
        back = _carried(out[-1], direction[-1], direction[0])
        turn = float(np.arctan2(np.dot(np.cross(back, out[0]), direction[0]), np.dot(back, out[0])))
        # The section is the same after half a turn, so no more than a quarter is left to spread.
        turn -= np.pi * round(turn / np.pi)
        angle = (turn * np.arange(len(direction)) / len(direction))[:, None]
        out = out * np.cos(angle) + np.cross(direction, out) * np.sin(angle)
    return out


def _carried(across: F64, before: F64, after: F64) -> F64:
    """A direction turned as one direction is turned into another, by two mirrors."""
    half = before + after
    if float(half @ half) < 1e-18:
        return _square(across, after)
    # Two mirrors make a turn: square on the first direction, then square on the one halfway.
    mirrored = across - 2 * float(before @ across) * before
    mirrored = mirrored - 2 / float(half @ half) * float(half @ mirrored) * half
    return _square(mirrored, after)


def _square(direction: F64, tangent: F64) -> F64:
    """The part of a direction that stands square on a tangent, of length 1."""
    out = direction - (direction @ tangent) * tangent
    length = float(np.linalg.norm(out))
    return out / length if length > 1e-9 else _square(np.eye(3)[int(np.abs(tangent).argmin())], tangent)
