"""What the reader of COLLADA refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "collada.no-collada": "{label} begins with <{tag}>, so it is not a COLLADA document; give it its true ending.",
        "collada.too-many-nodes": "{label} grows to more than {most:,} nodes through its instances; export it with fewer.",
        "collada.circle": "{label}: a node hangs below itself; the node tree runs in a circle, so export it again.",
        "collada.weights-of-others": "{label}: the skin {key:quoted} has weights for {count:,} vertices of {vertices:,}; export it again.",
        "collada.drives-no-node": "{lost:# channel drives|channels drive} something that is no node's transform.",
        "collada.curved-tangents": "{curved:# channel} with curved tangents kept at their keys and straight between them.",
        "collada.no-such-image": "A texture names the image {name:quoted}, which is not in the document.",
        "collada.no-such-material": "{key:quoted} names a material that is not in the document.",
        "collada.no-such-effect": "The material {name:quoted} names an effect that is not in the document.",
        "collada.no-such-name": "{url:quoted} names a {tag} that is not in {where}.",
        "collada.splines": "{splines:# spline} counted but not turned into lines.",
        "collada.holes-bridged": "{bridged:# hole} in polygons bridged to the outline, as a polygon has just one.",
        "collada.no-place": "{counted} counted but without a place in a model.",
        "collada.empty-controller": "The controller {key:quoted} holds neither a skin nor a morph.",
    }
)
