"""Directions in words."""

import numpy as np
import pytest

from handlens.core.scene.axes import turn_between
from handlens.core.scene.headings import heading

#: Towards the viewer, Y up, the front facing +Z (glTF 2.0 §3.4).
WORDS = {
    (0, 0, 1): "the front",
    (1, 0, 1): "the front right",
    (1, 0, 0): "the right",
    (1, 0, -1): "the back right",
    (0, 0, -1): "the back",
    (-1, 0, -1): "the back left",
    (-1, 0, 0): "the left",
    (-1, 0, 1): "the front left",
    (0, 1, 0): "above",
    (0.2, 1, 0.2): "above",
    (0, -1, 0): "below",
    (0, 1, 1): "the front, 45° up",
    (-1, -1, 0): "the left, 45° down",
    (0, 0.2, 1): "the front",
}


@pytest.mark.parametrize("up", ["Y", "Z", "X"])
@pytest.mark.parametrize(("direction", "words"), WORDS.items())
def test_a_direction_reads_the_same_whichever_axis_is_up(direction, words, up):
    turned = turn_between("Y", up) @ (np.array(direction, float) / np.linalg.norm(direction))
    assert heading(turned.tolist(), up) == words


def test_no_direction():
    assert heading(None, "Y") == "nowhere"
