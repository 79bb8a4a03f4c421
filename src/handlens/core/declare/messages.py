"""What is refused in the parameters of mends, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "parameter.not-finite": "{mend}: {name} must be a finite number, not {raw:quoted}.",
        "parameter.zero": "{mend}: {name} must be another number than 0.",
        "parameter.no-share": "{mend}: {name} must be a share such as 50% or 0.5, not {raw:quoted}.",
        "parameter.no-truth": "{mend}: {name} must be true or false, not {raw:quoted}.",
        "parameter.no-choice": "{mend}: {name} must be one of {choices}, not {raw:quoted}.",
        "parameter.no-such-parameter": "{id} has no parameter {name:quoted}; it takes {known}.",
        "parameter.no-number": "{mend}: {name} must be a number, not {raw:quoted}.",
        "parameter.missing": "{id} needs {name}=….",
    }
)
