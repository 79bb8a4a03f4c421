"""What web and jobs may call of Arrival: what a rename would change, and which names and words of variants a model has."""

from __future__ import annotations

from .mends import changed_names, renamer
from .side_files import all_names, variant_words

__all__ = ["all_names", "changed_names", "renamer", "variant_words"]
