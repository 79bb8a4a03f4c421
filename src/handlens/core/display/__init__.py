"""The display copy: what the stage draws. Nothing is ever measured from it."""

from .copy import VERSION, display_copy
from .light import REDUCED_OVER, coarse, reduced_copy
from .marked import marked
from .pulled import pulled
from .shading import shading_normals

__all__ = ["REDUCED_OVER", "VERSION", "coarse", "display_copy", "marked", "pulled", "reduced_copy", "shading_normals"]
