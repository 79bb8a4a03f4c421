"""What readers of several formats, and the choice of one, refuse, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "formats.no-such-file": "There is no file {path} in the package.",
        "formats.empty": "{path} is empty (0 bytes); export it again.",
        "formats.another-kind": "{path} is {title}, not a model that is read here; {instead}.",
        "formats.no-model": "{path} is not a model that can be read; export it as one of: {readable}.",
        "formats.wrong-ending": "{path} is named {ending} but holds {title}; give it its true ending.",
        "formats.not-written": "The format {format_name} cannot be written; use one of: {writable}.",
        "formats.nested-too-deep": "{path} is nested too deep to be read.",
        "formats.too-much-memory": "{path} needs more memory than there is.",
        "formats.no-model-among-files": "There is no model file among the {count:# file}; send one of: {names}.",
        "formats.zip-in-zip": "There is no model inside, only another zip ({inner}); unpack it and send that one.",
        "formats.nothing-inside": "There is nothing inside; send a model file with its textures.",
        "formats.closed-format": "{path} is in an exchange format whose description is not open, so it cannot be read faithfully; export it as one of: {readable}.",
    }
)
