"""Writing a scene as a destination wants it, and opening what was written afresh."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from .. import formats
from ..edit.without import without_parts
from ..formats.conform import ConformedScene, conform
from ..formats.conform.pictures import image_files
from ..formats.conform.steps import Target
from ..formats.table import BY_NAME, WRITERS
from ..limits import InputError, plural
from ..packages import Package
from ..proof import MOTION, Proof, prove_conformed
from ..proof.rows import STOP
from ..rules import Intent, RuleSheet
from ..rules.export import PLAIN, ExportOptions
from ..rules.sheet import UNITS
from ..scene import Scene
from ..scene.transforms import walk
from ..surface.names import as_file
from .beside import with_neighbours
from .messages import say
from .separate_files import separate_files, with_file_names


@dataclass(frozen=True)
class Written:
    """files: {path: bytes}, the main file first. held: what was written into them, and what was said of the way there. apart: clips,
    stand-ins and levels of detail in files of their own, each by the path of its main file.
    """

    files: dict[str, bytes]
    held: ConformedScene
    sent_as: str
    apart: tuple[tuple[str, Written], ...] = ()
    #: What was left behind since it is not of the thing, in a sentence.
    behind: tuple[str, ...] = ()

    @property
    def lost(self) -> list[str]:
        """One sentence for each thing that is lost or written otherwise."""
        return list(dict.fromkeys([*self.behind, *self.held.lost, *(x for _, w in self.apart for x in w.held.lost)]))

    def read_back(self, package: Package, main: str) -> Scene:
        """The main file of a package that the files were put into, opened afresh. Raises InputError."""
        return with_neighbours(formats.read(package, main), package, main)

    def proof(self, package: Package, main: str) -> Proof:
        """Open the files afresh and compare. Of clips in files of their own every row on motion is told, and what differs else.
        Raises InputError.
        """
        rows = list(prove_conformed(self.held, self.read_back(package, main), self.sent_as).rows)
        folder = main.rpartition("/")[0]
        for path, made in self.apart:
            own = made.proof(package, f"{folder}/{path}" if folder else path)
            rows += [replace(row, what=f"{path}: {row.what}") for row in own.rows if row.group == MOTION or row.result == STOP]
        return Proof(tuple(rows))


def write_as(
    scene: Scene,
    format_name: str,
    stem: str,
    options: ExportOptions = PLAIN,
    intent: Intent | None = None,
    home: str | None = None,
) -> Written:
    """The files of a scene, with those beside it that mends wrote anew. Raises InputError for an unknown format or folder.

    intent: parts that it calls aside are left behind, which is said; what it says one unit is holds where the file said nothing.
    home: that folder in the package that the scene came in, where it goes back there: images that lie in the package stay in their places.

    Where the destination wants a file for each clip and there are several, the model goes without clips, and each clip with a whole
    model beside it. Stand-ins and levels of detail are named as it wants them, and go into files of their own where it does.
    """
    intent = intent or Intent()
    scene, behind = without_aside(in_intended_unit(scene, intent), intent)
    scene, beside = separate_files(with_file_names(scene, options), options)
    apart: list[tuple[str, Written]] = []
    for suffix, own in beside:
        made = _written(own.with_(clips=()), format_name, f"{stem}{suffix}", options, home)
        apart.append((next(iter(made.files)), made))
    several = options.clip_files and len(scene.clips) > 1 and "clips" in BY_NAME[format_name].holds
    if several:
        names = _clip_stems(scene, stem)
        for name, clip in zip(names, scene.clips, strict=True):
            made = _written(scene.with_(clips=(clip,)), format_name, name, options, home)
            apart.append((next(iter(made.files)), made))
        scene = scene.with_(clips=())
    main = _written(scene, format_name, stem, options, home)
    files = dict(main.files)
    for _, made in apart:
        for path, data in made.files.items():
            files.setdefault(path, data)
    files |= {path: data for path, data in changed_beside(scene).items() if path not in files}
    return replace(main, files=files, apart=tuple(apart), behind=behind)


def in_intended_unit(scene: Scene, intent: Intent) -> Scene:
    """The scene in the unit that an intent says, where it states none itself: what was judged in it is written in it."""
    return scene.with_(unit_metres=UNITS[intent.unit]) if intent.unit is not None and scene.unit_metres is None else scene


def without_aside(scene: Scene, intent: Intent) -> tuple[Scene, tuple[str, ...]]:
    """The scene without the parts that an intent calls aside, and a sentence on what stays behind. Raises InputError where nothing is left."""
    if not any(part.role == "aside" for part in intent.parts.values()):
        return scene, ()
    parts = [i for i in walk(scene) if scene.nodes[i].mesh is not None]
    aside = [i for i in parts if intent.of_part(scene.part_name(i)).role == "aside"]
    if not aside:
        return scene, ()
    if len(aside) == len(parts):
        raise InputError(say("pipeline.all-aside"))
    return without_parts(scene, aside), behind([scene.part_name(i) for i in aside])


def behind(names: Sequence[str]) -> tuple[str, ...]:
    """A sentence on parts that stay behind, nothing where there is none."""
    if not names:
        return ()
    listed = ", ".join(names[:5]) + (" …" if len(names) > 5 else "")
    return (f"{plural(len(names), 'part stays', 'parts stay')} behind, said to be not of the thing: {listed}.",)


def _written(scene: Scene, format_name: str, stem: str, options: ExportOptions, home: str | None) -> Written:
    target = formats.target(scene, format_name, stem, options, home)
    held = conform(scene, target)
    return Written(formats.write_conformed(held, target) | _bare_images(scene, target), held, scene.format)


def _bare_images(scene: Scene, target: Target) -> dict[str, bytes]:
    """Images of a model whose library is not written, where they are wanted beside it all the same: nothing in the file names them."""
    if target.format.name != "obj" or target.options.material_library or target.options.images != "beside":
        return {}
    names = image_files(scene, target)
    return {names[k]: data for k, i in enumerate(scene.images) if (data := i.bytes()) is not None}


def _clip_stems(scene: Scene, stem: str) -> list[str]:
    """A file's stem for each clip: the model's with the clip's name, none twice on a system that knows no case."""
    out: list[str] = []
    used = {stem.casefold()}
    next_of: Counter[str] = Counter()
    for k, clip in enumerate(scene.clips):
        # A name from outside is no path: what parts folders there is a mark like any other here.
        plain = (clip.name or "").replace("/", "_").replace("\\", "_")
        name = base = as_file(f"{stem}_{plain or k}")
        while name.casefold() in used:
            next_of[base.casefold()] += 1
            name = f"{base}_{next_of[base.casefold()] + 1}"
        used.add(name.casefold())
        out.append(name)
    return out


def changed_files(scene: Scene) -> dict[str, bytes]:
    """Files beside the model that mends wrote anew, by their paths in the package: they go out with it."""
    return {n.path: n.load() for n in scene.beside if n.changed}


def changed_beside(scene: Scene) -> dict[str, bytes]:
    """As `changed_files`, by their paths from the model's own folder where they lie in it: the model is written without that folder."""
    home = scene.main.rpartition("/")[0]
    return {path.removeprefix(f"{home}/") if home else path: data for path, data in changed_files(scene).items()}


def format_for(name: str, sheet: RuleSheet) -> str:
    """The format in which a model goes to a destination: its own where that is taken there, else the first that is and can be written.

    name: of the format that it came in.
    """
    return next((each for each in (name, *sheet.formats) if each in WRITERS and each in sheet.formats), name)
