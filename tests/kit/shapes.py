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


def _wrapped(function, seen, wrong):
    """A function that notes how its arrays fit what is said of them."""
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


def _public(owner):
    """Functions of a module or a class whose docstring describes an array."""
    return [(k, f) for k, f in vars(owner).items() if inspect.isfunction(f) and not k.startswith("_") and described(f)]


def watch(monkeypatch):
    """Have every public function of the core held against its docstring. Returns (parameters seen, what did not fit), filled as they come."""
    seen, wrong, watched = set(), set(), {}
    modules = [importlib.import_module(m.name) for m in pkgutil.walk_packages(handlens.core.__path__, "handlens.core.")]
    for module in modules:
        watched |= {f: _wrapped(f, seen, wrong) for _, f in _public(module) if f.__module__ == module.__name__}
        for found in vars(module).values():
            if inspect.isclass(found) and found.__module__ == module.__name__:
                for key, method in _public(found):
                    monkeypatch.setattr(found, key, _wrapped(method, seen, wrong))
    for module in modules:
        for name, found in _public(module):
            monkeypatch.setattr(module, name, watched.get(found, found))
    return seen, wrong
