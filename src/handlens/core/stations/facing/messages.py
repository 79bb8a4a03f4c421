"""What Facing says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "facing.too-large": "the model has more triangles than rays are cast against",
        "facing.both-sides": "{sheet} draws both sides of every face",
        "facing.inward.unsure": "; {sure:.0f} % sure",
        "facing.inward": "{faces:# face} of {part} {faces:looks|look} {from_outside:?inward|outward}, {share:percent} of its area{unsure}",
        "facing.double-sided": "{faces:# face} of {part} {faces:looks|look} away behind a double-sided material",
        "facing.one-sided": "{faces:# face} of {part} can be seen from behind, where nothing is drawn",
        "facing.walk-round.not-outside": "the intent says that it is not looked at from outside",
        "facing.walk-round.open": "; open: {through}",
        "facing.walk-round": "{share:percent} of the views from all round see the back of a face{where}{open}",
        "facing.walk-round.opening": "Backs of faces are seen only through an opening: {through}",
        "facing.normals-broken": "{vertices:# vertex|vertices} of {part} {vertices:has|have} normals that are {what}",
        "facing.normals-missing": "{meshes:# curved mesh stores|curved meshes store} no normals: {first}{meshes:| …}",
        "facing.faceted": "{part} is curved, and {share:percent} of its soft edges are shaded hard",
        "facing.turn.other-paint": "{faces:# of these faces lies|of these faces lie} on a face of another material: from the side where {faces:it was|they were} seen the other one is seen now.",
        "facing.double-sided.already": "Every material of these parts is double-sided already.",
        "facing.normals.none": "These parts have no faces, so they need no normals.",
        "facing.turn-normals.none": "None of these faces has normals.",
        "facing.turn.no-faces": "These parts have no faces to turn.",
        "facing.turn.none-away": "No face {from_outside:?|that can be seen from inside }is turned away.",
        "facing.walk-round.faces-first": "faces look away, which comes first",
        "facing.winding": "{edges:# edge} of {part} {edges:has|have} inconsistent winding",
        "facing.one-surface": "{part} has {patches:# non-orientable patch|non-orientable patches}",
        "facing.back-to-back": "{faces:# face} of {part} {faces:lies|lie} back to back with another",
        "facing.normals-opposed": "{faces:# face} of {part} {faces:faces|face} away from {faces:its|their} own normals",
        "facing.smeared": "{edges:# hard edge} of {part} {edges:is|are} shaded smooth",
        "facing.normals.tangents": "Tangents were dropped: they belonged to the old normals.",
        "facing.turn.undecided": "Patches that look the same from both sides and have no normals were left as they are.",
        "facing.angle": "facing.normals: angle must be between 0 and 180 degrees.",
    }
)
