"""Docstrings say the shape of every array that a public function takes, and they are right."""

import ast
import re
from pathlib import Path

import numpy as np
import pytest
from test_rooms import MODULES

from handlens.library import open_model
from kit.shapes import misfit, watch

HERON = Path(__file__).parents[2] / "demo/models/heron"
#: Methods that take what the one that they stand for takes.
LIKE_ANOTHER = {"column", "take", "layer", "source", "add", "accessor", "vectors", "skin", "array", "result"}


def test_every_array_is_described():
    """By its name, a colon and its shape; by words where several shapes serve."""
    bare = []
    for path in MODULES:
        tree = ast.parse(path.read_text())
        for f in [f for owner in ast.walk(tree) if isinstance(owner, ast.Module | ast.ClassDef) for f in owner.body]:
            if not isinstance(f, ast.FunctionDef) or f.name.startswith("_") or f.name in LIKE_ANOTHER:
                continue
            doc = ast.get_docstring(f) or ""
            for a in f.args.args + f.args.kwonlyargs:
                is_array = a.annotation is not None and re.fullmatch(
                    r"(Array|[FI]\d\d|U8|Bool)( \| None)?", ast.unparse(a.annotation)
                )
                if is_array and not re.search(rf"(^|[\s,]){a.arg}(, \w+)*: ", doc):
                    bare.append((path.name, f.name, a.arg))
    assert not bare


def test_arrays_are_as_they_are_described(monkeypatch):
    """A model with a skin, clips and pictures is opened, judged, mended, reduced, written and proved."""
    seen, wrong = watch(monkeypatch)
    model = open_model(HERON)
    model.judge("realtime-engine")
    mended = model.mend("size.scale", factor=100).mend("skin.bake-rig").mend("budget.reduce", triangles=600)
    mended.judge("realtime-engine")
    assert mended.write("glb").prove().proved
    assert len(seen) > 60
    assert not wrong


@pytest.mark.parametrize(
    ("array", "shape", "kind", "fits"),
    [
        (np.zeros((4, 3)), "n, 3", "float64", True),
        (np.zeros((4, 2)), "n, 3", "float64", False),
        (np.zeros(3), "n, 3", None, False),
        (np.zeros((4, 3), np.float32), "n, 3", "float64", False),
        (np.zeros((4, 3), np.uint32), "..., 3", "int", True),
        (np.zeros(4, bool), "F,", "int", False),
    ],
)
def test_a_misfit_is_told(array, shape, kind, fits):
    assert (misfit(array, shape, kind) == "") is fits
