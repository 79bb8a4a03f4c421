"""Images of third-party models against the file system, and against Pillow's own reading of them."""

import io
import os
from pathlib import Path

import pytest
from PIL import Image as Pillow

from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.pipeline.opening import open_scene

#: Endings of models that may name images and that are read here.
_ENDINGS = {".obj", ".gltf", ".glb", ".dae", ".3mf"}


def textured(models: Path) -> list[Path]:
    return sorted(
        p for p in models.rglob("*") if p.suffix.lower() in _ENDINGS and p.stat().st_size < 3_000_000 and "invalid" not in p.parts
    )


def looked_up(folder: Path, reference: str) -> str:
    """What a plain look at the file system says of a reference, by listing one folder after another."""
    text = reference.strip().replace("\\", "/")
    if text.lower().startswith("file:"):
        rest = text[5:].lstrip("/")
        text = rest if rest.startswith(".") else f"/{rest}"
    # Above a root lies nothing (RFC 3986 §5.2.4): what goes up from it was meant from the model's own folder.
    text = text[1:] if text.startswith("/../") else text
    if text.startswith("/") or text[1:2] == ":":
        return "absolute"
    at, exact = folder, True
    for piece in [p for p in text.split("/") if p not in ("", ".")]:
        if piece == "..":
            at = at.parent
            continue
        there = os.listdir(at) if at.is_dir() else []
        if piece in there:
            at = at / piece
            continue
        other = [n for n in there if n.casefold() == piece.casefold()]
        if not other:
            return "missing"
        at, exact = at / other[0], False
    inside = at.resolve().is_relative_to(folder.resolve())
    return ("found" if exact else "other-case") if inside else "missing"


def test_every_status_agrees_with_the_file_system(models):
    """At least fifteen models with images named by path; each reference is looked up by hand. Each image that was found is
    opened by Pillow by itself, and its size and channels compared."""
    seen, named, opened = 0, 0, 0
    wrong = []
    for path in textured(models):
        try:
            scene = open_scene(path)[2]
        except InputError:
            continue
        if not scene.images:
            continue
        seen += 1
        for image, figures in zip(
            scene.images, collect(scene.with_(meshes=(), nodes=(), roots=(), skins=(), clips=())).images, strict=True
        ):
            if image.status != "embedded" and image.reference:
                named += 1
                expected = looked_up(path.parent, image.reference)
                # Percent signs are decoded where plain names lead nowhere (RFC 3986 §2.1).
                if expected != image.status and "%" not in image.reference:
                    wrong.append((path.name, image.reference, image.status, expected))
            data = image.bytes()
            if data is not None and figures.unreadable is None:
                try:
                    with Pillow.open(io.BytesIO(data)) as other:
                        assert (figures.width, figures.height) == other.size
                except OSError:
                    wrong.append((path.name, image.reference, "opened", "not opened"))
                opened += 1
    assert seen >= 15
    assert named >= 15
    assert opened >= 15
    assert wrong == []


@pytest.mark.parametrize("name", ["glTF2/BoxTextured-glTF/BoxTextured.gltf", "Collada/duck.dae"])
def test_density_by_another_reading(models, name):
    """Texel density of whole models against areas summed by a reference library: pixels over square metres, from the sums."""
    import numpy as np
    import trimesh

    if name.endswith(".dae"):
        pytest.importorskip("collada")
    measures = collect(open_scene(models / name)[2])
    other = trimesh.load(models / name, force="mesh", process=False)
    uv = np.asarray(other.visual.uv)[other.faces]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    image = measures.images[measures.densities[0].image]
    pixels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2 * image.width * image.height
    each = np.sqrt(pixels / other.area_faces)
    order = np.argsort(each)
    middle = each[order][np.searchsorted(np.cumsum(other.area_faces[order]), other.area / 2)]
    unit = measures.unit_metres if name.endswith(".dae") else 1.0
    found = measures.densities[0].median
    assert min(abs(found / middle - 1), abs(found / unit / middle - 1)) < 0.02
