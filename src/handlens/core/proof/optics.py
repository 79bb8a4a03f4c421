"""Cameras and lights: on which node, and all that they state."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from .compared import Compared
from .rows import Row, counted, differs, listed, same
from .tolerances import VALUE
from .words import alike, value

GROUP = "Also in the file"
#: What counts where nothing is stated (KHR_lights_punctual).
_LIGHT = {"color": [1.0, 1.0, 1.0], "intensity": 1.0}
_CONE = {"innerConeAngle": 0.0, "outerConeAngle": 0.7853981633974483}


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of cameras and lights."""
    for what, listing, of in (("Cameras", "cameras", "camera"), ("Lights", "lights", "light")):
        a, b = getattr(compared.a, listing), getattr(compared.b, listing)
        if not a and not b:
            continue
        yield counted(GROUP, what, [len(a), len(b)])
        held = [(i, getattr(compared.a.nodes[i], of), getattr(compared.b.nodes[j], of)) for i, j in compared.nodes.items()]
        lost = [compared.a.part_name(i) for i, x, y in held if (x is None) != (y is None)]
        if lost:
            yield differs(GROUP, f"Nodes with {listing}", "", "", f"{len(lost):,} differ", listed(lost))
        pairs = [(a[x], b[y], compared.a.part_name(i)) for i, x, y in held if x is not None and y is not None]
        loose = [[k for k in range(len(s)) if k not in {h[n] for h in held}] for n, s in ((1, a), (2, b))]
        pairs += [(a[x], b[y], a[x].name) for x, y in zip(*loose, strict=False)]
        renamed = [(x.name, y.name) for x, y, _ in pairs if x.name != y.name]
        if renamed:
            yield differs(
                GROUP, f"Names of {listing}", renamed[0][0] or "none", renamed[0][1] or "none", f"{len(renamed):,} renamed"
            )
        told = [(where, _with_defaults(x.source), _with_defaults(y.source)) for x, y, where in pairs]
        wrong = [(where, x, y) for where, x, y in told if not alike(x, y, VALUE)]
        if wrong:
            where, x, y = wrong[0]
            keys = [k for k in {*x, *y} if not alike(x.get(k), y.get(k), VALUE)]
            yield differs(
                GROUP, f"Values of {listing}", _only(x, keys), _only(y, keys), f"{len(wrong):,} differ", f"first {where}"
            )
        elif pairs:
            yield same(GROUP, f"Values of {listing}", f"{len(pairs):,}")


def _with_defaults(source: Mapping[str, Any]) -> dict[str, Any]:
    """What is stated, with what counts where nothing is."""
    out = dict(source)
    if out.get("type") in ("directional", "point", "spot", "ambient"):
        out = {**_LIGHT, **out}
    if out.get("type") == "spot":
        out["spot"] = {**_CONE, **(out["spot"] if isinstance(out.get("spot"), Mapping) else {})}
    return out


def _only(values: Mapping[str, Any], keys: list[str]) -> str:
    return ", ".join(f"{k} {value(values.get(k))}" for k in sorted(keys))
