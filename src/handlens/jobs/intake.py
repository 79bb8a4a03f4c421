"""What was dropped, as models: zips unpacked, model files found, and for each the files that it may use. Done in a child."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..core import limits, packages
from ..core.formats.table import MODEL_ENDINGS
from ..core.limits import InputError
from ..core.pipeline.no_model import no_model
from ..core.stations.arrival.services import variant_words
from .telling import tell

#: Bytes up to which a variant of a model is kept beside it.
_VARIANT_BYTES = 32 * 1024**2


def intake(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Unpack zips, find the model files, and say which files make up each model. Each archive is a package of its own."""

    source = Path(request["folder"])
    package = packages.FolderPackage(source)
    names = package.names()
    archives = [n for n in names if n.lower().endswith(packages.ARCHIVES)]
    found = [("", {n: source / n for n in names if n not in archives})]
    found += [(name, _unpack(source / name, out / "unpacked" / str(k), name)) for k, name in enumerate(archives)]
    tell("looking for models", 0.8)
    models = [(archive, model) for archive, files in found for model in _models(archive, files)]
    if not models:
        listed = {n: file for _, files in found for n, file in files.items()}
        raise no_model({n: p.stat().st_size for n, p in listed.items()}, lambda n: listed[n].read_bytes())
    rows = sum(len(m["files"]) for _, m in models)
    if rows > limits.MAX_SHELF_FILES:
        raise InputError(
            f"These {len(models):,} models with what each may use would be {rows:,} files on the shelf, of which {limits.MAX_SHELF_FILES:,} at once "
            "are taken; send them folder by folder, each with its own textures."
        )
    # The one that stands for the drop where only one can: nearest the top, then the largest, whichever package it is in.
    models.sort(key=lambda m: m[1]["order"])
    twins = [m["main"].rpartition("/")[2] for _, m in models]
    for archive, main in models:
        if archive and twins.count(main["main"].rpartition("/")[2]) > 1:
            main["name"] = archive.rpartition("/")[2]
        main["archive"] = archive
        del main["order"]
    return {"models": [m for _, m in models]}


def _models(archive: str, files: dict[str, Path]) -> list[dict[str, Any]]:
    """The models of one package, each with the files that it may use."""
    models = [n for n in files if n.lower().endswith(MODEL_ENDINGS)]
    order = {n: (n.count("/"), -files[n].stat().st_size, n) for n in models}
    models.sort(key=lambda n: order[n])
    shared = [n for n in files if n not in models]
    # Of a few that came together each may use whatever came.
    theirs = _by_folder(models, shared) if len(models) >= limits.MANY_MODELS else dict.fromkeys(models, shared)
    return [
        {
            "main": model,
            "files": {n: str(files[n]) for n in [model, *theirs[model], *_variants(model, models, files)]},
            "order": order[model],
        }
        for model in models
    ]


def _by_folder(models: list[str], shared: list[str]) -> dict[str, list[str]]:
    """The files that each of many models may use: those of its own folder and of folders below that have no model, and those of folders
    without any model that lie beside the folders with models, as textures that all of them share."""
    folder = lambda name: name.rpartition("/")[0]
    own = {folder(model) for model in models}
    above = {at for place in own for at in _ups(place)}
    given: dict[str, list[str]] = {}
    for name in shared:
        given.setdefault(next(at for at in _ups(folder(name)) if at in above), []).append(name)
    # What lies at a folder with models is theirs alone; at one that only holds such folders it is for all below.
    return {
        model: [name for at in _ups(folder(model)) if at == folder(model) or at not in own for name in given.get(at, ())]
        for model in models
    }


def _ups(place: str) -> list[str]:
    """A folder and those above it, up to the outermost, which is called nothing."""
    steps = place.split("/") if place else []
    return ["/".join(steps[:k]) for k in range(len(steps), -1, -1)]


def _variants(main: str, models: list[str], files: dict[str, Path]) -> list[str]:
    """Other colourings and the like of one model, which its side files may mix up with it; only small ones, and a few."""

    near = [
        model
        for model in models
        if model != main and model.rpartition("/")[0] == main.rpartition("/")[0] and variant_words(main, [model])
    ]
    return [m for m in near if files[m].stat().st_size < _VARIANT_BYTES][:8]


def _unpack(archive: Path, folder: Path, name: str) -> dict[str, Path]:
    """The files of a zip by their paths in it."""

    package = packages.ZipPackage(archive)
    listed = package.names()
    files: dict[str, Path] = {}
    for k, path in enumerate(listed):
        tell(f"unpacking {name}", 0.7 * k / len(listed))
        place = folder / f"{k}.part"
        place.parent.mkdir(parents=True, exist_ok=True)
        with place.open("wb") as file:
            for piece in package.stream(path):
                file.write(piece)
        files[path] = place
    return files
