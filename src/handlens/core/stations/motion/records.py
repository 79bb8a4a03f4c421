"""What Motion measures, as plain records. Lengths in file units in the world, times in seconds."""

from __future__ import annotations

import msgspec


class ChannelFigures(msgspec.Struct, frozen=True):
    """A channel. role: joint, part (a node that shows or carries something), stray (one that does neither) or nothing.

    not_finite, backward, equal, off_unit, flips: keys with that fault. worst_length: of a quaternion, farthest from 1. constant: all keys
    are alike; at_rest: as the node stands in the file. needs: keys that stay when all that move nothing by 0.5 mm go; looked: of how many keys that was
    found out, 0 where the channel was passed over for one like it.
    """

    node: int | None
    path: str
    role: str
    keys: int
    start: float
    end: float
    interpolation: str = "LINEAR"
    not_finite: int = 0
    backward: int = 0
    equal: int = 0
    off_unit: int = 0
    worst_length: float = 1.0
    flips: int = 0
    longest_gap: float = 0.0
    usual_gap: float = 0.0
    constant: bool = False
    at_rest: bool = False
    needs: int = 0
    looked: int = 0


class LoopFigures(msgspec.Struct, frozen=True):
    """From the first moment to the last. root: the topmost node that is driven; travels: the way that it goes in all, drift: from its
    first place to its last, level; seam: the farthest that any joint is off between both once that drift is taken away; seam_degrees.
    """

    root: int
    travels: float
    drift: float
    seam: float
    seam_degrees: float
    seam_node: int
    size: float
    moments: int


class SlideFigures(msgspec.Struct, frozen=True):
    """A joint that is lowest and moves while it bears. way: how far, level, at its longest stand; begins, ends: when."""

    node: int
    way: float
    begins: float
    ends: float


class ClipOfModel(msgspec.Struct, frozen=True):
    """A clip. held: every channel keeps one value, so that it only holds a pose; moved: how far that pose is from the file's own, at
    most, in the world. same: a clip before it that is alike in every key. watched: whether it was looked at from beginning to end.
    """

    name: str
    channels: list[ChannelFigures]
    keys: int
    start: float
    seconds: float
    held: bool = False
    moved: float = 0.0
    same: int | None = None
    loop: LoopFigures | None = None
    slides: list[SlideFigures] = []
    watched: bool = True

    @property
    def looked(self) -> int:
        """Keys that were looked at for whether they are needed."""
        return sum(channel.looked for channel in self.channels)

    @property
    def needs(self) -> int:
        """Keys that hold the clip within 0.5 mm, by those that were looked at."""
        seen = [channel for channel in self.channels if channel.looked]
        had = sum(c.keys for c in seen)
        return round(self.keys * sum(c.needs for c in seen) / had) if had else self.keys


class MotionMeasures(msgspec.Struct, frozen=True):
    clips: list[ClipOfModel]
