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
        "surface.clean.nothing": "These parts have no duplicate or degenerate faces and no loose vertices.",
        "surface.remove-unseen.none": "Everything can be seen from outside.",
        "surface.split.no-parts": "No part is chosen to split.",
        "surface.join.too-few": "Fewer than two of these parts can be joined.",
        "surface.take-apart.none": "These parts have no non-manifold edge or vertex.",
        "surface.take-apart.one-sheet": "The surface meets itself there; it cannot be separated without cutting it.",
        "surface.needles.none": "These parts have no needle triangles.",
        "surface.needles.kept": "None of {needles:# needle triangle} can be removed: {reasons}.",
        "surface.fill.no-simple-rim": "No opening of that size has a simple boundary.",
        "surface.fill.none": "These parts have no opening of that size.",
        "surface.many-corners": "{part} has {n_gons:# n-gon}: {listed} corners",
        "surface.zero-area": "{part} has {faces:# degenerate face}, without area",
        "surface.needles": "{part} has {triangles:# needle triangle}",
        "surface.duplicates": "{part} has {faces:# duplicate face}",
        "surface.loose-points": "{points:# loose point} in {part}",
        "surface.crowded-edges": "{part} has {edges:# non-manifold edge}, with more than two faces",
        "surface.pinched": "{part} has {vertices:# non-manifold vertex|non-manifold vertices}, where fans of faces only touch",
        "surface.join.left": "{parts:# part was|parts were} not joined: skinned, morphed or animated.",
        "surface.take-apart.left": "What is left is a surface that meets itself.",
        "surface.needles.left": "{needles:# needle triangle is|needle triangles are} left on seams, boundaries or polygons.",
    }
)
