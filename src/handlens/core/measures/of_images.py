"""Figures of every image, and of what each material shows of one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..geometry.uv_area import UvAreas
from ..machine.blocks import each_block
from ..scene import Image, Scene
from .pictures import DARK, PictureFigures, header, picture, pixel_count, seen_before
from .records import ImageFigures, ShownFigures
from .shown import base_colour, shown

Progress = Callable[[str, float], None]
#: Images that are decoded between two words of progress, and pixels of all of them.
_AT_ONCE, _PIXELS = 32, 16 << 20


def image_figures(
    scene: Scene, progress: Progress, areas: UvAreas | None, known: Sequence[ImageFigures] = ()
) -> tuple[list[ImageFigures], dict[int, ShownFigures]]:
    """Figures of every image, and of what each material shows of one in which something is see-through or black.

    areas: those of UV sets, or None where pictures are not to be opened. known: figures of earlier measures, taken over where the
    bytes and what they are used as are the same. Small images are decoded side by side, large ones one at a time.
    """
    users, roles = _image_users(scene), _image_roles(scene)
    painted: dict[int, list[int]] = {}
    for number, material in enumerate(scene.materials):
        if (colour := base_colour(material)) is not None and colour.image is not None:
            painted.setdefault(colour.image, []).append(number)
    earlier = {(i.look.digest, tuple(i.roles)): i for i in known if i.look is not None}

    def one(k: int) -> tuple[ImageFigures, dict[int, ShownFigures]]:
        image = scene.images[k]
        told = header(image) if areas is None else seen_before(image, roles[k], earlier)
        if told is None or (areas is not None and _alpha_matters(told)):
            figures, pixels = picture(image, roles[k])
        else:
            figures, pixels = told, None
        made = ImageFigures(
            image.reference,
            image.status,
            image.found_at,
            *figures[:6],
            used_by=users[k],
            unreadable=figures.unreadable,
            look=figures.look,
            roles=roles[k],
        )
        if pixels is None or areas is None or not _alpha_matters(figures):
            return made, {}
        seen = {number: shown(scene, number, pixels, areas) for number in painted.get(k, ())}
        return made, {number: of for number, of in seen.items() if of is not None}

    out: list[ImageFigures] = []
    found: dict[int, ShownFigures] = {}
    for some in _side_by_side(scene.images):
        progress("opening images", 0.9 + 0.1 * some[0] / len(scene.images))
        for made, of in each_block(len(some), lambda block, some=some: one(some[block.start]), 1):  # type: ignore[misc]
            out.append(made)
            found |= of
    return out, found


def _side_by_side(images: Sequence[Image]) -> list[list[int]]:
    """Images in their order, in groups of which none unpacks to more than may lie in memory at once."""
    groups: list[list[int]] = []
    room = 0
    for k, image in enumerate(images):
        size = pixel_count(image)
        if not groups or size > room or len(groups[-1]) >= _AT_ONCE:
            groups.append([])
            room = _PIXELS
        groups[-1].append(k)
        room -= size
    return groups


def _alpha_matters(figures: PictureFigures) -> bool:
    """Whether it matters which of its pixels faces show: some are see-through, or black."""
    return figures.look is not None and (figures.look.alpha is not None or figures.look.dark > DARK)


def _image_roles(scene: Scene) -> list[list[str]]:
    roles: list[list[str]] = [[] for image in scene.images]
    for material in scene.materials:
        for texture in material.inputs:
            if texture.image is not None and texture.role not in roles[texture.image]:
                roles[texture.image].append(texture.role)
    return roles


def _image_users(scene: Scene) -> list[list[str]]:
    users: list[list[str]] = [[] for image in scene.images]
    for material in scene.materials:
        for image in dict.fromkeys(texture.image for texture in material.inputs if texture.image is not None):
            users[image].append(material.name)
    return users
