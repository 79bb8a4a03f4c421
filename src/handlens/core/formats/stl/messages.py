"""What the reader of STL refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "stl.too-short": "{label} is too short for an STL ({count} bytes); export it again.",
        "stl.cut-off": "{label} states {count:,} facets but holds only {there:,}; it was cut off, so export it again.",
        "stl.wrong-line": "{label}, line {line:,}: it {what}; export the file again.",
        "stl.cut-off-facet": "{label} ends in the middle of a facet; it was cut off, so export it again.",
        "stl.after-the-end": "{label}, line {at:,}: there is something after the end of a solid; export the file again.",
        "stl.trailing-bytes": "{left:# byte} after the last facet were passed over.",
    }
)
