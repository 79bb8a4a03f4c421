"""How an image goes on beyond its edges: the codes of a sampler's `wrapS` and `wrapT` (glTF 2.0 §5.26.3)."""

from __future__ import annotations

#: The image is repeated; what counts where a sampler says nothing.
REPEAT = 10497
#: Every second repetition is mirrored.
MIRROR = 33648
#: The pixels at the edge go on.
CLAMP = 33071
