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
    }
)
