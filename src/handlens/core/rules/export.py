"""How a destination wants its files written. The rule sheet holds it; a call may say otherwise."""

from __future__ import annotations

from typing import Literal

import msgspec


class ExportOptions(msgspec.Struct, frozen=True, omit_defaults=True):
    """unit, up_axis: what numbers are converted to where the format leaves it open, None for as they are.

    triangulate: polygons are cut into triangles. images: as-format puts them where the format's own way is; embedded and beside
    say where, where the format allows both; none leaves them out. folder: a folder for images beside, in which {model} stands
    for the model's name. material_library: whether an OBJ brings its library. unstated_unit, unstated_axis: what numbers are in
    where the format cannot say it, which is how the destination will read them; no sheet's JSON has them, `RuleSheet.writes` does.
    """

    unit: Literal["m", "cm", "mm"] | None = None
    up_axis: Literal["Y", "Z"] | None = None
    triangulate: bool = False
    images: Literal["as-format", "embedded", "beside", "none"] = "as-format"
    folder: str = ""
    material_library: bool = True
    unstated_unit: Literal["m", "cm", "mm"] | None = None
    unstated_axis: Literal["Y", "Z"] | None = None


#: As the format has it by itself.
PLAIN = ExportOptions()
