"""What makes a scene one that a format can hold: steps that each say in words what they take or change, before they do it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...rules.export import ExportOptions
from ...scene import Scene
from ..table import Format


@dataclass(frozen=True)
class Target:
    """Where a scene goes: the format, how its files are wanted, and their name without an ending.

    single: whether its numbers came as 32-bit floats, so that text only has to tell those apart. came_as: the format of the scene before.
    home: where it goes back into its package, the folder that it lies in there: images that lie in the package stay in their places.
    """

    format: Format
    options: ExportOptions
    stem: str = "model"
    single: bool = False
    came_as: str = ""
    home: str | None = None

    def lacks(self, feature: str) -> bool:
        return feature not in self.format.holds


@dataclass(frozen=True)
class ExportLoss:
    """One thing that differs afterwards, told beforehand. group, what: as in the proof's rows. text: one sentence."""

    group: str
    what: str
    text: str
    sent: str = ""
    read_back: str = ""


@dataclass(frozen=True)
class Step:
    """tell: what will differ, nothing where the step has nothing to do. apply: the scene afterwards; run only where `tell` told.

    always: run in any case, since the format says the same thing in another way (a tree that is flat already, colours as they are
    shown). heavy: works through arrays or pictures without changing what later steps tell, so that telling does without it.
    choice: whether the format could hold it and only our writer does not, so that it excuses nothing between two files that are
    compared as they are.
    """

    name: str
    tell: Callable[[Scene, Target], list[ExportLoss]]
    apply: Callable[[Scene, Target], Scene]
    always: bool = False
    heavy: bool = False
    choice: bool = False
