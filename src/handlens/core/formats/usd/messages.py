"""What the reader of USD refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "usd.damaged": "{label} is damaged, or no USD file; export it again.",
        "usd.too-many-prims": "{label} grows to more than {most:,} prims through its references; export it flattened, or with fewer.",
        "usd.too-many-nodes": "{label} grows to more than {most:,} nodes through its instances; export it with fewer.",
        "usd.too-many-layers": "{label} is made of more than {most:,} layers; export it flattened.",
        "usd.damaged-package": "{label} is damaged: it is no readable package; export it again.",
        "usd.wrong-corner-count": "{label}: {name} counts {corners:,} corners but holds {there:,}; export it again.",
        "usd.no-such-point": "{label}: a face of {name} uses point {vertex:,}, but only {total:,} are there; export it again.",
        "usd.faces-left-out": "{left_out:,} faces of {name} are holes or have fewer than three corners and were left out.",
        "usd.subdivision": "{name} asks to be subdivided ({subdivision}); its control mesh is what was read.",
    }
)
