"""What the ledger shows for Textures."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, Result, Row, count, number, row, share, table, worst_first
from ...kit.parts import unit_of
from ...measures import Measures
from ...measures.drawing import texture_memory
from ...rules import Intent, RuleSheet
from ...words.figures import plain
from .checks_uvs import density_words as density
from .checks_uvs import used_sets

#: How each state of a reference reads.
STATUS = {
    "embedded": "inside",
    "found": "beside",
    "other-case": "other letter case",
    "missing": "missing",
    "absolute": "one machine's place",
}


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Textures, by measures, sheet and intent."""
    lost = sum(i.status == "missing" or (i.status == "absolute" and i.found_at is None) for i in measures.images)
    astray = sum(i.status in ("other-case", "absolute") for i in measures.images) - sum(
        i.status == "absolute" and i.found_at is None for i in measures.images
    )
    memory = texture_memory(measures)
    unit = unit_of(measures)
    rows: list[Row] = []
    for k, i in enumerate(measures.images):
        result: Result = (
            "stop"
            if i.unreadable or i.status == "missing"
            else "caution"
            if i.status in ("other-case", "absolute")
            else "note"
            if not i.used_by
            else "clear"
        )
        rows.append(
            row(
                {
                    "image": i.reference or f"image {k}",
                    "where": "cannot be opened" if i.unreadable else STATUS.get(i.status, i.status),
                    "size": number(i.width * (i.height or 0), f"{i.width:,} × {i.height:,}", "px") if i.width else "–",
                    "roles": ", ".join(role.replace("-", " ") for role in i.roles) or "nothing",
                },
                result=result,
            )
        )
    rows = worst_first(rows)
    by_node = {density.node: density for density in measures.densities}
    laid: list[Row] = []
    for part in measures.parts:
        for k in sorted(used_sets(measures, part.mesh)):
            layer, figures = measures.meshes[part.mesh].uvs[k], by_node.get(part.node)
            wrong = layer.missing or layer.not_finite or layer.collapsed
            laid.append(
                row(
                    {
                        "part": part.name,
                        "set": count(k + 1),
                        "density": number(figures.median / unit, f"{density(figures.median / unit)} px/m", "px/m")
                        if figures
                        else "–",
                        "islands": count(layer.islands),
                        "overlap": share(layer.overlap) if layer.overlap is not None else "repeats",
                        "outside": count(layer.outside),
                        "flat": count(layer.flat),
                        "mirrored": count(layer.mirrored),
                    },
                    node=part.node,
                    result="stop" if layer.not_finite else "caution" if wrong else "note" if layer.flat else "clear",
                )
            )
    laid = worst_first(laid)
    middle = sorted(density.median for density in measures.densities)
    pixels = middle[len(middle) // 2] / unit if middle else 0.0
    limit = sheet.limits.texture_memory_bytes
    return Panel(
        about="images, and how they lie on the surface",
        nothing=not measures.images and not astray,
        line=f"{lost:,} of {len(measures.images):,} missing"
        if lost
        else f"{len(measures.images):,} {'image' if len(measures.images) == 1 else 'images'}"
        if measures.images
        else "no images",
        limit=f"{plain(memory / 2**20)} MiB loaded" if memory else None,
        meter=memory / limit if limit and memory else None,
        headline=[
            Figure(f"{lost:,}", "", "images missing", "stop" if lost else "clear"),
            Figure(f"{astray:,}", "", "found under another name", "caution" if astray else "clear"),
            Figure(plain(memory / 2**20), "MiB", "once loaded, with mips", "caution" if limit and memory > limit else "clear"),
            Figure(density(pixels) if middle else "–", "px/m" if middle else "", "in the middle of the model"),
        ],
        tables=[
            table(
                "images",
                "Images",
                [("image", "Image", False), ("where", "Where", False), ("size", "Pixels", True), ("roles", "Used as", False)],
                rows,
            ),
            *(
                [
                    table(
                        "uvs",
                        "UVs by part",
                        [
                            ("part", "Part", False),
                            ("set", "Set", True),
                            ("density", "Density", True),
                            ("islands", "Islands", True),
                            ("overlap", "Overlap", True),
                            ("outside", "Outside", True),
                            ("flat", "Flat", True),
                            ("mirrored", "Mirrored", True),
                        ],
                        laid,
                    )
                ]
                if laid
                else []
            ),
        ],
    )
