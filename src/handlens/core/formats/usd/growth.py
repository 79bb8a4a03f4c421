"""How large a USD stage grows before it is made: a few layers that refer to each other ten times over are a few hundred bytes each,
and more prims than any machine holds.

Counted over what the layers say (OpenUSD glossary: "References", "Payload", "Inherits", "Specializes", "VariantSet"), each prim with
all that it brings; of variants all are counted, since any may be chosen.
"""

from __future__ import annotations

from typing import Any

from pxr import Sdf

#: Prims that count no further: more than this is refused.
MOST = 400_000


def grown(layers: dict[str, Sdf.Layer], first: str) -> int:
    """Prims that a stage of the layer `first` would have, at most a little above MOST. layers: by path, every one that it leads to."""
    return _Growth(layers).layer(first)


class _Growth:
    def __init__(self, layers: dict[str, Sdf.Layer]) -> None:
        self.layers = layers
        self.known: dict[tuple[str, str], int] = {}
        self.open: set[tuple[str, str]] = set()

    def layer(self, path: str) -> int:
        """All root prims of a layer, with those of its sublayers."""
        return self._prim(path, "/")

    def _prim(self, path: str, prim: str) -> int:
        """A prim with everything below it and everything that it brings. By a stack of our own: layers may nest as deep as they like."""
        stack = [(path, prim)]
        while stack:
            key = stack[-1]
            if key in self.known:
                stack.pop()
                continue
            needed = self._needed(key)
            if key not in self.open:
                self.open.add(key)
                # One that leads back to itself brings nothing more.
                waiting = [n for n in needed if n not in self.known and n not in self.open]
                if waiting:
                    stack += waiting
                    continue
            self.known[key] = min(1 + sum(self.known.get(n, 0) for n in needed), MOST + 1)
            self.open.discard(key)
            stack.pop()
        return self.known[path, prim]

    def _needed(self, key: tuple[str, str]) -> list[tuple[str, str]]:
        path, prim = key
        layer = self.layers.get(path)
        if layer is None:
            return []
        if prim == "/":
            roots = [(path, str(root_prim.path)) for root_prim in layer.rootPrims]
            return roots + [(sub, "/") for sub in layer.subLayerPaths if sub in self.layers]
        spec = layer.GetPrimAtPath(prim)
        if spec is None:
            # A prim that a sublayer of this one may hold.
            return [(sub, prim) for sub in layer.subLayerPaths if sub in self.layers]
        return [*((path, str(c.path)) for c in spec.nameChildren), *self._brought(path, spec), *self._variants(path, spec)]

    def _brought(self, path: str, spec: Any) -> list[tuple[str, str]]:
        out = []
        for listed in (spec.referenceList, spec.payloadList):
            for arc in listed.GetAddedOrExplicitItems():
                there = arc.assetPath.partition(":SDF_FORMAT_ARGS:")[0] or path
                layer = self.layers.get(there)
                if layer is not None:
                    out.append((there, str(arc.primPath) or f"/{layer.defaultPrim}"))
        for listed in (spec.inheritPathList, spec.specializesList):
            out += [(path, str(p)) for p in listed.GetAddedOrExplicitItems()]
        return out

    def _variants(self, path: str, spec: Any) -> list[tuple[str, str]]:
        return [(path, str(v.primSpec.path)) for variant_set in spec.variantSets for v in variant_set.variants.values()]
