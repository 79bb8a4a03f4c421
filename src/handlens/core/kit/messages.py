"""What mends of several stations refuse, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "mend.no-such-part": "The model no longer has a part {part}.",
        "mend.no-such-parts": "The model no longer has any of these parts.",
        "mend.no-such-faces": "None of these parts has any of these faces any more.",
        "mend.also-shown": "{parts:# other part shows|other parts show} the same mesh and {parts:changes|change} with it.",
        "mend.no-mesh": "None of these parts has a mesh.",
        "mend.no-such-image": "The model no longer has an image {image}; an earlier mend may have renamed it. #0 names the first image, whatever its name.",
        "mend.image-missing": "{image} is missing.",
        "mend.image-unreadable": "{image} cannot be opened.",
        "mend.see-through": "Parts of the model are see-through: what is behind them is seen.",
        "mend.pattern-length": "arrival.name-by-pattern: the pattern must have 1 to {most} letters.",
        "mend.lone-brace": "arrival.name-by-pattern: a brace stands alone; write {{name}} whole.",
        "mend.unknown-brace": "arrival.name-by-pattern: {brace} is none of {listed}; only the counter has a width.",
    }
)
