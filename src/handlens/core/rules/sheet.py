"""The rule sheet: its shape, the shipped ones, and reading one from a file."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any, Literal

import msgspec

from ..limits import InputError
from ..words.patterns import compiled
from .export import ExportOptions

SHEETS = Path(__file__).parent / "sheets"
SCHEMA = Path(__file__).parent / "sheet.schema.json"
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001}
UNIT_WORDS = {"m": "metres", "cm": "centimetres", "mm": "millimetres"}


class Limits(msgspec.Struct, frozen=True, omit_defaults=True):
    """A limit is the greatest allowed value; None means that the destination sets none."""

    triangles_mesh: int | None = None
    triangles_total: int | None = None
    vertices_mesh: int | None = None
    draw_calls: int | None = None
    texture_memory_bytes: int | None = None
    scene_triangles: int | None = None
    parts: int | None = None
    float_spacing_mm: float = 1.0
    texture_pixels: int | None = None
    texture_file_bytes: int | None = None
    slots_mesh: int | None = None


class Names(msgspec.Struct, frozen=True, omit_defaults=True):
    """How the destination reads names: allowed characters, greatest length, whether letter case counts; the pattern, as a
    regular expression, that the names of materials must match whole.
    """

    allowed: str | None = None
    longest: int | None = None
    case_matters: bool = True
    materials: str | None = None


class Textures(msgspec.Struct, frozen=True, omit_defaults=True):
    """What the destination wants of images and UVs. formats: file formats that it takes, any where there are none. tiling:
    whether images may repeat. green: to which side a normal map's green channel points.
    """

    power_of_two: bool = False
    formats: list[str] = []
    tiling: bool = True
    padding_px: float = 2.0
    second_uvs: bool = False
    green: Literal["up", "down"] = "up"


class Receiver(msgspec.Struct, frozen=True):
    """How the destination draws what it gets.

    back_faces: as-material draws both sides where the material says so. alpha: mask-only draws blended materials cut out at
    one half, none draws everything opaque. mirrored: whether the winding of parts under mirrored nodes is turned back.
    draw_order: see-through surfaces sorted part by part, or each surface in its true place. default_material: sRGB.
    """

    back_faces: Literal["as-material", "hidden", "shown"] = "as-material"
    lines: bool = False
    alpha: Literal["as-material", "mask-only", "none"] = "as-material"
    mirrored: Literal["turned", "as-stored"] = "turned"
    draw_order: Literal["by-part", "by-surface"] = "by-part"
    default_material: str = "#C4BDAF"


class RuleSheet(msgspec.Struct, frozen=True):
    """What a destination demands. shading: whether it knows more of a material than base colour, metal and roughness."""

    slug: str
    name: str
    code: str
    version: int
    about: str
    basis: str
    unit: Literal["m", "cm", "mm"]
    up_axis: Literal["Y", "Z"]
    format: str
    formats: list[str]
    node_scale: Literal["one", "any"]
    node_rotation: Literal["zero", "no-quarter-turns", "any"]
    ground: Literal["stand", "any"]
    size_tolerance: float
    limits: Limits
    names: Names
    results: dict[str, Literal["stop", "caution", "note", "off"]]
    shading: Literal["core", "extended"] = "core"
    textures: Textures = Textures()
    receiver: Receiver = Receiver()
    export: ExportOptions = ExportOptions()

    @property
    def unit_metres(self) -> float:
        return UNITS[self.unit]

    @property
    def writes(self) -> ExportOptions:
        """How files are written for it: as `export` says, and in its own unit and axis where a format cannot state any."""
        return msgspec.structs.replace(self.export, unstated_unit=self.unit, unstated_axis=self.up_axis)


def sheet_from_json(data: bytes | str, label: str) -> RuleSheet:
    """Validate against the schema and read. Raises InputError naming the place that is wrong."""
    import jsonschema

    try:
        tree = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise InputError(f"{label} is not valid JSON: {error}.") from error
    validator = jsonschema.Draft202012Validator(_schema())
    wrong = next(iter(sorted(validator.iter_errors(tree), key=lambda e: list(map(str, e.absolute_path)))), None)
    if wrong is not None:
        place = "/".join(map(str, wrong.absolute_path)) or "the top level"
        raise InputError(f"{label} is no valid rule sheet: at {place}, {wrong.message}.")
    sheet: RuleSheet = msgspec.convert(tree, RuleSheet)
    if sheet.names.materials:
        compiled(sheet.names.materials, label)
    if sheet.names.allowed:
        compiled(f"[{sheet.names.allowed}]*", label)
    return sheet


#: Made while this module is imported: threads must not work out the shape of a record at the same moment.
_DECODER = msgspec.json.Decoder(RuleSheet)


@cache
def _schema() -> dict[str, Any]:
    schema: dict[str, Any] = json.loads(SCHEMA.read_text())
    return schema


@cache
def shipped() -> tuple[RuleSheet, ...]:
    """The sheets that come with Hand Lens, in their order on screen. Validated by the tests, so only read here."""
    order = [
        "realtime-engine",
        "realtime-engine-centimetres",
        "ar-viewing",
        "creator-platform-strict",
        "modelling-room",
        "block-world",
    ]
    return tuple(_DECODER.decode((SHEETS / f"{slug}.json").read_bytes()) for slug in order)


def load_sheet(name: str | None) -> RuleSheet:
    """A shipped sheet by full name or slug, or one from a JSON file. None gives Realtime engine. Raises InputError."""
    if name is None:
        return shipped()[0]
    for sheet in shipped():
        if name.strip().casefold() in (sheet.slug, sheet.name.casefold()):
            return sheet
    path = Path(name)
    if not path.is_file():
        slugs = ", ".join(s.slug for s in shipped())
        raise InputError(f"There is no rule sheet {name!r}; use one of {slugs}, or the path of a JSON file.")
    try:
        return sheet_from_json(path.read_bytes(), f"The rule sheet {path.name}")
    except OSError as error:
        raise InputError(f"The rule sheet {name} cannot be read: {error.strerror}.") from error
