"""What the reader of 3MF refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "threemf.no-package": "{label} is not a complete 3MF package; export it again.",
        "threemf.no-model": "{label} has no <model> in {part}; export it again.",
        "threemf.no-model-part": "{label} holds no model part; export it again.",
        "threemf.circle": "{label}: an object is a component of itself; export it again.",
        "threemf.too-many-nodes": "{label} grows to more than {most:,} nodes through its components; export it with fewer.",
        "threemf.no-such-vertex": "{label}: a triangle of {name} uses vertex {vertex:,}, but only {count:,} are there; export it again.",
        "threemf.no-such-part": "{label} names {path}, which is not in the package; export it again.",
        "threemf.damaged": "{path} in {label} is damaged; export it again.",
        "threemf.unknown-unit": "The unit {unit:quoted} is none of the format's; it was taken as not stated.",
        "threemf.further-parts": "{count:# further model part} counted but not read, first {what}.",
        "threemf.no-such-texture": "A group of coordinates names the texture {texture:quoted}, which is not there.",
        "threemf.no-such-object": "An item names the object {key:quoted}, which is not in this part.",
        "threemf.no-such-properties": "Triangles name the property group {key:quoted}, which is not there or is of a kind that is not read.",
        "threemf.resource-without-place": "A <{tag}> resource was counted but has no place in a mesh.",
    }
)
