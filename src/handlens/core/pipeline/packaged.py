"""A package that goes back out as the same package: what no mend touched stays byte for byte, and a manifest says what is what."""

from __future__ import annotations

import hashlib
import io
import json
import posixpath
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from pathlib import PurePosixPath

from .. import formats
from ..formats.files import role_of
from ..formats.table import WRITERS
from ..limits import InputError
from ..packages import Package
from ..packages.containers import clean_path
from ..rules import Intent
from ..rules.export import PLAIN, ExportOptions
from ..scene import Image, Scene
from ..words.json_tree import Json
from .messages import say
from .writing import Written, changed_files, write_as

MANIFEST = "handlens-manifest.json"


@dataclass(frozen=True)
class Packaged:
    """files: of the whole package, the model first, the manifest last. changed: what is new or another than it was, the model first.
    left_out: what only the model as it came needed, such as its library, where it goes out in another format."""

    main: str
    files: dict[str, bytes]
    changed: tuple[str, ...]
    left_out: tuple[str, ...] = ()


def packaged(
    package: Package, main: str, before: Scene, after: Scene, because: Sequence[str], options: ExportOptions = PLAIN
) -> Packaged:
    """The package with a mended model in it. Raises InputError where a file would lie outside of it.

    main: path of the model in the package. before, after: the model as it came and as it is now. because: ids of the mends that were
    applied.
    """
    home = posixpath.dirname(main)
    format_name = after.format if after.format in WRITERS else {"usdc": "usda"}.get(after.format, "obj")
    path = main if format_name == after.format else posixpath.join(home, f"{PurePosixPath(main).stem}.{format_name}")
    if (images := images_alone(before, after)) is not None:
        new = images
    else:
        written = formats.write(after, format_name, PurePosixPath(main).stem, options, home)
        new = {path if k == 0 else _inside(home, name): data for k, (name, data) in enumerate(written.items())}
    return _together(package, main, path, new | changed_files(after), _own(before, after, main), because)


def packaged_as(
    package: Package,
    main: str,
    scene: Scene,
    format_name: str,
    options: ExportOptions = PLAIN,
    intent: Intent | None = None,
    because: Sequence[str] = ("export",),
) -> tuple[Packaged, Written]:
    """The package with its model in another format, and what was written of that. Raises InputError as `packaged` does.

    main: path of the model in the package. scene: the model. options, intent: as `write_as` has them.
    because: ids of the mends that were applied.
    """
    home = posixpath.dirname(main)
    stem = PurePosixPath(main).stem
    made = write_as(scene, format_name, stem, options, intent, home)
    new = {_inside(home, name): data for name, data in made.files.items()}
    return _together(package, main, next(iter(new)), new, _own(scene, scene, main), because), made


def _own(before: Scene, after: Scene, main: str) -> set[str | None]:
    """Paths of files that are the model's, which it may write over."""
    images = (i.found_at for i in (*before.images, *after.images))
    return {main, *(name for name, _ in before.files), *images, *(n.path for n in after.beside if n.changed)}


def _together(
    package: Package, main: str, path: str, new: Mapping[str, bytes], own: set[str | None], because: Sequence[str]
) -> Packaged:
    """The package with new files in it and a manifest. path: of the model now. own: paths that may be written over."""
    was = {name: package.read(name) for name in package.names() if name != MANIFEST}
    taken = {name.casefold(): name for name in was if name not in own}
    now = dict(was)
    for place, data in new.items():
        other = taken.get(place.casefold())
        if other is not None and was[other] != data:
            raise InputError(say("pipeline.written-anew", other=other, main=main))
        now[_inside("", place)] = data
    left: list[str] = []
    if path != main:
        # What held geometry or materials for the model as it came holds nothing for what took its place.
        left = [
            name for name in was if name in own and name not in new and role_of(name) in ("model", "material-library", "buffer")
        ]
        for name in left:
            del now[name]
    changed = sorted(name for name, data in now.items() if was.get(name) != data)
    entries = [_entry(name, now[name], was.get(main if name == path else name), because) for name in sorted(now)]
    manifest = json.dumps({"schema": 1, "files": entries}, indent=2, ensure_ascii=False).encode() + b"\n"
    first = {path: now.pop(path)}
    return Packaged(
        path,
        first | dict(sorted(now.items())) | {MANIFEST: manifest},
        tuple(sorted(changed, key=lambda n: (n != path, n))),
        tuple(name for name in left if name != main),
    )


def _entry(name: str, data: bytes, was: bytes | None, because: Sequence[str]) -> Json:
    return {
        "path": name,
        "sha256": hashlib.sha256(data).hexdigest(),
        "bytes": len(data),
        "was": None if was is None else hashlib.sha256(was).hexdigest(),
        "because": [] if was == data else list(dict.fromkeys(because)),
    }


def _inside(home: str, name: str) -> str:
    """A path from the model's folder as one of the package. Raises InputError where it leads out of it."""
    path = posixpath.normpath(posixpath.join(home, name))
    if path.startswith("../"):
        raise InputError(say("pipeline.outside-package", name=name))
    return clean_path(path)


def images_alone(before: Scene, after: Scene) -> dict[str, bytes] | None:
    """Pictures that hold something else than before, by their paths, where nothing else of a model changed; None where something did."""
    for field in fields(Scene):
        if field.name not in ("images", "beside", "former") and not _same(
            getattr(before, field.name), getattr(after, field.name)
        ):
            return None
    if len(before.images) != len(after.images):
        return None
    out: dict[str, bytes] = {}
    for a, b in zip(before.images, after.images, strict=True):
        if a is b:
            continue
        if b.found_at is None or b.status != "found" or _called(a) != _called(b) or b.load is None:
            return None
        out[b.found_at] = b.load()
    return out


def _called(image: Image) -> tuple[str | None, ...]:
    return image.name, image.reference, image.status, image.found_at, image.keep


def _same(a: object, b: object) -> bool:
    if isinstance(a, tuple) and isinstance(b, tuple):
        return len(a) == len(b) and all(x is y or x == y for x, y in zip(a, b, strict=True))
    return a is b or a == b


def as_zip(files: Mapping[str, bytes]) -> bytes:
    """Files as a zip: the same ones give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            entry = zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0))
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, data, zipfile.ZIP_DEFLATED)
    return out.getvalue()
