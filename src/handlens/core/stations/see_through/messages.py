"""What See-through says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "see-through.invisible": "{material} has an opacity of 0: {faces:# face is|faces are} invisible",
        "see-through.ignored": "{material} draws {image} solid, though {reason}",
        "see-through.faint": "{image} has {pixels:# faint pixel}",
        "see-through.for-nothing": "{material} is {blended:?blended|cut out}, but all that it shows is solid",
        "see-through.mode": "{material} is {blended:?blended|cut out}, though {reason}",
        "see-through.cut-off": "{material} is cut at {cutoff:g}, {between:percent} of the pixels away from {better:g}",
        "see-through.brightness": "{image} is a glow on black without alpha, drawn by {material}",
        "see-through.brightness.emissive": "{image} is a glow on black without alpha, emitted by {material}",
        "see-through.premultiplied": "Colours of {image} are multiplied by alpha",
        "see-through.pixel-art": "{image}, {width} × {height} in {colours} colours, is smoothed",
        "see-through.draw-order.sorted": "{sheet} draws each surface in its true place",
        "see-through.draw-order.no-blending": "{sheet} does not blend",
        "see-through.draw-order": "{what} drawn in the wrong order on {share:percent} of the rays that meet both, most from {heading}",
        "see-through.no-such-material": "The model no longer has a material {material}.",
        "see-through.no-materials": "The model has no materials.",
        "see-through.divide.none": "No image of these materials has colours multiplied by alpha.",
        "see-through.nearest.format": "{format} cannot say how an image is sampled; export as GLB first.",
        "see-through.nearest.none": "No image of these materials is smoothed.",
        "see-through.shadow.no-wish": "the intent does not say whether blended parts should cast a shadow",
        "see-through.shadow": "{materials:# blended material casts|blended materials cast} {cast:?a|no} shadow there: {names}",
        "see-through.halve.order": "Drawn in this order as seen from {side}: {names}; from the other side the other way round. A destination that goes by numbers finds them as the property draw_order, where the format holds properties.",
        "see-through.halve.holds": "By these numbers {one} and {other} are in the right order {sides}.",
        "see-through.halve.none": "None of these blended parts encloses another.",
        "see-through.halve.no-gain": "No split of these parts improves the order: all faces are on one side, or in one piece.",
        "see-through.from-brightness.unreadable": "No image of these materials could be opened.",
        "see-through.from-brightness.none": "No image is a glow on black.",
        "see-through.set.already": "These materials have that alpha mode already.",
        "see-through.set.all-fit": "Every material has the alpha mode that its image needs.",
        "see-through.set.more": "{materials:# more material} changed the same way.",
        "see-through.halve.left": "{share} of the rays that meet two surfaces still see them in the wrong order.",
    }
)
