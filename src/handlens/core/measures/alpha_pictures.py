"""Materials whose alpha has an input of its own: judged as they look once colour and alpha are one picture."""

from __future__ import annotations

from dataclasses import dataclass

from ..geometry.uv_area import UvAreas
from ..scene import Scene
from ..surface.decoded import eight_bits, opened
from ..surface.opacity import alpha_input, in_colour, mode_of
from .alpha import alpha_figures
from .records import AlphaFigures, ShownFigures
from .shown import base_colour, shown


@dataclass(frozen=True)
class AlphaApart:
    """drawn: opaque, mask or blend. figures, shown: None where a picture cannot be opened, or was not to be."""

    drawn: str
    figures: AlphaFigures | None = None
    shown: ShownFigures | None = None


def alpha_pictures(scene: Scene, areas: UvAreas | None) -> dict[int, AlphaApart]:
    """By material, for those with an input for alpha. areas: those of UV sets, or None where pictures are not to be opened."""
    about = [k for k, material in enumerate(scene.materials) if alpha_input(material) is not None]
    if areas is None or not about:
        return {k: AlphaApart(mode_of(scene.materials[k])) for k in about}
    painted, _ = in_colour(scene)
    out = {}
    for k in about:
        material = painted.materials[k]
        colour = base_colour(material)
        picture = None if colour is None or colour.image is None else opened(painted.images[colour.image])
        if picture is None:
            out[k] = AlphaApart(mode_of(material))
            continue
        pixels = eight_bits(picture)
        out[k] = AlphaApart(mode_of(material), alpha_figures(pixels), shown(painted, k, pixels, areas))
    return out
