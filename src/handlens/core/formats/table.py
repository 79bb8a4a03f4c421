"""Every format by name: what it is called, how its files end, who reads and writes it, what it holds."""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Format:
    """name: as in facts and on the command line. family: the folder of this package that reads and writes it. written: whether it can be written.

    single: positions are held as 32-bit floats. text: numbers are written as text. v_down: v of a UV counts downwards from
    the image's top. linear: colour values are linear light. fixed_axis, fixed_unit: the up axis, the unit is the format's own. embeds: whether a file
    can have images inside. holds: what a file can hold, in the words of FEATURES. short, says: its name and what one gets, for a list to choose from.
    """

    name: str
    title: str
    endings: tuple[str, ...]
    family: str
    single: bool = False
    v_down: bool = False
    linear: bool = False
    fixed_axis: bool = False
    fixed_unit: bool = False
    embeds: bool = False
    holds: frozenset[str] = frozenset()
    short: str = ""
    says: str = ""
    written: bool = True


#: What formats are told apart by: each is read, written and proved, or said to be lost.
FEATURES = (
    "unit",
    "up axis",
    "parts",
    "names",
    "node tree",
    "instances",
    "mixed instances",
    "hidden nodes",
    "custom properties",
    "unplaced meshes",
    "further scenes",
    "empty meshes",
    "polygons",
    "lines",
    "points",
    "spare positions",
    "gaps",
    "one UV set",
    "UV sets",
    "normals",
    "tangents",
    "vertex colours",
    "colour sets",
    "corner colours",
    "vertex alpha",
    "smoothing groups",
    "face groups",
    "materials",
    "undefined materials",
    "alpha modes",
    "double-sided",
    "sides of materials",
    "shine",
    "glow",
    "values out of range",
    "images",
    "missing images",
    "unused images",
    "empty inputs",
    "see-through images",
    "tinted images",
    "texture transforms",
    "wrapping",
    "filters",
    "all strengths",
    "skins",
    "idle skins",
    "skeleton roots",
    "morph targets",
    "clips",
    "further clips",
    "channels",
    "still channels",
    "cameras",
    "all of cameras",
    "lights",
    "ambient lights",
    "all of lights",
)
_GLTF = frozenset(FEATURES) - {
    "polygons",
    "spare positions",
    "smoothing groups",
    "face groups",
    "ambient lights",
    "empty meshes",
    "values out of range",
}
_OBJ = frozenset(
    {
        "parts",
        "names",
        "polygons",
        "lines",
        "points",
        "spare positions",
        "gaps",
        "one UV set",
        "normals",
        "vertex colours",
        "smoothing groups",
        "face groups",
        "materials",
        "undefined materials",
        "shine",
        "glow",
        "values out of range",
        "images",
        "missing images",
        "see-through images",
        "tinted images",
        "empty meshes",
    }
)
_PLY = frozenset(
    {"polygons", "lines", "one UV set", "normals", "vertex colours", "corner colours", "spare positions", "empty meshes"}
)
_3MF = frozenset(
    {
        "unit",
        "up axis",
        "parts",
        "names",
        "gaps",
        "spare positions",
        "one UV set",
        "materials",
        "images",
        "wrapping",
        "empty meshes",
    }
)
_DAE = frozenset(
    {
        "unit",
        "up axis",
        "parts",
        "names",
        "node tree",
        "instances",
        "mixed instances",
        "polygons",
        "lines",
        "spare positions",
        "gaps",
        "one UV set",
        "UV sets",
        "normals",
        "vertex colours",
        "colour sets",
        "corner colours",
        "vertex alpha",
        "materials",
        "undefined materials",
        "glow",
        "values out of range",
        "images",
        "missing images",
        "unused images",
        "see-through images",
        "wrapping",
        "skins",
        "clips",
        "further clips",
        "still channels",
        "cameras",
        "lights",
        "ambient lights",
        "empty meshes",
    }
)
_USD = frozenset(
    {
        "unit",
        "up axis",
        "parts",
        "names",
        "node tree",
        "instances",
        "hidden nodes",
        "polygons",
        "lines",
        "points",
        "spare positions",
        "one UV set",
        "UV sets",
        "normals",
        "vertex colours",
        "corner colours",
        "materials",
        "alpha modes",
        "double-sided",
        "shine",
        "glow",
        "values out of range",
        "images",
        "missing images",
        "see-through images",
        "tinted images",
        "texture transforms",
        "wrapping",
        "skins",
        "clips",
        "cameras",
        "lights",
        "ambient lights",
        "empty meshes",
    }
)

_GLB = Format(
    "glb",
    "glTF 2.0 binary",
    (".glb",),
    "gltf",
    single=True,
    v_down=True,
    linear=True,
    fixed_axis=True,
    fixed_unit=True,
    holds=_GLTF,
    embeds=True,
    short="GLB",
    says="one file with everything inside",
)
FORMATS = (
    _GLB,
    replace(
        _GLB, name="gltf", title="glTF 2.0", endings=(".gltf",), short="glTF", says="text, with its buffer and images beside"
    ),
    Format("obj", "Wavefront OBJ", (".obj",), "obj", holds=_OBJ, short="OBJ", says="with its material library and images beside"),
    Format(
        "usdz",
        "USD package",
        (".usdz",),
        "usd",
        single=True,
        linear=True,
        holds=_USD - {"missing images"},
        embeds=True,
        short="USDZ",
        says="one package with its images inside",
    ),
    Format(
        "usda", "USD text", (".usda",), "usd", single=True, linear=True, holds=_USD, short="USDA", says="text, with images beside"
    ),
    Format("usdc", "USD binary", (".usdc", ".usd"), "usd", single=True, linear=True, holds=_USD, short="USDC", written=False),
    Format("dae", "COLLADA", (".dae",), "collada", holds=_DAE, short="COLLADA", says="text, with images beside"),
    Format(
        "3mf",
        "3MF",
        (".3mf",),
        "threemf",
        fixed_axis=True,
        holds=_3MF,
        embeds=True,
        short="3MF",
        says="one package of triangles with a unit",
    ),
    Format("ply", "Polygon file (PLY)", (".ply",), "ply", holds=_PLY, short="PLY", says="one mesh with its polygons and colours"),
    Format(
        "stl",
        "STL",
        (".stl",),
        "stl",
        single=True,
        holds=frozenset({"empty meshes"}),
        short="STL",
        says="the bare triangles of all parts",
    ),
    Format(
        "off",
        "Object file format (OFF)",
        (".off",),
        "off",
        holds=frozenset({"polygons", "vertex colours"}),
        short="OFF",
        written=False,
    ),
)
BY_NAME = {format_.name: format_ for format_ in FORMATS}
BY_ENDING = {ending: format_ for format_ in FORMATS for ending in format_.endings}
READABLE = ", ".join(dict.fromkeys(format_.name for format_ in FORMATS))
WRITERS = {format_.name: format_ for format_ in FORMATS if format_.written}
WRITABLE = ", ".join(WRITERS)
MODEL_ENDINGS = tuple(BY_ENDING)
