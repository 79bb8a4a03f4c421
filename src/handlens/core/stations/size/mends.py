"""Size: scale the whole, turn the axes."""

from __future__ import annotations

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import FORM
from ...edit.similarity import apply_similarity
from ...limits import MendError
from ...rules.sheet import UNITS
from ...scene import Scene
from ...scene.axes import turn_between
from ...scene.bounds import world_bounds
from ...words.lengths import metres
from .messages import say


def _longest(scene: Scene) -> str:
    box = world_bounds(scene)
    if box is None:
        return "nothing"
    longest = float((box[1] - box[0]).max())
    return f"{longest:.4g} units" if scene.unit_metres is None else metres(longest * scene.unit_metres)


def _sides(scene: Scene) -> str:
    box = world_bounds(scene)
    return "nothing" if box is None else " × ".join(f"{v:.4g}" for v in box[1] - box[0])


@mend(
    "size.scale",
    title="Scale the whole model",
    button="Scale × {factor}",
    keeps="proportions, node scales, normals, UVs, weights, poses and clips",
    costs="nothing but the size; positions are multiplied in 64-bit floats",
    promise=FORM,
    safe=False,
    parameters=[
        Parameter("factor", "number", "what every length is multiplied by", zero=False),
        Parameter(
            "unit",
            "choice",
            "what one unit is from then on, where the file states none",
            ("as-it-is", "m", "cm", "mm"),
            "as-it-is",
        ),
    ],
)
def scale(scene: Scene, factor: float, unit: str = "as-it-is") -> Outcome:
    """Multiply every length of the model about the origin: positions, node translations, bind matrices, clips, morph targets.

    No node is given a scale. The unit that the file states stays as it is; where it states none, `unit` may say what its numbers
    are afterwards, and every format that can states it.
    """
    if factor < 0:
        raise MendError(say("size.scale.negative"))
    if unit != "as-it-is" and scene.unit_metres is not None:
        raise MendError(say("size.scale.stated"))
    after = apply_similarity(scene, np.eye(3), factor) if factor != 1.0 else scene
    if unit != "as-it-is":
        after = after.with_(unit_metres=UNITS[unit])
    return Outcome(
        after,
        (Figure("longest side", _longest(scene), _longest(after)), Figure("sides in file units", _sides(scene), _sides(after))),
    )


@mend(
    "size.up-axis",
    title="Turn to another up axis",
    button="Turn to {to} up",
    keeps="the model's own shape, node scales, facing, UVs, weights, poses and clips",
    costs="nothing; coordinates are exchanged, not rounded",
    promise=FORM,
    safe=False,
    parameters=[Parameter("to", "choice", "which axis shall be up", ("Y", "Z"))],
)
def up_axis(scene: Scene, to: str) -> Outcome:
    """Turn the whole model so that another axis is up, in the coordinates themselves.

    A file that states no up axis is taken to be the other way up than asked for. No node is given a rotation.
    """
    now = scene.up_axis or ("Z" if to == "Y" else "Y")
    if now == to:
        raise MendError(say("size.up-axis.already", axis=to))
    after = apply_similarity(scene, turn_between(now, to), 1.0).with_(up_axis=to)
    return Outcome(
        after, (Figure("up axis", scene.up_axis or "not stated", to), Figure("sides in file units", _sides(scene), _sides(after)))
    )
