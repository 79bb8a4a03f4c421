"""How a destination reads what it is sent: small readers of its own, which share nothing with those that opened and wrote the model."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import PurePosixPath

from ...limits import InputError
from ..messages import say
from .collada import read_collada
from .gltf import read_gltf
from .obj import read_obj
from .ply import read_ply
from .received import Received
from .stl import read_stl
from .threemf import read_3mf
from .usd import read_usd

#: Readers by the ending of the model's file. Each: (files by path, path of the model) -> what it holds.
READERS: dict[str, Callable[[Mapping[str, bytes], str], Received]] = {
    "glb": read_gltf,
    "gltf": read_gltf,
    "obj": read_obj,
    "usda": read_usd,
    "usdc": read_usd,
    "usdz": read_usd,
    "dae": read_collada,
    "stl": read_stl,
    "ply": read_ply,
    "3mf": read_3mf,
}
#: Endings of all files that some destination takes for a model.
MODELS = ("glb", "gltf", "obj", "usdz", "usda", "usdc", "dae", "stl", "ply", "3mf")


def ending(path: str) -> str:
    """The ending of a path in small letters, without its dot."""
    return PurePosixPath(path).suffix.lower().lstrip(".")


def model_of(files: Mapping[str, bytes]) -> str:
    """The path of a package's model: nearest the top, then the largest. Raises InputError where there is none.

    files: the package, by path.
    """
    found = sorted((path.count("/"), -len(data), path) for path, data in files.items() if ending(path) in MODELS)
    if not found:
        raise InputError(say("receivers.no-model"))
    return found[0][2]
