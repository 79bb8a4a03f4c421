"""The rule sheet: its shape, the shipped ones, and reading one from a file."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar, get_args

import msgspec
from msgspec import Meta

from ..limits import InputError
from ..words.json_tree import Json
from ..words.patterns import compiled
from .export import AXIS_WORDS, UNIT_WORDS, Axis, ExportOptions, Unit
from .fields import Count, described, read_record
from .intent import Intent, PartIntent, Role
from .messages import say

T = TypeVar("T", bound=msgspec.Struct)

SHEETS = Path(__file__).parent / "sheets"
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001}
Result = Literal["stop", "caution", "note", "off"]
Picture = Literal["png", "jpeg", "webp", "bmp", "tga", "tiff", "gif", "dds", "ktx2"]
PICTURES: tuple[str, ...] = get_args(Picture)
_Slug = Annotated[str, Meta(pattern=r"^[a-z0-9][a-z0-9-]{0,63}$")]
_Text = Annotated[str, Meta(min_length=1, max_length=400)]
_Pattern = Annotated[str, Meta(min_length=1, max_length=200)]
_Thumbnail = Annotated[str, Meta(max_length=120, pattern=r"^([^{}\\/:*?\"<>|]|\{model\})+\.(png|jpg|webp)$")]


class Limits(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A limit is the greatest allowed value; None means that the destination sets none."""

    triangles_mesh: Annotated[Count | None, described("Triangles in a mesh", unit="triangles")] = None
    triangles_total: Annotated[
        Count | None, described("Triangles in all", "Over all copies of parts in the model.", "triangles")
    ] = None
    vertices_mesh: Annotated[
        Count | None, described("Vertices in a mesh", "After splitting at seams and hard edges.", "vertices")
    ] = None
    draw_calls: Annotated[Count | None, described("Draw calls", "One for each material of each part.", "calls")] = None
    texture_memory_bytes: Annotated[
        Count | None, described("Texture memory", "Of all images once loaded, with mips.", "bytes")
    ] = None
    scene_triangles: Annotated[
        Count | None, described("Triangles in the scene", "As often as the intent says it stands there.", "triangles")
    ] = None
    parts: Annotated[Count | None, described("Parts", unit="parts")] = None
    float_spacing_mm: Annotated[
        Annotated[float, Meta(gt=0)],
        described("Steps of a 32-bit float", "The gap between two places that a number can tell apart.", "mm"),
    ] = 1.0
    texture_pixels: Annotated[Count | None, described("Pixels of an image", "Along its longer side.", "px")] = None
    texture_file_bytes: Annotated[Count | None, described("Size of an image's file", unit="bytes")] = None
    slots_mesh: Annotated[Count | None, described("Materials of a mesh", unit="slots")] = None
    influences_vertex: Annotated[
        Count | None, described("Influences on a vertex", "Joints that carry one vertex.", "influences")
    ] = None
    joints_skin: Annotated[Count | None, described("Joints of a skin", unit="joints")] = None
    joints_total: Annotated[Count | None, described("Joints in all", unit="joints")] = None
    files: Annotated[Count | None, described("Files", "Of the model and all that comes with it.", "files")] = None
    file_bytes: Annotated[Count | None, described("Size of a file", "Of each that is sent.", "bytes")] = None
    package_bytes: Annotated[Count | None, described("Size of the package", "Of all files together.", "bytes")] = None


