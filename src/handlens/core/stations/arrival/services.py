"""What web and jobs may call of Arrival: what a rename would change, which names and words of variants a model has, and which are used."""

from __future__ import annotations

from ...measures import Measures
from .measures import OWN
from .mends import changed_names, renamer
from .side_files import all_names, variant_words


def used_names(measures: Measures) -> set[str]:
    """Names of the model that files beside use, letter for letter."""
    own = OWN.of(measures)
    return set() if own is None else {use.text for use in own.uses if use.state == "exact"}


__all__ = ["all_names", "changed_names", "renamer", "used_names", "variant_words"]
