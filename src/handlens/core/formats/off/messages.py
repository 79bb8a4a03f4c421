"""What the reader of OFF refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "off.cut-off-faces": "{label} states {faces:,} faces but ends before them; it was cut off, so export it again.",
        "off.binary": "{label} is a binary OFF, which is not read; export it as text or as PLY.",
        "off.no-off": "{label} does not begin with OFF, so it is not an OFF file; give it its true ending.",
        "off.more-dimensions": "{label} has vertices of more than three dimensions; export it with three.",
        "off.no-number": "{label} has something other than a number after OFF; export the file again.",
        "off.cut-off-vertices": "{label} states {vertices:,} vertices but ends before them; it was cut off, so export it again.",
        "off.no-such-vertex": "{label} uses vertex {vertex:,} in a face, but only {vertices:,} are there; export the file again.",
        "off.no-counts": "{label} has no counts of vertices, faces and edges after OFF; export the file again.",
        "off.too-few-corners": "{faces:# face has|faces have} fewer than three corners and were left out.",
    }
)
