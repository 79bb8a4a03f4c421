"""What an image's alpha is like: opaque, cut out, or fading, and by which threshold a cut-out is best cut."""

from __future__ import annotations

import numpy as np

from ..words.arrays import I64, U8, Bool
from .records import AlphaFigures

#: Alpha up to which a pixel counts as gone, and from which it counts as solid, of 255.
GONE, SOLID = 25, 230
#: Share of pixels under which what is see-through is taken for stray.
STRAY = 0.001
#: Of the pixels that are not solid, the share that may fade away from any rim before it counts as a gradient.
_FADING = 0.15
#: Outermost pixels of a picture in which alpha says nothing.
_RIM = 2
#: Pixels on either side of a rim over which a smoothed cut-out may fade.
_REACH = 2


def alpha_figures(pixels: U8) -> AlphaFigures:
    """Look at the alpha of (H, W, 4) uint8 pixels, every one of them.

    A pixel between gone and solid belongs to a rim where both a gone and a solid one lie within two pixels of it; elsewhere it
    fades. Few colours drawn pixel by pixel, smoothed rims and hand-drawn holes are told from gradients by this.

    pixels: (H, W, 4) uint8.
    """
    alpha = np.ascontiguousarray(pixels[:, :, 3])
    counts = np.bincount(alpha.ravel(), minlength=256)
    total = max(alpha.size, 1)
    some_between = int(counts[GONE + 1 : SOLID].sum())
    gone, solid = int(counts[: GONE + 1].sum()), int(counts[SOLID:].sum())
    fading = 0
    if some_between:
        between = (alpha > GONE) & (alpha < SOLID)
        near = _spread(alpha <= GONE) & _spread(alpha >= SOLID)
        fading = int(np.count_nonzero(between & ~near))
    # A touch of see-through everywhere, in a few pixels only, or in the outermost ones that resizing mixes with nothing, is not
    # meant.
    faint = int(counts[:250].sum())
    inner = alpha[_RIM:-_RIM, _RIM:-_RIM]
    if inner.size and int(np.count_nonzero(inner < 250)) <= STRAY * total:
        faint = min(faint, int(STRAY * total))
    mode = "opaque" if faint <= STRAY * total else "blend" if fading > _FADING * max(total - solid, 1) else "mask"
    return AlphaFigures(
        mode=mode,
        cutoff=_cutoff(counts) if mode == "mask" else None,
        see=float(counts[:255].sum() / total),
        gone=gone / total,
        solid=solid / total,
        fading=fading / total,
        stray=faint if mode == "opaque" else 0,
        lowest=int(np.flatnonzero(counts)[0]) if alpha.size else 255,
        premultiplied=some_between >= 32 and _premultiplied(pixels),
        histogram=[int(x) for x in counts.reshape(32, 8).sum(axis=1)],
    )


def _spread(mask: Bool) -> Bool:
    """The mask grown by two pixels each way, a square at a time."""
    for axis in (0, 1):
        out = mask.copy()
        for step in range(1, _REACH + 1):
            ahead, behind = [slice(None)] * 2, [slice(None)] * 2
            ahead[axis], behind[axis] = slice(step, None), slice(None, -step)
            out[tuple(ahead)] |= mask[tuple(behind)]
            out[tuple(behind)] |= mask[tuple(ahead)]
        mask = out
    return mask


def _cutoff(counts: I64) -> float:
    """One half where next to nothing lies about it, as the standard's own default; else the threshold of Otsu 1979."""
    total = counts.sum()
    if counts[96:160].sum() <= 0.02 * total:
        return 0.5
    level = np.arange(256)
    below = np.cumsum(counts)
    weight = below * (total - below)
    mean = np.cumsum(counts * level)
    gap = np.divide(mean, below, out=np.zeros(256), where=below > 0) - np.divide(
        mean[-1] - mean, total - below, out=np.zeros(256), where=below < total
    )
    between = weight * gap**2
    best = np.flatnonzero(between >= between.max() * (1 - 1e-12))
    return float(np.clip(round((best.mean() + 0.5) / 255, 2), 0.05, 0.95))


def _premultiplied(pixels: U8) -> bool:
    """Whether no colour is brighter than its alpha allows although some fade, as where colours were multiplied by alpha."""
    some = pixels[pixels[:, :, 3] < 255]
    brightest = some[:, :3].max(axis=1).astype(np.int16)
    within = brightest <= some[:, 3].astype(np.int16) + 2
    # A picture that is dark all over fits as well, and says nothing.
    return bool(within.mean() > 0.995 and pixels[pixels[:, :, 3] >= SOLID][:, :3].max(initial=0) > 128)
