"""What the files of a package are to a model: models, images, libraries, files beside."""

from __future__ import annotations

from pathlib import PurePosixPath

from ..limits import InputError
from ..packages import IMAGE_ENDINGS, TEXT_ENDINGS, Package
from .messages import say
from .table import MODEL_ENDINGS


def model_files(package: Package) -> list[str]:
    """The package's model files, the likeliest main one first: nearest the top, then largest, then by name.

    Raises InputError where there is none, with a hint at what is there instead.
    """
    names = package.names()
    models = [n for n in names if n.lower().endswith(MODEL_ENDINGS)]
    if not models:
        inner = next((n for n in names if n.lower().endswith(".zip")), None)
        if inner:
            raise InputError(say("formats.zip-in-zip", inner=inner))
        if not names:
            raise InputError(say("formats.nothing-inside"))
        raise InputError(say("formats.no-model-among-files", count=len(names), names=", ".join(e[1:] for e in MODEL_ENDINGS)))
    return sorted(models, key=lambda n: (n.count("/"), -package.size(n), n))


def role_of(path: str, main: str | None = None) -> str:
    """What a file is to the model: model, image, material-library, buffer, side-file or other."""
    ending = PurePosixPath(path).suffix.lower()
    if path == main or ending in MODEL_ENDINGS:
        return "model"
    if ending in IMAGE_ENDINGS:
        return "image"
    if ending == ".mtl":
        return "material-library"
    if ending == ".bin":
        return "buffer"
    return "side-file" if ending in TEXT_ENDINGS else "other"
