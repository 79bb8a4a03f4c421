"""Which format a file is by its content, whatever its ending says."""

from __future__ import annotations

import io
import re
import struct
import zipfile

from ..limits import InputError
from .messages import say
from .table import BY_NAME, READABLE, Format

#: First bytes of exchange files whose description is not published, in hexadecimal: binary, and the comment of the text kind.
_CLOSED = (bytes.fromhex("4b61796461726120"), bytes.fromhex("3b2046425820"))


def recognise(data: bytes, path: str = "") -> Format | None:
    """The format that the content calls for; None where it does not tell. Raises InputError for a known closed format."""
    if data.startswith(_CLOSED):
        raise InputError(say("formats.closed-format", path=path.rpartition("/")[2] or "The file", readable=READABLE))
    name = _by_magic(data) or _by_text(data)
    return BY_NAME[name] if name else None


def _by_magic(data: bytes) -> str | None:
    if data[:4] == b"glTF":
        return "glb"
    if data[:8] == b"PXR-USDC":
        return "usdc"
    if data[:5] == b"#usda":
        return "usda"
    if data[:4] == b"PK\x03\x04":
        return _by_entries(data)
    if re.match(rb"ply[ \t]*[\r\n]", data[:8]):
        return "ply"
    if re.match(rb"\s*(ST)?C?N?4?n?OFF\b", data[:64]):
        return "off"
    # A binary STL begins with anything, so its length is what tells.
    if len(data) >= 84 and len(data) == 84 + 50 * struct.unpack_from("<I", data, 80)[0]:
        return "stl"
    return None


def _by_text(data: bytes) -> str | None:
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head[:1] == b"{" and b'"asset"' in data[: 1 << 20] + data[-4096:]:
        return "gltf"
    if head[:1] == b"<" and re.search(rb"<(\w+:)?COLLADA\b", data[: 1 << 16]):
        return "dae"
    if re.match(rb"solid\b", head, re.I) and re.search(rb"^\s*(facet|endsolid)\b", head, re.I | re.M):
        return "stl"
    return None


def _by_entries(data: bytes) -> str | None:
    try:
        names = zipfile.ZipFile(io.BytesIO(data)).namelist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError):
        return None
    if any(n.lower() == "[content_types].xml" for n in names) and any(n.lower().endswith(".model") for n in names):
        return "3mf"
    return "usdz" if names and names[0].lower().endswith((".usda", ".usdc", ".usd")) else None
