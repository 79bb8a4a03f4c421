"""What Budget says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "budget.no-limit": "{sheet} sets no limit",
        "budget.triangles-mesh": "{part} has {triangles:,} triangles",
        "budget.triangles-total": "The model has {triangles:,} triangles in all",
        "budget.vertices-mesh": "{part} has {vertices:,} GPU vertices",
        "budget.draw-calls": "The model takes {calls:,} draw calls",
        "budget.texture-memory": "Textures take {mebibytes:,.1f} MiB once loaded, {image} alone {largest:,.1f}",
        "budget.copies.none-planned": "no copies are planned",
        "budget.copies": "{copies} make {triangles:,} triangles",
        "budget.flat": "{part} has {triangles:,} triangles where {enough:,} would do",
        "budget.subdivided": "{part} is subdivided {times}: {triangles:,} triangles were {before:,}",
        "budget.subpixel.no-distance": "the intent does not say from how near it is looked at",
        "budget.subpixel": "{tiny:,} of {triangles:,} triangles of {part} are smaller than a pixel, seen from {distance:metres}",
        "budget.split-vertices": "{part} has {vertices:,} GPU vertices for {points:,} points, most by {cause}",
        "budget.no-library": "The library that reduces (Debian's libmeshoptimizer2d) is not installed.",
        "budget.curve.too-few": "There are too few triangles to reduce.",
        "budget.merge-flat.none": "No flat region has more triangles than its outline needs.",
        "budget.take-back.none": "No loose piece has a regular subdivision to undo.",
        "budget.vertex-order.no-library": "The library that orders triangles (Debian's libmeshoptimizer2d) is not installed.",
        "budget.atlas.nothing-to-share": "No two of these materials can share an atlas.{more}",
        "budget.atlas.too-small": "{materials:# material} do not fit into {most:,} × {most:,} pixels, however small.",
        "budget.stand-in.skinned": "These parts are all skinned, and a stand-in does not bend: it would be needed for each joint.",
        "budget.stand-in.flat": "All of these parts are flat, so a shape about them would have no volume.",
        "budget.levels.too-few": "No coarser level is possible: these parts have too few triangles, or every edge is on a seam or a border.",
        "budget.levels.numbers": "Give {what} as numbers separated by semicolons, such as {example}, not {text:quoted}.",
        "budget.levels.heights": "Give one to three heights in pixels, the tallest first, such as 400;150;50.",
        "budget.levels.shares": "Give one to three shares under 100%, the largest first, such as 50%;25%;10%, not {text:quoted}.",
        "budget.reduce.choose": "Give one of these: a number of triangles, a share of them, or the greatest error.",
        "budget.reduce.nothing": "Nothing was reduced: there are no more triangles than that, or every edge is on a seam or a border.",
        "budget.atlas.unreadable": "{image} cannot be opened.",
        "budget.reduce.not-symmetric": "{mesh} is not symmetric about {axis} = 0, or has faces across that plane.",
        "budget.vertex-order.polygons": "Only triangles can be ordered: triangulate first.",
        "budget.vertex-order.already": "The triangles are in the best order already.",
        "budget.stand-in.collapsed": "{part} is scaled to zero, so it gets no stand-in.",
        "budget.stand-in.no-volume": "{part} is flat, so it gets no stand-in: the shape would have no volume.",
        "budget.levels.left-out": "Level {level} was left out: it would hardly have fewer triangles than the one before it.",
        "budget.reduce.removed": "{what} with the faces on them, in {parts}: what surrounds them shows their place.",
    }
)
