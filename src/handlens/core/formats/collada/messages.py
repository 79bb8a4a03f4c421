"""What the reader of COLLADA refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "collada.no-collada": "{label} begins with <{tag}>, so it is not a COLLADA document; give it its true ending.",
        "collada.too-many-nodes": "{label} grows to more than {most:,} nodes through its instances; export it with fewer.",
        "collada.circle": "{label}: a node hangs below itself; the node tree runs in a circle, so export it again.",
        "collada.weights-of-others": "{label}: the skin {key:quoted} has weights for {count:,} vertices of {vertices:,}; export it again.",
    }
)
