"""What Surface says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "surface.polygons": "{polygons:# polygon} of {part} {what}",
        "surface.doubles": "{points:# boundary point} of {part} {points:is|are} not welded to {points:its|their} neighbour{points:|s}: {distance:within}",
        "surface.holes": "{openings} in {part}, {sizes} across",
        "surface.flat.meant": "the intent says that it is made of flat cut-outs",
        "surface.flat": "{parts:# part is|parts are} flat: {names}{more}",
        "surface.unseen.not-outside": "the intent says that it is not looked at from outside",
        "surface.unseen.see-through": "parts of it are see-through, and what lies behind them is seen",
        "surface.unseen": "{hidden:,} of {total:,} triangles cannot be seen, most of them in {part}",
        "surface.triangulate.already": "These parts are triangles already.",
        "surface.weld.none": "No two points lie closer than {distance:metres}.",
        "surface.clean.nothing": "There is nothing to clear away.",
        "surface.remove-unseen.none": "Everything can be seen from outside.",
        "surface.split.no-parts": "There are no parts to split.",
        "surface.join.too-few": "Fewer than two of these parts can be joined.",
        "surface.take-apart.none": "No edge is crowded, and no point joins surfaces that only touch.",
        "surface.take-apart.one-sheet": "One sheet of faces meets itself there; none of it can be taken apart without cutting it.",
        "surface.needles.none": "There are no needles.",
        "surface.needles.kept": "None of {needles:# needle} can be taken out: {reasons}.",
        "surface.fill.no-simple-rim": "No opening of that size has a simple rim.",
        "surface.fill.none": "There is no opening of that size.",
        "surface.many-corners": "{part} has {n_gons:# n-gon}: {listed} corners",
        "surface.zero-area": "{part} has {faces:# degenerate face}, without area",
        "surface.needles": "{part} has {triangles:# needle triangle}",
        "surface.duplicates": "{part} has {faces:# duplicate face}",
        "surface.loose-points": "{points:# loose point} in {part}",
        "surface.crowded-edges": "{part} has {edges:# non-manifold edge}, with more than two faces",
        "surface.pinched": "{part} has {vertices:# non-manifold vertex|non-manifold vertices}, where fans of faces only touch",
    }
)
