"""What the reader of PLY refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "ply.no-header": "{label} has no complete PLY header; export it again.",
        "ply.wrong-header-line": "{label}, line {number}: {text:quoted} is no PLY header line; export the file again.",
        "ply.unknown-format": "{label} states the format {kind:quoted}, which is none of PLY's three; export it again.",
        "ply.no-such-vertex": "{label}: face {at:,} uses vertex {vertex:,}, but only {total:,} are there; export the file again.",
        "ply.edge-without-vertex": "{label}: an edge uses a vertex that is not there; export the file again.",
        "ply.cut-off": "{label} states {count:,} {name} entries but ends before them; it was cut off, so export it again.",
        "ply.cut-off-list": "{label} has a list in its {name} entries that runs past the end; it was cut off, so export it again.",
        "ply.no-number": "{label} has {text:quoted} where a number belongs; export the file again.",
        "ply.no-positions": "{label} has no vertex positions (x, y and z), so there is nothing to read; export it again.",
    }
)
