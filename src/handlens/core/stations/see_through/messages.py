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
        "see-through.brightness.emissive": "{image} is a glow on black without alpha, shone by {material}",
        "see-through.premultiplied": "Colours of {image} are multiplied by alpha",
        "see-through.pixel-art": "{image}, {width} × {height} in {colours} colours, is smoothed",
        "see-through.draw-order.sorted": "{sheet} draws each surface in its true place",
        "see-through.draw-order.no-blending": "{sheet} does not blend",
        "see-through.draw-order": "{what} drawn in the wrong order on {share:percent} of the rays that meet both, most from {heading}",
        "see-through.no-such-material": "{material} is not among the materials any more.",
        "see-through.no-materials": "The model has no materials.",
        "see-through.divide.none": "No image of these materials has colours multiplied by alpha.",
        "see-through.nearest.format": "{format} cannot say how an image is sampled; export as GLB first.",
        "see-through.nearest.none": "None of these materials smooths an image.",
        "see-through.halve.none": "None of these blended parts encloses or wraps another.",
        "see-through.halve.no-gain": "They cannot be split in a way that leaves less of it: all faces lie on one side, or are one piece.",
        "see-through.from-brightness.unreadable": "None of these materials has an image that could be opened.",
        "see-through.from-brightness.none": "No image is a glow on black.",
        "see-through.set.already": "These materials are drawn that way already.",
        "see-through.set.all-fit": "Every material is drawn as its image's alpha asks for.",
    }
)
