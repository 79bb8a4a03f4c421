"""A scene kept as bytes and taken up again, so that one more mend need not read the file and play the tape from its start.

Pickled by the standard library, within bounds: only types of the scene model and arrays come out again, whatever the bytes say
(https://docs.python.org/3/library/pickle.html, "Restricting Globals"). Files of the package are kept by their paths, all others whole.
"""

from __future__ import annotations

import io
import pickle
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from functools import partial
from types import FunctionType, MethodType
from typing import Any

import numpy as np

from . import model
from .model import Scene, frozen

_KINDS: dict[str, type[Any]] = {
    name: kind
    for name, kind in vars(model).items()
    if isinstance(kind, type) and is_dataclass(kind) and kind.__module__ == model.__name__
}
#: What else may come out of the bytes: arrays as the library writes them, and sets.
_PLAIN = frozenset(
    {
        ("numpy._core.numeric", "_frombuffer"),
        ("numpy._core.multiarray", "_reconstruct"),
        ("numpy._core.multiarray", "scalar"),
        ("numpy.core.numeric", "_frombuffer"),
        ("numpy.core.multiarray", "_reconstruct"),
        ("numpy.core.multiarray", "scalar"),
        ("numpy", "ndarray"),
        ("numpy", "dtype"),
        ("builtins", "frozenset"),
        ("builtins", "set"),
    }
)
Load = Callable[[], bytes]


def stored(scene: Scene, original: Scene) -> bytes | None:
    """A scene as bytes. original: the scene as it was read, whose files of the package are kept by their paths. None where it holds what
    cannot be kept.
    """
    paths = {id(i.load): i.found_at for i in original.images if i.load is not None and i.found_at is not None}
    paths |= {id(n.load): n.path for n in original.beside if n.origin == "package"}
    out = io.BytesIO()
    try:
        _Writer(out, paths).dump(scene)
    except (pickle.PicklingError, RecursionError, TypeError, MemoryError):
        return None
    return out.getvalue()


def taken_up(data: bytes, read: Callable[[str], bytes]) -> Scene:
    """The scene that was kept. read: a file of the package by its path. Raises UnpicklingError for bytes that are no such scene."""
    try:
        scene = _Reader(io.BytesIO(data), read).load()
    except (EOFError, IndexError, KeyError, TypeError, ValueError, AttributeError, MemoryError) as error:
        raise pickle.UnpicklingError(f"these bytes are damaged: {error}") from error
    if not isinstance(scene, Scene):
        raise pickle.UnpicklingError("these bytes hold no scene")
    return scene


class _Writer(pickle.Pickler):
    def __init__(self, out: io.BytesIO, paths: Mapping[int, str]) -> None:
        super().__init__(out, protocol=5)
        self.paths = paths

    def reducer_override(self, value: Any) -> Any:
        """Fields alone: what was derived and cached is derived again."""
        name = type(value).__name__
        if _KINDS.get(name) is type(value):
            return _rebuilt, (name, *(getattr(value, field.name) for field in fields(value)))
        return NotImplemented

    def persistent_id(self, value: Any) -> tuple[str, str | bytes] | None:
        if value is _rebuilt or not isinstance(value, FunctionType | MethodType | partial) or _of_numpy(value):
            return None
        path = self.paths.get(id(value))
        return ("bytes", value()) if path is None else ("file", path)


class _Reader(pickle.Unpickler):
    def __init__(self, data: io.BytesIO, read: Callable[[str], bytes]) -> None:
        super().__init__(data)
        self.read_file = read

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) == (__name__, _rebuilt.__name__):
            return _rebuilt
        if (module, name) in _PLAIN:
            return super().find_class(module, name)
        raise pickle.UnpicklingError(f"a scene holds no {module}.{name}")

    def persistent_load(self, reference: tuple[str, Any]) -> Load:
        kind, value = reference
        return partial(self.read_file, value) if kind == "file" else lambda: value


def _of_numpy(value: Any) -> bool:
    return str(getattr(value, "__module__", "")).startswith("numpy")


def _rebuilt(name: str, *values: Any) -> Any:
    return _KINDS[name](*(frozen(v) if isinstance(v, np.ndarray) else v for v in values))
