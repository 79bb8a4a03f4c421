"""How far the outline of a thing moves on screen when its surface is changed, over views from all round."""

from __future__ import annotations

import numpy as np

from ..geometry.rays import RayScene, sphere_directions
from ..words.arrays import F64, I64

#: Views, and how many pixels high the picture is that the thing fills.
VIEWS, PIXELS = 12, 256


def outline_change(before: tuple[F64, I64], after: tuple[F64, I64], views: int = VIEWS, pixels: int = PIXELS) -> float:
    """The farthest, in pixels, that a pixel which is covered in only one of two pictures lies from the outline of the other, over
    `views` directions; the thing's diagonal fills `pixels`. before, after: positions (V, 3) and triangles (T, 3) in one frame."""
    from scipy.ndimage import distance_transform_edt

    first = RayScene(*before)
    if first.empty:
        return 0.0
    low, high = before[0].min(axis=0), before[0].max(axis=0)
    # In the frame of the first: what is left is put beside the very same box, so that both are drawn alike.
    box = np.array([low, high])
    second = RayScene(np.concatenate([after[0], box]), after[1])
    worst = 0.0
    step = (np.arange(pixels) + 0.5) / pixels - 0.5
    for towards in sphere_directions(views):
        across = np.cross(towards, np.eye(3)[int(np.abs(towards).argmin())])
        across /= np.linalg.norm(across)
        up = np.cross(across, towards)
        plane = (step[:, None, None] * up + step[None, :, None] * across).reshape(-1, 3) * 1.05
        middle = (low + high) / 2
        masks = []
        for scene in (first, second):
            origin = scene.to_unit(middle) + plane * (first.size / scene.size) - 2.0 * towards
            masks.append(scene.blocked(origin, np.broadcast_to(towards, origin.shape)).reshape(pixels, pixels))
        differ = masks[0] ^ masks[1]
        if differ.any():
            for mask in masks:
                # Distance to the nearest pixel of the other kind, whichever side one is on.
                far = (
                    np.maximum(distance_transform_edt(mask), distance_transform_edt(~mask))
                    if mask.any()
                    else np.full(mask.shape, pixels)
                )
                worst = max(worst, float(far[differ].max()))
    return worst
