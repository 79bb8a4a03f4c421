"""Quaternions, polar decomposition and slerp beside SciPy's (scipy.spatial.transform, scipy.linalg.polar), which follow the same
published formulas: Shepperd 1978, Shoemake 1985."""

import numpy as np
import pytest
from scipy.linalg import polar
from scipy.spatial.transform import Rotation, Slerp

from handlens.core.scene.matrices import Polar, composed, decompose, matrix_quaternion, quaternion_matrix, quaternion_product
from handlens.core.scene.model import Channel
from handlens.core.scene.motion import sample

TURNS = Rotation.random(200, random_state=7)
#: Turns at which a formula that divides by the wrong component breaks.
EDGES = Rotation.from_euler(
    "xyz", [(180, 0, 0), (0, 180, 0), (0, 0, 180), (180, 0, 180), (0, 0, 0), (90, 0, 0), (1e-6, 0, 0)], degrees=True
)


@pytest.mark.parametrize("turns", [TURNS, EDGES], ids=["random", "edges"])
def test_quaternions_and_matrices(turns):
    for quaternion, matrix in zip(turns.as_quat(), turns.as_matrix(), strict=True):
        assert quaternion_matrix(quaternion) == pytest.approx(matrix, abs=1e-14)
        back = np.array(matrix_quaternion(matrix))
        assert min(np.abs(back - quaternion).max(), np.abs(back + quaternion).max()) < 1e-12
    scales = np.random.default_rng(3).uniform(0.2, 4, (len(turns), 3))
    made = composed(np.zeros((len(turns), 3)), turns.as_quat(), scales)
    assert made[:, :3, :3] == pytest.approx(turns.as_matrix() * scales[:, None, :], abs=1e-13)
    assert decompose(made[0])[2] == pytest.approx(scales[0])


def test_products():
    one, other = TURNS[:100], TURNS[100:]
    ours = quaternion_product(one.as_quat(), other.as_quat())
    theirs = (one * other).as_quat()
    assert np.minimum(np.abs(ours - theirs).max(axis=1), np.abs(ours + theirs).max(axis=1)).max() < 1e-14


def test_the_turn_in_a_sheared_matrix_is_the_nearest_to_its_unit_columns():
    random = np.random.default_rng(5)
    for turn in TURNS[:50].as_matrix():
        sheared = turn @ (np.eye(3) + np.triu(random.uniform(0, 0.4, (3, 3)), 1)) * random.uniform(0.5, 2, 3)
        theirs, _ = polar(sheared / np.linalg.norm(sheared, axis=0))
        assert Polar(sheared).rotation == pytest.approx(theirs, abs=1e-12)


def test_turns_between_keys():
    times = np.array([0.0, 1.0, 2.5, 4.0])
    keys = TURNS[:4]
    at = np.linspace(0, 4, 33)
    channel = Channel(0, "rotation", times.astype(np.float32), keys.as_quat().astype(np.float32), "LINEAR")
    ours = sample(channel, at)
    theirs = Slerp(times, keys)(at).as_quat()
    assert np.minimum(np.abs(ours - theirs).max(axis=1), np.abs(ours + theirs).max(axis=1)).max() < 1e-6
