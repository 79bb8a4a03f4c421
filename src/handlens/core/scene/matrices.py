"""Matrices and quaternions. Column vectors, float64, right-handed."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, Array

_IDENTITY = np.eye(4)

#: What a normal is where nothing says which way it points.
UP_NORMAL = (0.0, 1.0, 0.0)


def unit_vectors(vectors: F64, instead: tuple[float, float, float] = (0.0, 0.0, 0.0), above: float = 0.0) -> F64:
    """Rows scaled to length one.

    vectors: (n, 3) float, any unit and frame. instead: what stands for rows that have no direction. above: length up to which a row has
    none, in the same unit; rows that are no numbers have none either. Returns (n, 3) of the same dtype.
    """
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    out = np.zeros_like(vectors)
    if any(instead):
        out[:] = instead
    answer: Array = np.divide(vectors, length, out=out, where=length > above)
    return answer


def quaternion_matrix(quaternion: Array | tuple[float, ...]) -> F64:
    """(3, 3) rotation of a quaternion x, y, z, w; a zero quaternion gives the identity.

    quaternion: (4,) float64, x, y, z, w.
    Source: glTF 2.0 §3.5.3 (unit quaternion, XYZW order); the formula is the standard one (Shoemake 1985).
    """
    x, y, z, w = (float(c) for c in quaternion)
    n = x * x + y * y + z * z + w * w
    if n == 0 or not np.isfinite(n):
        return np.eye(3)
    twice = 2.0 / n
    return np.array(
        [
            [1 - twice * (y * y + z * z), twice * (x * y - z * w), twice * (x * z + y * w)],
            [twice * (x * y + z * w), 1 - twice * (x * x + z * z), twice * (y * z - x * w)],
            [twice * (x * z - y * w), twice * (y * z + x * w), 1 - twice * (x * x + y * y)],
        ]
    )


def matrix_quaternion(matrix: F64) -> tuple[float, float, float, float]:
    """Quaternion x, y, z, w of a (3, 3) rotation, by the largest component (Shepperd 1978).

    matrix: (3, 3) float64, without scale or mirror.
    """
    trace = matrix[0, 0] + matrix[1, 1] + matrix[2, 2]
    four = np.array([matrix[0, 0], matrix[1, 1], matrix[2, 2], trace])
    k = int(four.argmax())
    quaternion = np.empty(4)
    if k == 3:
        quaternion[3] = 1 + trace
        quaternion[0], quaternion[1], quaternion[2] = (
            matrix[2, 1] - matrix[1, 2],
            matrix[0, 2] - matrix[2, 0],
            matrix[1, 0] - matrix[0, 1],
        )
    else:
        i, j, third = k, (k + 1) % 3, (k + 2) % 3
        quaternion[i] = 1 - trace + 2 * matrix[i, i]
        quaternion[j] = matrix[j, i] + matrix[i, j]
        quaternion[third] = matrix[third, i] + matrix[i, third]
        quaternion[3] = matrix[third, j] - matrix[j, third]
    quaternion /= np.linalg.norm(quaternion)
    return (float(quaternion[0]), float(quaternion[1]), float(quaternion[2]), float(quaternion[3]))


def quaternion_product(a: F64, b: Array) -> F64:
    """Hamilton product of quaternions x, y, z, w, over the last axis.

    a, b: (..., 4) float, x, y, z, w.
    """
    ax, ay, az, aw = np.moveaxis(np.asarray(a, np.float64), -1, 0)
    bx, by, bz, bw = np.moveaxis(np.asarray(b, np.float64), -1, 0)
    return np.stack(
        [
            aw * bx + ax * bw + ay * bz - az * by,
            aw * by - ax * bz + ay * bw + az * bx,
            aw * bz + ax * by - ay * bx + az * bw,
            aw * bw - ax * bx - ay * by - az * bz,
        ],
        axis=-1,
    )


def compose(translation: tuple[float, ...], rotation: tuple[float, ...], scale: tuple[float, ...]) -> F64:
    """(4, 4) matrix of translation × rotation × scale (glTF 2.0 §3.5.3)."""
    matrix = np.eye(4)
    matrix[:3, :3] = quaternion_matrix(rotation) * np.asarray(scale, np.float64)
    matrix[:3, 3] = translation
    return matrix


def composed(translations: F64, rotations: F64, scales: F64) -> F64:
    """(n, 4, 4) matrices of n translations (n, 3), unit quaternions (n, 4) and scales (n, 3), as `compose` makes one.

    translations: (n, 3) float64.
    rotations: (n, 4) float64, x, y, z, w.
    scales: (n, 3) float64.
    """
    x, y, z, w = rotations.T
    turn = np.stack(
        [
            *(1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)),
            *(2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)),
            *(2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)),
        ],
        axis=1,
    ).reshape(-1, 3, 3)
    out = np.tile(np.eye(4), (len(rotations), 1, 1))
    out[:, :3, :3] = turn * scales[:, None, :]
    out[:, :3, 3] = translations
    return out


def decompose(matrix: F64) -> tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]:
    """Translation, rotation (x, y, z, w) and scale of a (4, 4) matrix; shear is lost, see Polar.shear.

    matrix: (4, 4) float64.
    """
    polar = Polar(matrix[:3, :3])
    return tuple(map(float, matrix[:3, 3])), matrix_quaternion(polar.rotation), tuple(map(float, polar.scale))


class Polar:
    """A 3x3 linear part taken apart: rotation, signed scale along the columns, and shear.

    mirrored: determinant below zero (one entry of scale is then negative). shear: greatest |cosine| between two columns;
    0 means that a translation/rotation/scale triple holds the matrix exactly.
    """

    __slots__ = ("determinant", "mirrored", "rotation", "scale", "shear")

    def __init__(self, linear: F64) -> None:
        with np.errstate(all="ignore"):
            lengths = np.linalg.norm(linear, axis=0)
        if not np.isfinite(linear).all() or not np.isfinite(lengths).all():
            # Scales piled up beyond what a double holds: there is no turn to speak of, and the size says it all.
            self.determinant, self.mirrored, self.shear = float("inf"), False, 0.0
            self.scale, self.rotation = np.full(3, np.inf), np.eye(3)
            return
        safe = np.where(lengths > 0, lengths, 1.0)
        columns = linear / safe
        self.determinant = float(np.linalg.det(linear))
        self.mirrored = self.determinant < 0
        self.scale = lengths.copy()
        if self.mirrored:
            # A mirror may be put on any axis; the one that leaves the smallest turn is what somebody meant.
            axis = int(np.argmin(np.diagonal(columns)))
            columns = columns.copy()
            columns[:, axis] = -columns[:, axis]
            self.scale[axis] = -self.scale[axis]
        gram = np.abs(columns.T @ columns)
        flat = (lengths[:, None] > 0) & (lengths[None, :] > 0) & ~np.eye(3, dtype=bool)
        self.shear = float(gram[flat].max()) if flat.any() else 0.0
        u, _, vt = np.linalg.svd(columns)
        rotation = u @ vt
        if np.linalg.det(rotation) < 0:
            u[:, 2] = -u[:, 2]
            rotation = u @ vt
        self.rotation = rotation

    @property
    def angle_degrees(self) -> float:
        """Angle of the rotation, 0 to 180."""
        cosine = (np.trace(self.rotation) - 1) / 2
        axis = np.array(
            [
                self.rotation[2, 1] - self.rotation[1, 2],
                self.rotation[0, 2] - self.rotation[2, 0],
                self.rotation[1, 0] - self.rotation[0, 1],
            ]
        )
        # atan2 stays accurate at 0 and 180 degrees, where arccos loses half its digits.
        return float(np.degrees(np.arctan2(np.linalg.norm(axis) / 2, cosine)))

    def is_quarter_turn(self, tolerance: float = 1e-4) -> bool:
        """Whether the rotation only permutes axes: what an axis change leaves behind."""
        cosines = np.abs(self.rotation)
        return bool((np.minimum(cosines, np.abs(1 - cosines)) < tolerance).all())


def apply(matrix: F64, points: F64) -> F64:
    """(N, 3) points through a (4, 4) matrix; coordinates that are no numbers stay none. Through the identity, the same array.

    matrix: (4, 4) float64, applied to columns.
    points: (N, 3) float.
    """
    if (matrix == _IDENTITY).all():
        return points
    with np.errstate(invalid="ignore", over="ignore"):
        return points @ matrix[:3, :3].T + matrix[:3, 3]
