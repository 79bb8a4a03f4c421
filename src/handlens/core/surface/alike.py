"""Whether two pictures look alike, however they were scaled, compressed or named. Source: Zauner 2010, "Implementation and Benchmarking of
Perceptual Image Hash Functions" (the hash by the discrete cosine transform), as the library has it."""

from __future__ import annotations

import io

from ..limits import MAX_IMAGE_PIXELS

#: Bits of a hash, and how many may differ in pictures that look alike: pictures of two things differ in about half of them.
BITS, ALIKE = 64, 10


def look_hash(data: bytes) -> int | None:
    """The perceptual hash of a picture, 64 bits; None where it cannot be read, or is of one colour, which looks like any other such.

    data: the bytes of its file.
    """
    import imagehash
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height > MAX_IMAGE_PIXELS:
                return None
            image.draft("L", (256, 256))
            # What is seen through shows what is behind it: on one ground two pictures with gaps are compared by what they show.
            flat = image.convert("RGBA")
            flat = Image.alpha_composite(Image.new("RGBA", flat.size, (255, 255, 255, 255)), flat).convert("L")
            low, high = flat.getextrema()
            if low == high:
                return None
            return int(str(imagehash.phash(flat)), 16)
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        return None


def hash_distance(one: int, other: int) -> int:
    """In how many bits two hashes differ."""
    return (one ^ other).bit_count()
