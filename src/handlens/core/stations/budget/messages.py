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
        "budget.take-back.none": "No connected piece is subdivided regularly.",
        "budget.vertex-order.no-library": "The library that orders triangles (Debian's libmeshoptimizer2d) is not installed.",
        "budget.atlas.nothing-to-share": "No two of these materials can share an atlas.{more}",
        "budget.atlas.too-small": "{materials:# material} do not fit into {most:,} × {most:,} pixels, however small.",
        "budget.stand-in.skinned": "None of these parts has a surface that holds still: what joints move needs a stand-in for each joint.",
        "budget.stand-in.flat": "All of these parts are flat.",
        "budget.levels.too-few": "These parts have too few triangles for a coarser level, or seams and borders hold every edge.",
        "budget.levels.numbers": "Say {what} as numbers with semicolons between, such as {example}, not {text:quoted}.",
        "budget.levels.heights": "Say one to three heights in pixels, the tallest first, such as 400;150;50.",
        "budget.levels.shares": "Say one to three shares under the whole, the largest first, such as 50%;25%;10%, not {text:quoted}.",
        "budget.reduce.choose": "Say one of: to how many triangles, to what share of them, or how far off it may lie.",
        "budget.reduce.nothing": "There is nothing to reduce: it is as small as that already, or seams and borders hold every edge.",
        "budget.atlas.unreadable": "{image} cannot be opened.",
        "budget.reduce.not-symmetric": "{mesh} is not the same on both sides of its {axis} = 0, or faces run across it.",
        "budget.vertex-order.polygons": "Cut the faces into triangles first.",
        "budget.vertex-order.already": "Their order is as good as it gets.",
    }
)
