"""Writing a scene as a destination wants it, and opening what was written afresh."""

from __future__ import annotations

from dataclasses import dataclass

from .. import formats
from ..formats.held import Held, hold
from ..packages import Package
from ..proof import Proof, prove_held
from ..rules.export import PLAIN, ExportOptions
from ..scene import Scene
from .beside import with_neighbours


@dataclass(frozen=True)
class Written:
    """files: {path: bytes}, the main file first. held: what was written into them, and what was said of the way there."""

    files: dict[str, bytes]
    held: Held
    sent_as: str

    @property
    def lost(self) -> list[str]:
        """One sentence for each thing that is lost or written otherwise."""
        return self.held.lost

    def read_back(self, package: Package, main: str) -> Scene:
        """The main file of a package that the files were put into, opened afresh. Raises InputError."""
        return with_neighbours(formats.read(package, main), package, main)

    def proof_of(self, again: Scene) -> Proof:
        """What was read back, compared with what was written."""
        return prove_held(self.held, again, self.sent_as)

    def proof(self, package: Package, main: str) -> Proof:
        """Open the files afresh and compare. Raises InputError."""
        return self.proof_of(self.read_back(package, main))


def write_as(scene: Scene, format_name: str, stem: str, options: ExportOptions = PLAIN) -> Written:
    """The files of a scene, with those beside it that mends wrote anew. Raises InputError for an unknown format or folder."""
    target = formats.target(scene, format_name, stem, options)
    held = hold(scene, target)
    files = formats.write_held(held, target)
    beside = {path: data for path, data in changed_files(scene).items() if path not in files}
    return Written(files | beside, held, scene.format)


def changed_files(scene: Scene) -> dict[str, bytes]:
    """Files beside the model that mends wrote anew, by their paths: they go out with it."""
    return {n.path: n.load() for n in scene.beside if n.changed}
