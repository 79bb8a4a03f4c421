"""What docstrings say of arrays, held against the arrays that come."""

import functools
import importlib
import inspect
import pkgutil
import re

import numpy as np

import handlens.core

#: A line on arrays: names, the shape, and the type of the entries where one is said.
_LINE = re.compile(r"(?m)(?:^|\. )\s*((?:\w+)(?:, \w+)*): \(([^)]*)\)(?: (float64|float32|float|int64|int32|int|uint8|bool))?")
_KINDS = {"float": "f", "int": "iu"}


def described(function):
    """(shape, type) by parameter, as a docstring has them."""
    return {name: (m[2], m[3]) for m in _LINE.finditer(function.__doc__ or "") for name in m[1].split(", ")}


def misfit(array, shape, kind):
    """In what an array is not as it is described; empty where it fits."""
    lengths = [x.strip() for x in shape.split(",") if x.strip()]
    fits = "..." in lengths or (
        len(lengths) == array.ndim and all(not x.isdigit() or int(x) == n for x, n in zip(lengths, array.shape, strict=True))
    )
    typed = kind is None or (array.dtype.kind in _KINDS[kind] if kind in _KINDS else array.dtype == np.dtype(kind))
    return "" if fits and typed else f"{array.shape} {array.dtype}, not ({shape}) {kind or ''}"


def watch(monkeypatch):
    """Have every public function of the core held against its docstring. Returns (calls looked at, what did not fit), filled as they come."""
    seen, wrong, watched = set(), set(), {}

    def wrapped(function):
        said, signature = described(function), inspect.signature(function)

        @functools.wraps(function)
        def called(*args, **named):
            for name, value in signature.bind(*args, **named).arguments.items():
                if name in said and isinstance(value, np.ndarray):
                    where = f"{function.__module__}.{function.__qualname__}: {name}"
                    seen.add(where)
                    if text := misfit(value, *said[name]):
                        wrong.add(f"{where} is {text}")
            return function(*args, **named)

        return called

    modules = [importlib.import_module(m.name) for m in pkgutil.walk_packages(handlens.core.__path__, "handlens.core.")]
    for module in modules:
        for name, found in list(vars(module).items()):
            if getattr(found, "__module__", "") != module.__name__:
                continue
            if inspect.isfunction(found) and not name.startswith("_") and described(found):
                watched[found] = wrapped(found)
            elif inspect.isclass(found):
                for key, method in list(vars(found).items()):
                    if inspect.isfunction(method) and not key.startswith("_") and described(method):
                        monkeypatch.setattr(found, key, wrapped(method))
    for module in modules:
        for name, found in list(vars(module).items()):
            if inspect.isfunction(found) and found in watched:
                monkeypatch.setattr(module, name, watched[found])
    return seen, wrong
