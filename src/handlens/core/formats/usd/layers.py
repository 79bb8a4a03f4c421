"""The layers of a USD stage, found inside what was sent and nowhere else, before the library composes anything.

Every layer that the root leads to is opened by itself, and each asset path in it that would open another layer (sublayers,
references, payloads, value clips; OpenUSD documentation, "Asset Resolution" and the glossary's "Composition Arcs") is led to a
file of the folder or taken out. Paths of images stay as they are: nothing is opened by them.
"""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import unquote

from pxr import Sdf, UsdUtils

from ...limits import InputError
from .messages import say
from .tags import UNPACKED

#: Layers that one stage may be made of.
MOST_LAYERS = 2_000
_ARGUMENTS = ":SDF_FORMAT_ARGS:"
_CLIPS = "clips"


class Layers:
    """The layers of a folder that a root leads to, held while a stage is made of them.

    packages: for each unpacked package, by its path, the path of its first layer. outside, missing: paths as the file has them.
    """

    def __init__(self, root: Path, packages: dict[str, str], label: str) -> None:
        self.root, self.packages, self.label = root, packages, label
        self.endings = {e.lower() for e in Sdf.FileFormat.FindAllFileFormatExtensions()}
        self.held: dict[str, Sdf.Layer] = {}
        self.outside: dict[str, None] = {}
        self.missing: dict[str, None] = {}

    def open(self, first: str) -> Sdf.Layer | None:
        """The root layer with all that it leads to made safe; None where it is no layer. Raises InputError."""
        waiting = [first]
        while waiting:
            path = waiting.pop()
            if path in self.held:
                continue
            layer = Sdf.Layer.FindOrOpen(path)
            if layer is None:
                continue
            self.held[path] = layer
            if len(self.held) > MOST_LAYERS:
                raise InputError(say("usd.too-many-layers", label=self.label, most=MOST_LAYERS))
            found: list[str] = []
            UsdUtils.ModifyAssetPaths(layer, lambda asset, path=path, found=found: self._led(asset, path, found))
            _without_templates(layer)
            waiting += found
        return self.held.get(first)

    def _led(self, asset: str, layer: str, found: list[str]) -> str:
        """Where an asset path leads: to a file of the folder, or nowhere. What opens no layer stays as it is."""
        plain, _, rest = asset.partition(_ARGUMENTS)
        if not self._opens_a_layer(plain):
            return asset
        place = self._inside(plain, layer)
        if place is None:
            (self.missing if self._may_be_inside(plain, layer) else self.outside)[plain] = None
            return ""
        found.append(place)
        return place + (_ARGUMENTS + rest if rest else "")

    def _opens_a_layer(self, asset: str) -> bool:
        if not asset:
            return False
        # Expressions are worked out when the stage is made, and an anonymous layer of another stage is none of ours.
        if asset.startswith(("`", "anon:")) or "[" in asset:
            return True
        return asset.rpartition(".")[2].lower() in self.endings

    def _place(self, asset: str, layer: str) -> Path | None:
        text = asset.replace("\\", "/")
        if asset.startswith(("`", "anon:")) or "://" in text or text.startswith("/") or text[1:2] == ":":
            return None
        package, _, entry = text.partition("[")
        at = Path(os.path.normpath(os.path.join(os.path.dirname(layer), package)))
        if entry:
            first = self.packages.get(str(at))
            return Path(os.path.normpath(os.path.join(self._folder(first), entry.removesuffix("]")))) if first else None
        return Path(self.packages.get(str(at), at))

    def _folder(self, first: str) -> str:
        return next(
            (str(Path(parent)) for parent in Path(first).parents if parent.name.endswith(UNPACKED)), os.path.dirname(first)
        )

    def _may_be_inside(self, asset: str, layer: str) -> bool:
        at = self._place(asset, layer)
        return at is not None and at.is_relative_to(self.root)

    def _inside(self, asset: str, layer: str) -> str | None:
        """The file that a path leads to where it is one of the folder's; also as the search path of the root has it."""
        home = next(iter(self.held))
        for form in dict.fromkeys((asset, unquote(asset))):
            for beside in (layer, home):
                at = self._place(form, beside)
                if at is not None and at.is_relative_to(self.root) and at.is_file() and at.resolve().is_relative_to(self.root):
                    return str(at)
        return None


def _without_templates(layer: Sdf.Layer) -> None:
    """Value clips by a template (UsdClipsAPI): its file names are made while a value is asked for, so they are taken out."""

    def visit(path: Sdf.Path) -> None:
        spec = layer.GetPrimAtPath(path) if path.IsPrimPath() or path.IsPrimVariantSelectionPath() else None
        if not spec or not spec.HasInfo(_CLIPS):
            return
        clips = spec.GetInfo(_CLIPS)
        kept = {name: {k: v for k, v in told.items() if not k.startswith("template")} for name, told in dict(clips).items()}
        spec.SetInfo(_CLIPS, kept)

    layer.Traverse(Sdf.Path.absoluteRootPath, visit)
