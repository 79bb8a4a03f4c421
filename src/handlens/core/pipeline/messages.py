"""What is refused between a call and its answer, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "pipeline.baseline-unreadable": "The baseline {path} cannot be read: {reason}.",
        "pipeline.baseline-no-report": "The baseline {path} is not a report; give a file that `inspect --json` wrote.",
        "pipeline.too-large": "The model is too large for this machine: {triangles:# triangle} on {vertices:# vertex|vertices} take about {wanted:.1f} GiB, and one job may have {most:.1f} GiB; send it in smaller pieces.",
        "pipeline.nothing-to-learn-from": "A sheet is learnt from accepted models: name at least one.",
        "pipeline.wrong-ending": "{other} holds {title} but is named .{ending}; give it its true ending, {true_ending}.",
        "pipeline.no-model-below": "There is no model below {path}.",
        "pipeline.no-folder-to-search": "There is no folder {folder} to search.",
        "pipeline.outside-package": "{name} would lie outside the package; choose another --out.",
        "pipeline.written-anew": "{other} is in the package, is no part of {main}, and would be overwritten; rename it first.",
        "pipeline.unreadable": "{path} cannot be read: {reason}.",
        "pipeline.no-toml": "{path} cannot be used: it is not valid TOML: {error}.",
        "pipeline.wrong-value": "{path} cannot be used: at {where}, {fault}.",
        "pipeline.unusable": "{path} cannot be used: {error}",
        "pipeline.name-too-long": "{name}… is longer than a file's name may be; name another --out.",
        "pipeline.link": "{path} is a link, and nothing is written through one; name the file itself.",
        "pipeline.no-plain-file": "{path} is {what}, and only a regular file is replaced; name another one, or - for the terminal.",
        "pipeline.written-twice": "This call has already written {path}; name another file.",
        "pipeline.input": "{path} is part of the input, and an input is never written over; name another --out.",
        "pipeline.there-already": "{path} is there already; name another file, or say --replace.",
        "pipeline.unwritable": "{path} cannot be written: {reason}.",
        "pipeline.nothing-sent": "{path} is neither a folder nor a zip; name what was sent, or the place where it lies.",
        "pipeline.no-manifest": "{name} is not the manifest of a package: {error}.",
        "pipeline.all-aside": "Every part is set aside, so there is nothing to write.",
    }
)