class Names(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How the destination reads names."""

    allowed: Annotated[
        _Pattern | None, described("Allowed characters", "As they stand between brackets of a regular expression.")
    ] = None
    longest: Annotated[Count | None, described("Longest name", unit="characters")] = None
    case_matters: Annotated[bool, described("Letter case counts")] = True
    materials: Annotated[_Pattern | None, described("Names of materials", "A regular expression that each must meet whole.")] = (
        None
    )
    thumbnail: Annotated[
        _Thumbnail | None,
        described(
            "Name of the thumbnail",
            "A picture of the model beside it; {model} stands for the model's name. None wanted where empty.",
        ),
    ] = None

    def thumbnail_of(self, main: str) -> str | None:
        """Path of the thumbnail that belongs to a model, None where none is wanted. main: path of the model in its package."""
        if self.thumbnail is None:
            return None
        folder, _, file = main.rpartition("/")
        name = self.thumbnail.replace("{model}", file.rpartition(".")[0] or file)
        return f"{folder}/{name}" if folder else name


class Textures(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What the destination wants of images and UVs."""

    power_of_two: Annotated[bool, described("Sides are powers of two")] = False
    formats: Annotated[list[Picture], described("Kinds of image files", "Any where none is named.")] = []
    tiling: Annotated[bool, described("Images may repeat", "Whether UVs may leave the first tile.")] = True
    padding_px: Annotated[Annotated[float, Meta(ge=0, le=64)], described("Padding between islands", unit="px", least=True)] = 2.0
    second_uvs: Annotated[bool, described("A second UV set", "For light that is baked: without overlap, inside the tile.")] = (
        False
    )
    green: Annotated[
        Literal["up", "down"], described("Green of normal maps", words={"up": "points up", "down": "points down"})
    ] = "up"


class Joint(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A joint that the destination wants. also: names under which it takes it too, whatever their case."""

    name: Annotated[_Text, described("Name")]
    also: Annotated[list[_Text], described("Other names", "By which it is recognised.")] = []
    parent: Annotated[_Text | None, described("Hangs on", "The joint above it; any where none is named.")] = None


class Motion(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What the destination wants of skeletons and clips."""

    skeleton: Annotated[list[Joint], described("Joints that must be there", "In their order, the topmost first.")] = []
    clips: Annotated[list[_Text], described("Clips that must be there", "By name.")] = []
    scale_keys: Annotated[bool, described("Clips may scale joints")] = True


class Receiver(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How the destination draws what it gets."""

    kind: Annotated[
        Literal["engine", "viewer", "gate", "room", "blocks"],
        described(
            "What takes it",
            "The stand-in that is asked whether it takes a package.",
            words={
                "engine": "an engine's import",
                "viewer": "a viewer",
                "gate": "an upload gate",
                "room": "a modelling room",
                "blocks": "a block world's loader",
            },
        ),
    ] = "engine"
    back_faces: Annotated[
        Literal["as-material", "hidden", "shown"],
        described(
            "Backs of faces", words={"as-material": "as the material says", "hidden": "never drawn", "shown": "always drawn"}
        ),
    ] = "as-material"
    lines: Annotated[bool, described("Lines and points are drawn")] = False
    alpha: Annotated[
        Literal["as-material", "mask-only", "none"],
        described(
            "See-through",
            words={
                "as-material": "as the material says",
                "mask-only": "blended ones are cut out at one half",
                "none": "all is opaque",
            },
        ),
    ] = "as-material"
    mirrored: Annotated[
        Literal["turned", "as-stored"],
        described("Parts under a mirror", words={"turned": "their winding is turned back", "as-stored": "their winding stays"}),
    ] = "turned"
    draw_order: Annotated[
        Literal["by-part", "by-surface"],
        described(
            "Order of what is see-through", words={"by-part": "sorted part by part", "by-surface": "each surface in its place"}
        ),
    ] = "by-part"
    skinned_node: Annotated[
        Literal["ignored", "counts"],
        described("Node of a skinned part", words={"ignored": "counts for nothing", "counts": "moves it beside its joints"}),
    ] = "ignored"
    blended_shadow: Annotated[
        Literal["cast", "none", "as-wished"],
        described(
            "Shadow of blended materials",
            words={"cast": "always cast", "none": "never cast", "as-wished": "as it is wished there"},
        ),
    ] = "none"
    default_material: Annotated[
        Annotated[str, Meta(pattern=r"^#[0-9A-Fa-f]{6}$")], described("Colour without a material", unit="sRGB")
    ] = "#C4BDAF"


class RuleSheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a destination demands."""

    slug: Annotated[_Slug, described("Short name", "As the command line and files call it.")]
    name: Annotated[Annotated[str, Meta(min_length=1, max_length=80)], described("Name")]
    code: Annotated[Annotated[str, Meta(pattern=r"^[A-Z0-9]{2,3}$")], described("Code", "Two or three letters, for the stamp.")]
    version: Annotated[Count, described("Version")]
    about: Annotated[Annotated[str, Meta(max_length=400)], described("About")]
    basis: Annotated[_Text, described("Basis", "The published source of its values, or that it is common practice.")]
    unit: Annotated[Unit, described("Unit", "What one of its numbers is.", words=UNIT_WORDS)]
    up_axis: Annotated[Axis, described("Up axis", words=AXIS_WORDS)]
    format: Annotated[str, described("Format", "What it is best given.")]
    formats: Annotated[Annotated[list[str], Meta(min_length=1)], described("Formats", "All that it takes.")]
    node_scale: Annotated[
        Literal["one", "any"], described("Scale of nodes", words={"one": "must be 1", "any": "may be anything"})
    ]
    node_rotation: Annotated[
        Literal["zero", "no-quarter-turns", "any"],
        described(
            "Turn of nodes", words={"zero": "must be none", "no-quarter-turns": "no quarter turns", "any": "may be anything"}
        ),
    ]
    ground: Annotated[Literal["stand", "any"], described("Ground", words={"stand": "the model stands on it", "any": "anywhere"})]
    size_tolerance: Annotated[
        Annotated[float, Meta(gt=0, le=1)], described("Size may be off by", "As a share of what the intent expects.", "share")
    ]
    limits: Limits
    names: Names
    results: dict[Annotated[str, Meta(pattern=r"^[a-z-]+\.[a-z-]+$")], Result]
    shading: Annotated[
        Literal["core", "extended"],
        described("Shading", words={"core": "base colour, metal and roughness", "extended": "sheen, clearcoat and the like too"}),
    ] = "core"
    textures: Textures = Textures()
    motion: Motion = Motion()
    receiver: Receiver = Receiver()
    export: ExportOptions = ExportOptions()
    roles: dict[_Pattern, Role] = {}
    #: Keys of house checks, by the check's id: each says on its declaration which it reads.
    house: dict[Annotated[str, Meta(pattern=r"^[a-z-]+\.[a-z-]+$")], dict[str, Any]] = {}
    #: Where a value comes from, by its path in the sheet: a published source, or that it is common practice.
    sources: dict[_Pattern, _Text] = {}

    @property
    def unit_metres(self) -> float:
        return UNITS[self.unit]

    def meant(self, intent: Intent) -> Intent:
        """The intent, with what the sheet says of parts by patterns of their names where the intent says nothing of them itself."""
        named = {k: PartIntent(role=role) for k, role in self.roles.items() if k not in intent.parts}
        return msgspec.structs.replace(intent, parts={**intent.parts, **named}) if named else intent

    def keys_of(self, check: str, record: type[T]) -> T:
        """What the sheet says for a house check, by its id; the record's own defaults where it says nothing. Raises InputError."""
        data = msgspec.json.encode(self.house.get(check, {}))
        return read_record(msgspec.json.Decoder(record), data, f"The rule sheet {self.name}, house, {check}")

    @property
    def writes(self) -> ExportOptions:
        """How files are written for it: as `export` says, and in its own unit and axis where a format cannot state any."""
        return msgspec.structs.replace(self.export, unstated_unit=self.unit, unstated_axis=self.up_axis)


#: Made while this module is imported: threads must not work out the shape of a record at the same moment.
_DECODER = msgspec.json.Decoder(RuleSheet)


def sheet_from_json(data: bytes | str, label: str) -> RuleSheet:
    """Read a sheet. Raises InputError naming the place that is wrong."""
    sheet = read_record(_DECODER, data, label)
    if sheet.export.unstated_unit or sheet.export.unstated_axis:
        raise InputError(say("rules.unstated-unit", label=label))
    if sheet.names.materials:
        compiled(sheet.names.materials, label)
    if sheet.names.allowed:
        compiled(f"[{sheet.names.allowed}]*", label)
    return sheet


def sheet_schema() -> Json:
    """The JSON Schema of a sheet (draft 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **msgspec.json.schema(RuleSheet)}


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
        raise InputError(say("rules.no-such-sheet", name=name, slugs=slugs))
    try:
        return sheet_from_json(path.read_bytes(), f"The rule sheet {path.name}")
    except OSError as error:
        raise InputError(say("rules.sheet-unreadable", name=name, reason=error.strerror)) from error
