"""What the ledger shows for Textures and See-through."""

from __future__ import annotations

from typing import Any

from ..kit.panel import figure, table
from ..kit.parts import unit_of
from ..measures import Measures
from ..rules import Intent, RuleSheet
from ..stations.budget.checks import texture_memory
from ..stations.see_through.checks import SEEN, WRONG, painted
from ..stations.see_through.sweep import wrong_from
from ..stations.textures.checks_uvs import density_words as density
from ..stations.textures.checks_uvs import used_sets
from ..words.figures import percent, plain

_ORDER = ["stop", "caution", "note", "clear", None]
#: How each state of a reference reads.
STATUS = {
    "embedded": "inside",
    "found": "beside",
    "other-case": "other letter case",
    "missing": "missing",
    "absolute": "one machine's place",
}


def textures_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    lost = sum(i.status == "missing" or (i.status == "absolute" and i.found_at is None) for i in m.images)
    astray = sum(i.status in ("other-case", "absolute") for i in m.images) - sum(
        i.status == "absolute" and i.found_at is None for i in m.images
    )
    memory = texture_memory(m)
    unit = unit_of(m)
    rows: list[dict[str, Any]] = []
    for k, i in enumerate(m.images):
        result = (
            "stop"
            if i.unreadable or i.status == "missing"
            else "caution"
            if i.status in ("other-case", "absolute")
            else "note"
            if not i.used_by
            else "clear"
        )
        rows.append({
            "cells": {
                "image": i.reference or f"image {k}", "where": "cannot be opened" if i.unreadable else STATUS.get(i.status, i.status),
                "size": f"{i.width:,} × {i.height:,}" if i.width else "–", "roles": ", ".join(r.replace("-", " ") for r in i.roles) or "nothing",
            },
            "result": result,
        })  # fmt: skip
    rows.sort(key=lambda r: _ORDER.index(r["result"]))
    by_node = {d.node: d for d in m.densities}
    laid: list[dict[str, Any]] = []
    for p in m.parts:
        for k in sorted(used_sets(m, p.mesh)):
            u, d = m.meshes[p.mesh].uvs[k], by_node.get(p.node)
            wrong = u.missing or u.not_finite or u.collapsed
            laid.append({
                "cells": {
                    "part": p.name, "set": f"{k + 1}", "density": f"{density(d.median / unit)} px/m" if d else "–", "islands": f"{u.islands:,}",
                    "overlap": percent(u.overlap) if u.overlap is not None else "repeats", "outside": f"{u.outside:,}", "flat": f"{u.flat:,}", "mirrored": f"{u.mirrored:,}",
                },
                "node": p.node, "result": "stop" if u.not_finite else "caution" if wrong else "note" if u.flat else "clear",
            })  # fmt: skip
    laid.sort(key=lambda r: _ORDER.index(r["result"]))
    middle = sorted(d.median for d in m.densities)
    pixels = middle[len(middle) // 2] / unit if middle else 0.0
    limit = sheet.limits.texture_memory_bytes
    return {
        "about": "images, and how they lie on the surface",
        "line": f"{lost:,} of {len(m.images):,} missing" if lost else f"{len(m.images):,} {'image' if len(m.images) == 1 else 'images'}, all there" if m.images else "no images",
        "limit": f"{plain(memory / 2**20)} MiB loaded" if memory else None,
        "meter": memory / limit if limit and memory else None,
        "headline": [
            figure(f"{lost:,}", "", "images missing", "stop" if lost else "clear"),
            figure(f"{astray:,}", "", "found under another name", "caution" if astray else "clear"),
            figure(plain(memory / 2**20), "MiB", "once loaded, with mips", "caution" if limit and memory > limit else "clear"),
            figure(density(pixels) if middle else "–", "px/m" if middle else "", "in the middle of the model"),
        ],
        "tables": [
            table("Images", [("image", "Image", False), ("where", "Lies", False), ("size", "Pixels", True), ("roles", "Used as", False)], rows),
            *([table("UVs by part", [("part", "Part", False), ("set", "Set", True), ("density", "Density", True), ("islands", "Islands", True), ("overlap", "Shared", True), ("outside", "Outside", True), ("flat", "Flat", True), ("mirrored", "Mirrored", True)], laid)] if laid else []),
        ],
    }  # fmt: skip


def see_through_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    hidden = wrong = 0
    rows: list[dict[str, Any]] = []
    images = {k: i for k, _, i in painted(m)}
    for k, x in enumerate(m.materials):
        i = images.get(k)
        a = x.alpha or (i.look.alpha if i is not None and i.look is not None else None)
        seen = x.shown.see if x.shown is not None else a.see if a else 0.0
        wanted = (
            "blend"
            if x.opacity < 0.999 and x.drawn == "blend"
            else "opaque"
            if a is None or a.mode == "opaque" or seen < SEEN
            else a.mode
        )
        ignored = x.alpha_mode == "opaque" and wanted != "opaque"
        off = not ignored and x.drawn != "opaque" and x.opacity >= 0.999 and wanted != x.drawn
        hidden += ignored
        wrong += off
        if not x.used_by_faces or (a is None and x.drawn == "opaque"):
            continue
        rows.append({
            "cells": {
                "material": x.name or f"material {k}", "mode": _mode(x.alpha_mode or (None if x.drawn == "opaque" else x.drawn), x.alpha_cutoff), "image": i.reference if i else "–",
                "seen": percent(seen) if a else f"{percent(1 - x.opacity)} all over" if x.opacity < 0.999 else "nothing", "fading": percent(a.fading) if a else "–", "wanted": _mode(wanted, a.cutoff if a else None),
            },
            "result": "stop" if ignored else "caution" if off else "clear",
        })  # fmt: skip
    rows.sort(key=lambda r: _ORDER.index(r["result"]))
    names = {p.node: p.name for p in m.parts}
    order = [
        {
            "cells": {
                "one": names[d.first], "other": names[d.second] if d.first != d.second else "its own pieces", "wrong": percent(d.wrong / max(d.both, 1)),
                "from": wrong_from(d, m.up_axis or sheet.up_axis),
            },
            "node": d.outer, "result": "caution" if d.wrong > WRONG * d.both else "clear",
        }
        for d in m.draw_orders
    ]  # fmt: skip
    blended = sum(x.drawn == "blend" and x.used_by_faces > 0 for x in m.materials)
    popping = sum(r["result"] == "caution" for r in order)
    return {
        "about": "what is seen through, and in which order it is drawn",
        "line": f"{hidden:,} drawn solid that should not" if hidden else f"{popping:,} in the wrong order" if popping else "nothing is see-through" if not rows else "drawn as the images ask",
        "limit": f"{blended:,} blended" if blended else None,
        "meter": None,
        "headline": [
            figure(f"{hidden:,}", "", "drawn solid over see-through pixels", "stop" if hidden else "clear"),
            figure(f"{wrong:,}", "", "in another mode than suits", "caution" if wrong else "clear"),
            figure(f"{blended:,}", "", "blended"),
            figure(f"{popping:,}", "", "pairs in the wrong order", "caution" if popping else "clear"),
        ],
        "tables": [
            table("By material", [("material", "Material", False), ("mode", "Drawn", False), ("image", "Image", False), ("seen", "See-through", True), ("fading", "Fading", True), ("wanted", "Asks for", False)], rows),
            *([table("Draw order", [("one", "Part", False), ("other", "And", False), ("wrong", "Wrong", True), ("from", "Wrong from", False)], order)] if order else []),
        ],
    }  # fmt: skip


def _mode(mode: str | None, cutoff: float | None) -> str:
    return f"mask at {0.5 if cutoff is None else cutoff:g}" if mode == "mask" else mode or "not stated"
