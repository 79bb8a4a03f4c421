"""What mends change to look at: a model before and after them from twelve sides, pixel by pixel."""

from __future__ import annotations

import io

import numpy as np

from ...declare.promises import paired_parts
from ...display import display_copy
from ...display.soup import Soup, paints_of, soup_of
from ...display.views import SIDE, TOWARDS, Frame, views
from ...geometry.fit import Similarity, fit_similarity
from ...machine.sections import Opened
from ...reduction.price import Surface, distances
from ...scene import Scene
from ...scene.axes import to_y_up
from ...scene.headings import heading
from ...scene.sampled import fewer_vertices
from ...scene.skinning import posed
from ...scene.transforms import world_matrices
from ...words.arrays import F64, Array, Bool
from .records import Looks, Seen

#: Levels of 255 by which a pixel must differ to be seen to; and triangles from which on nothing is drawn to be compared.
_SEEN, _MOST = 16, 2_000_000
#: How far a fitted similarity may be off, as a share of the model, to be the same model moved, turned or scaled.
_SAME = 0.02
_VERTICES = 2_000
_INK = np.array([0xA8, 0x6A, 0x12]) / 255


def compare_looks(before: Scene, after: Scene) -> tuple[Looks, bytes] | None:
    """What is seen to differ, and a WebP of the side where most does: before, after, and where. None where there is nothing to draw, or
    more than is worth drawing. Parts that are only there before count as what they hid and showed, not as part of the frame."""
    if max(sum(s.meshes[n.mesh].triangle_count for n in s.nodes if n.mesh is not None) for s in (before, after)) > _MOST:
        return None
    opened = [Opened(display_copy(s)) for s in (before, after)]
    soups = [soup_of(o) for o in opened]
    if soups[0] is None or soups[1] is None:
        return None
    common = paired_parts(before, after)
    first, second = _aligned(soups[0], soups[1], _fitted(before, after, common, opened))
    kept = [
        [k for k, part in enumerate(o.header["parts"]) if part["node"] in {p[side] for p in common}]
        for side, o in enumerate(opened)
    ]
    box = _used(second, kept[1] or None)
    frame = Frame((box[0] + box[1]) / 2, max(float(np.linalg.norm(box[1] - box[0])) / 2, 1e-9))
    pictures = [views(soup, paints_of(o), frame) for soup, o in zip((first, second), opened, strict=True)]
    masks = [_differs(a, b) for a, b in zip(*pictures, strict=True)]
    counts = [int(mask.sum()) for mask in masks]
    sides = [
        Seen(toward.tolist(), heading(toward.tolist(), "Y"), n, _box(mask))
        for toward, n, mask in zip(TOWARDS, counts, masks, strict=True)
    ]
    most = int(np.argmax(counts))
    far = None
    if kept[0] and kept[1]:
        was, now = (Surface(s.points, s.corners[np.isin(s.part, k)]) for s, k in zip((first, second), kept, strict=True))
        far = distances(was, now)[0] if all(np.isfinite(s.points).all() for s in (first, second)) else None
    return Looks(sum(counts) / len(counts), counts[most], SIDE * SIDE, sides, far), _strip(pictures, masks, most)


def _fitted(before: Scene, after: Scene, common: list[tuple[int, int]], opened: list[Opened]) -> Similarity | None:
    """What moved, turned or scaled the whole, in the metres of the display copies; None where nothing did, or not all alike."""
    few = [fewer_vertices(s, _VERTICES) for s in (before, after)]
    worlds = [world_matrices(s) for s in few]
    places = [[posed(few[k], pair[k], worlds[k]) for pair in common] for k in (0, 1)]
    alike = [k for k, (a, b) in enumerate(zip(*places, strict=True)) if len(a) == len(b)]
    if not alike:
        return None
    a, b = (
        np.concatenate([places[k][j] for j in alike]) @ to_y_up(s.up_axis or "Y").T * (s.unit_metres or 1.0)
        - np.array(opened[k].header["origin"])
        for k, s in enumerate((before, after))
    )
    use = np.isfinite(a).all(axis=1) & np.isfinite(b).all(axis=1)
    if use.sum() < 4:
        return None
    fit = fit_similarity(a[use], b[use])
    off = np.inf if fit is None else float(np.abs(fit.moved(a[use]) - b[use]).max())
    return fit if off <= _SAME * float(np.ptp(b[use], axis=0).max()) else None


def _aligned(first: Soup, second: Soup, fit: Similarity | None) -> tuple[Soup, Soup]:
    """Both in one frame: the first where the second stands."""
    if fit is None:
        return first, second
    return first._replace(points=fit.moved(first.points), normals=first.normals @ fit.turn.T), second


def _used(soup: Soup, parts: list[int] | None) -> tuple[F64, F64]:
    """The box of some parts, of all where none is named."""
    corners = soup.corners if parts is None else soup.corners[np.isin(soup.part, parts)]
    points = soup.points[np.unique(corners if len(corners) else soup.corners)]
    points = points[np.isfinite(points).all(axis=1)]
    return (points.min(axis=0), points.max(axis=0)) if len(points) else (np.zeros(3), np.ones(3))


def _differs(a: F64, b: F64) -> Bool:
    """(h, w) bool: pixels that are like none of the nine about the same place in the other picture, either way: an edge that lies less than
    a pixel off is the same edge."""
    out = np.zeros(a.shape[:2], bool)
    for one, other in ((a, b), (b, a)):
        least = np.full(one.shape[:2], np.inf)
        padded = np.pad(other, ((1, 1), (1, 1), (0, 0)), mode="edge")
        for dy in range(3):
            for dx in range(3):
                shifted = padded[dy : dy + one.shape[0], dx : dx + one.shape[1]]
                np.minimum(least, np.abs(one - shifted).max(axis=2), out=least)
        out |= least * 255 > _SEEN
    return out


def _box(mask: Bool) -> list[float] | None:
    """The box of the largest heap of marked pixels that hang together."""
    from scipy.ndimage import find_objects, label

    marked, count = label(mask, np.ones((3, 3)))
    if not count:
        return None
    most = int(np.argmax(np.bincount(marked.ravel())[1:]))
    rows, columns = find_objects(marked)[most]
    height, width = mask.shape
    return [columns.start / width, rows.start / height, columns.stop / width, rows.stop / height]


def _strip(pictures: list[Array], masks: list[Bool], side: int) -> bytes:
    from PIL import Image

    before, after = pictures[0][side], pictures[1][side]
    marked = np.where(masks[side][..., None], _INK, 0.6 * after + 0.4)
    out = io.BytesIO()
    strip = np.concatenate([before, after, marked], axis=1)
    image = Image.fromarray(np.rint(255 * np.clip(strip, 0, 1)).astype(np.uint8))
    image.resize((image.width * 2, image.height * 2), Image.Resampling.NEAREST).save(out, "WEBP", lossless=True)
    return out.getvalue()
