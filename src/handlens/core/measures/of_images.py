"""Figures of every image, and of what each material shows of one."""

from __future__ import annotations

from collections.abc import Callable

from ..geometry.uv_area import UvAreas
from ..scene import Scene
from .pictures import PictureFigures, header, picture, seen_before
from .records import ImageFigures, ShownFigures
from .shown import base_colour, shown

Progress = Callable[[str, float], None]


def image_figures(scene: Scene, progress: Progress, areas: UvAreas | None) -> tuple[list[ImageFigures], dict[int, ShownFigures]]:
    """Figures of every image, and of what each material shows of one in which something is see-through or black.

    areas: those of UV sets, or None where pictures are not to be opened. One image at a time is decoded, and let go before the next.
    """
    out: list[ImageFigures] = []
    found: dict[int, ShownFigures] = {}
    users, roles = _image_users(scene), _image_roles(scene)
    for k, image in enumerate(scene.images):
        progress("opening images", 0.9 + 0.1 * k / len(scene.images))
        told = seen_before(image, roles[k]) if areas is not None else header(image)
        if told is None or (areas is not None and _shows_through(told)):
            figures, pixels = picture(image, roles[k])
        else:
            figures, pixels = told, None
        out.append(
            ImageFigures(
                image.reference,
                image.status,
                image.found_at,
                *figures[:6],
                used_by=users[k],
                unreadable=figures.unreadable,
                look=figures.look,
                roles=roles[k],
            )
        )
        if pixels is None or areas is None or not _shows_through(figures):
            continue
        for number, material in enumerate(scene.materials):
            colour = base_colour(material)
            if colour is not None and colour.image == k and (seen := shown(scene, number, pixels, areas)) is not None:
                found[number] = seen
    return out, found


def _shows_through(figures: PictureFigures) -> bool:
    """Whether it matters which of its pixels faces show: some are see-through, or black."""
    return figures.look is not None and (figures.look.alpha is not None or figures.look.dark > 0.05)


def _image_roles(scene: Scene) -> list[list[str]]:
    roles: list[list[str]] = [[] for _ in scene.images]
    for material in scene.materials:
        for t in material.inputs:
            if t.image is not None and t.role not in roles[t.image]:
                roles[t.image].append(t.role)
    return roles


def _image_users(scene: Scene) -> list[list[str]]:
    users: list[list[str]] = [[] for _ in scene.images]
    for material in scene.materials:
        for image in dict.fromkeys(t.image for t in material.inputs if t.image is not None):
            users[image].append(material.name)
    return users
