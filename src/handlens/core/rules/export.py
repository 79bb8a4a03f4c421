"""How a destination wants its files written. The rule sheet holds it; a call may say otherwise."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from .fields import described

Unit = Literal["m", "cm", "mm"]
Axis = Literal["Y", "Z"]
#: How units and axes read.
UNIT_WORDS = {"m": "metres", "cm": "centimetres", "mm": "millimetres"}
AXIS_WORDS = {"Y": "Y up", "Z": "Z up"}
_IMAGES = {
    "as-format": "where the format has them",
    "embedded": "inside the file",
    "beside": "beside the file",
    "none": "left out",
}
_Suffix = Annotated[str, Meta(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_.\-]+$")]
_PLACE = Meta(max_length=120, pattern=r"^(?!.*\.\.)[^\\:*?\"<>|]*$")
#: A name with what stands for something in braces.
_PATTERN = Meta(max_length=120, pattern=r"^([^{}\\/:*?\"<>|.]|\{(model|material|role|part)\})*$")

_LEVELS = {
    "nodes": "nodes beside their part",
    "files": "a file for each level",
    "extension": "named by the part, outside of the scene",
}


_ACCESSORIES = {"in": "in the model", "files": "a file for each, in the joint's frame"}


class ExportOptions(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How files are written.

    unstated_unit, unstated_axis: what numbers are in where the format cannot say it, which is how the destination will read them; no
    sheet's JSON has them, `RuleSheet.writes` does.
    """

    unit: Annotated[
        Unit | None, described("Unit", "What numbers are converted to, where the format leaves it open.", words=UNIT_WORDS)
    ] = None
    up_axis: Annotated[
        Axis | None, described("Up axis", "What the model is turned to, where the format leaves it open.", words=AXIS_WORDS)
    ] = None
    triangulate: Annotated[bool, described("Cut into triangles", "Polygons of more corners are cut before they are written.")] = (
        False
    )
    images: Annotated[
        Literal["as-format", "embedded", "beside", "none"],
        described("Images", "Where they go, where the format allows both.", words=_IMAGES),
    ] = "as-format"
    folder: Annotated[
        Annotated[str, _PLACE], described("Folder for images", "Below the model's own; {model} stands for the model's name.")
    ] = ""
    image_names: Annotated[
        Annotated[str, _PATTERN],
        described(
            "Names of images",
            "Of files beside, without their ending: {model}, {material}, {role} and {part} stand for the first that uses it. As they are called where empty.",
        ),
    ] = ""
    material_library: Annotated[bool, described("Material library", "Whether an OBJ brings its library.")] = True
    clip_files: Annotated[
        bool, described("A file for each clip", "Clips go into files of their own beside the model, where there are several.")
    ] = False
    stand_ins: Annotated[
        Literal["nodes", "file"],
        described("Stand-ins for collisions", words={"nodes": "nodes beside their part", "file": "a file of their own"}),
    ] = "nodes"
    stand_in_suffix: Annotated[_Suffix, described("Name of a stand-in ends in", "After the name of its part.")] = "_stand_in"
    levels: Annotated[
        Literal["nodes", "files", "extension"],
        described("Levels of detail", "The extension is glTF's alone; elsewhere they are nodes.", words=_LEVELS),
    ] = "nodes"
    level_suffix: Annotated[_Suffix, described("Name of a level ends in", "After the name of its part, before its number.")] = (
        "_level_"
    )
    accessories: Annotated[
        Literal["in", "files"],
        described(
            "Parts that hang on a joint", "As a hat or a tool does; a file of its own begins at the joint.", words=_ACCESSORIES
        ),
    ] = "in"
    unstated_unit: Unit | None = None
    unstated_axis: Axis | None = None


#: As the format has it by itself.
PLAIN = ExportOptions()
