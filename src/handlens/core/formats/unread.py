"""Files of open standards, and of other kinds, that hold no model that is read here: what they are, and what to send instead."""

from __future__ import annotations

import re
from typing import NamedTuple


class Unread(NamedTuple):
    """pattern: what the first 4,096 bytes begin with, or hold. title: what the file is. instead: what to do, as the end of a sentence."""

    pattern: re.Pattern[bytes]
    title: str
    instead: str


_MESH = "export it again as glb or usdz, which keep materials, or as 3mf"
_TESSELLATE = "it holds surfaces and no mesh: tessellate it and save that as glb or 3mf"
_POINTS = "it holds points and no faces: make a mesh of them and save that as glb or ply"
_IMAGE = "drop it together with the model that uses it"

#: In the order in which they are asked. Signatures are those of the standards and registrations named.
_KINDS = (
    Unread(re.compile(rb"ISO-10303-21;.*FILE_SCHEMA\s*\(\s*\(\s*'IFC", re.S), "a building model (IFC, ISO 16739)", _TESSELLATE),
    Unread(re.compile(rb"\s*ISO-10303-21;"), "a STEP file (ISO 10303-21)", _TESSELLATE),
    # The 73rd letter of each record names its section (IGES 5.3, section 2.2.1).
    Unread(re.compile(rb"[^\r\n]{72}S {0,6}0*1[\r\n]"), "an IGES file", _TESSELLATE),
    Unread(re.compile(rb"#(VRML V[12]\.0|X3D V3)"), "a VRML or X3D file (ISO/IEC 14772, 19776)", _MESH),
    Unread(re.compile(rb"\s*(<\?xml.*?)?(<!DOCTYPE X3D|<X3D\b)", re.S), "an X3D file (ISO/IEC 19776)", _MESH),
    Unread(re.compile(rb"\s*(<\?xml.*?)?<(\w+:)?CityModel\b", re.S), "a city model (CityGML, OGC)", _MESH),
    Unread(re.compile(rb"\s*(<\?xml.*?)?<amf\b", re.S | re.I), "an AMF file (ISO/ASTM 52915)", _MESH),
    Unread(re.compile(rb"LASF"), "a point cloud (LAS, ASPRS)", _POINTS),
    Unread(re.compile(rb"ASTM-E57"), "a point cloud (ASTM E2807)", _POINTS),
    Unread(re.compile(rb"\x89PNG\r\n\x1a\n"), "an image (PNG)", _IMAGE),
    Unread(re.compile(rb"\xff\xd8\xff"), "an image (JPEG)", _IMAGE),
    Unread(re.compile(rb"RIFF....WEBP", re.S), "an image (WebP)", _IMAGE),
    Unread(re.compile(rb"\xabKTX [12]1\xbb|\xabKTX 20\xbb"), "an image (KTX)", _IMAGE),
    Unread(re.compile(rb"(II\*\x00|MM\x00\*)"), "an image (TIFF)", _IMAGE),
    Unread(re.compile(rb"\s*(<\?xml.*?)?<svg\b", re.S), "a drawing (SVG)", "trace it into faces and save those as glb"),
    Unread(re.compile(rb"%PDF-"), "a document (PDF, ISO 32000)", "ask for the model itself, as glb or 3mf"),
    Unread(
        re.compile(rb"(\x1f\x8b|BZh|7z\xbc\xaf\x27\x1c|Rar!|\xfd7zXZ)"),
        "an archive of a kind that is not opened",
        "send it as a zip",
    ),
)


def what_it_is(data: bytes) -> Unread | None:
    """The kind of a file that is not read, by its first bytes; None where it is none that is known."""
    head = data[:4096].removeprefix(b"\xef\xbb\xbf")
    return next((kind for kind in _KINDS if kind.pattern.match(head)), None)
