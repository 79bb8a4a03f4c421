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
        "ply.too-few-corners": "{faces:# face has|faces have} fewer than three corners and were left out.",
        "ply.entries-without-place": "{count:,} {name} entries were counted but have no place in a mesh.",
        "ply.uvs-not-in-pairs": "UVs that are stored by face do not come in pairs for each corner and were passed over.",
        "ply.properties-without-place": "Properties of each {name} without a place in a mesh were passed over: {what}.",
    }
)
