"""Image references shared by the readers: one Image a reference, looked up in the package, opened lazily."""

from __future__ import annotations

from ..packages import Package
from ..scene import Image

MEDIA_BY_MAGIC = (
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"RIFF", "image/webp"),
    (b"\xabKTX 20", "image/ktx2"),
    (b"DDS ", "image/vnd-ms.dds"),
    (b"BM", "image/bmp"),
    (b"GIF8", "image/gif"),
    (b"II*\x00", "image/tiff"),
    (b"MM\x00*", "image/tiff"),
)

#: Kinds that a glTF texture names through an extension.
BY_EXTENSION = {"image/webp": "EXT_texture_webp", "image/ktx2": "KHR_texture_basisu"}
ENDING_BY_MEDIA = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp", "image/ktx2": ".ktx2"}


def media_type(data: bytes) -> str | None:
    """Media type by the first bytes, None where they do not tell."""
    return next((kind for magic, kind in MEDIA_BY_MAGIC if data.startswith(magic)), None)


def referenced(package: Package, reference: str, beside: str, number: int, name: str = "") -> Image:
    """The image a file refers to by path."""
    found = package.find(reference, beside)
    at = found.path
    return Image(
        id=f"image:{number}",
        name=name or reference.replace("\\", "/").rpartition("/")[2],
        reference=reference,
        status=found.status,
        found_at=at,
        load=None if at is None else lambda: package.read(at),
    )
