"""What Handoff measures for itself."""

from __future__ import annotations

import msgspec


class PackageFile(msgspec.Struct, frozen=True):
    """A file that goes with the model. bytes: None where its size is not known."""

    path: str
    role: str
    bytes: int | None


class HandoffMeasures(msgspec.Struct, frozen=True):
    """files: of the model and of what comes with it, the model first. main: path of the model. pictures: paths of pictures beside it that it
    does not use."""

    files: list[PackageFile]
    main: str = ""
    pictures: list[str] = []

    @property
    def bytes(self) -> int:
        """Size of all files together, those whose size is known."""
        return sum(file.bytes or 0 for file in self.files)
