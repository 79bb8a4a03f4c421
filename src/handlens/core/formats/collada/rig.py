"""COLLADA controllers: skins with their bind shape, and morphs (1.4.1, chapter 4 "Skin" and chapter 5, `skin`, `morph`)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ...limits import InputError
from ...scene import Problem
from ...scene.model import Morph, Weights, frozen
from ...words.arrays import F64, I64
from ..shared.xml import Element, Numbers
from .mesh import Geometry, Sources, Target
from .messages import say

#: Controllers that may stand on each other: a skin over a morph over a geometry, with room.
_DEEPEST = 8


@dataclass
class Rig:
    """A controller over a geometry. bind_shape and inverse_bind: column-vector matrices in float64."""

    key: str
    name: str | None
    geometry: Element | None
    joints: list[str] = field(default_factory=list)
    bind_shape: F64 = field(default_factory=lambda: np.eye(4))
    inverse_bind: F64 = field(default_factory=lambda: np.zeros((0, 4, 4)))
    counts: I64 = field(default_factory=lambda: np.zeros(0, np.int64))
    pairs: I64 = field(default_factory=lambda: np.zeros((0, 2), np.int64))
    amounts: F64 = field(default_factory=lambda: np.zeros(0))
    targets: list[str] = field(default_factory=list)
    shares: F64 = field(default_factory=lambda: np.zeros(0))
    relative: bool = False

    def weights(self, vertices: int, label: str) -> Weights:
        """Sparse weights of each vertex. Raises InputError where they are not for as many vertices."""
        if len(self.counts) != vertices:
            raise InputError(
                say("collada.weights-of-others", label=label, key=self.key, count=len(self.counts), vertices=vertices)
            )
        # A joint of -1 stands for the bind shape itself, which no joint moves: kept out, and the sum then tells.
        own = self.pairs[:, 0] >= 0
        owner = np.repeat(np.arange(vertices), self.counts)[own]
        starts = np.concatenate([[0], np.cumsum(np.bincount(owner, minlength=vertices))])
        return Weights(
            frozen(starts.astype(np.int64)),
            frozen(self.pairs[own, 0].astype(np.int32)),
            frozen(self.amounts[self.pairs[own, 1]].astype(np.float32)),
        )


def read_rig(controller: Element, target: Target, numbers: Numbers, problems: list[Problem], depth: int = 0) -> Rig:
    """A controller with all it stands on. Raises InputError."""
    key = controller.get("id") or ""
    rig = Rig(key, controller.get("name"), None)
    body = controller.find("skin")
    if body is None:
        body = controller.find("morph")
    if body is None or depth > _DEEPEST:
        problems.append(Problem("skin", say("collada.empty-controller", key=key), key))
        return rig
    source = body.get("source")
    inner = _quiet(target, source)
    if inner is not None and inner.tag == "controller":
        below = read_rig(inner, target, numbers, problems, depth + 1)
        rig.geometry, rig.targets, rig.shares, rig.relative = below.geometry, below.targets, below.shares, below.relative
        rig.joints, rig.counts, rig.pairs, rig.amounts = below.joints, below.counts, below.pairs, below.amounts
        rig.inverse_bind, rig.bind_shape = below.inverse_bind, below.bind_shape
        rig.key = f"{key} over {below.key}"
    else:
        rig.geometry = target(source, "geometry")
    sources = Sources(body, target, numbers)
    if body.tag == "morph":
        places = {e.get("semantic"): e.get("source") for e in body.findall("targets/input")}
        rig.targets = sources.names(places.get("MORPH_TARGET"))
        rig.shares = sources.floats(places.get("MORPH_WEIGHT"), 1).reshape(-1)
        rig.relative = body.get("method") == "RELATIVE"
    else:
        _skin(rig, body, sources, numbers)
    return rig


def _quiet(target: Target, url: str | None) -> Element | None:
    """A controller that is named as a source, without a word where it is a geometry."""
    return target.__self__.by_id.get((url or "").lstrip("#")) if hasattr(target, "__self__") else None


def _skin(rig: Rig, skin: Element, sources: Sources, numbers: Numbers) -> None:
    if skin.find("bind_shape_matrix") is not None:
        rig.bind_shape = numbers.floats(skin.find("bind_shape_matrix"), 16).reshape(4, 4)
    joints = {e.get("semantic"): e.get("source") for e in skin.findall("joints/input")}
    rig.joints = sources.names(joints.get("JOINT"))
    inverse = sources.floats(joints.get("INV_BIND_MATRIX"), 16)
    rig.inverse_bind = np.tile(np.eye(4), (len(rig.joints), 1, 1))
    stated = inverse[: len(rig.joints), :16].reshape(-1, 4, 4)
    rig.inverse_bind[: len(stated)] = stated
    body = skin.find("vertex_weights")
    inputs = {e.get("semantic"): (e.get("source"), e.get("offset") or "0") for e in skin.findall("vertex_weights/input")}
    if body is None or "JOINT" not in inputs or "WEIGHT" not in inputs:
        numbers.fail(skin, "has no joints and weights for its vertices")
    offsets = [int(o) if o.isascii() and o.isdigit() and len(o) < 4 else 0 for _, o in inputs.values()]
    stride = max(offsets) + 1
    values = numbers.integers(body.find("v"))
    rig.counts = numbers.integers(body.find("vcount"))
    if (rig.counts < 0).any() or rig.counts.sum() * stride != len(values):
        numbers.fail(body, f"counts {int(rig.counts.sum()):,} weights in vcount but holds {len(values) // stride:,}")
    rig.amounts = sources.floats(inputs["WEIGHT"][0], 1).reshape(-1)
    named = dict(zip(inputs, offsets, strict=True))
    rig.pairs = values.reshape(-1, stride)[:, [named["JOINT"], named["WEIGHT"]]]
    if len(rig.pairs) and (rig.pairs[:, 1].max() >= len(rig.amounts) or rig.pairs.min() < -1 or rig.pairs[:, 1].min() < 0):
        numbers.fail(body, "uses a weight that is not there")
    if len(rig.pairs) and rig.pairs[:, 0].max() >= len(rig.joints):
        numbers.fail(body, f"uses joint {int(rig.pairs[:, 0].max())}, but only {len(rig.joints)} are named")


def morphs_of(
    rig: Rig, base: Geometry, geometry_of: Callable[[str], Geometry | None]
) -> tuple[tuple[Morph, ...], tuple[float, ...]]:
    """Targets as offsets from the base: normalised ones are whole shapes, relative ones offsets already."""
    morphs, weights = [], []
    for k, name in enumerate(rig.targets):
        shape = geometry_of(f"#{name}")
        if shape is None or len(shape.positions) != len(base.positions):
            continue
        offsets = shape.positions if rig.relative else shape.positions - base.positions
        morphs.append(Morph(shape.name, frozen(np.ascontiguousarray(offsets))))
        weights.append(float(rig.shares[k]) if k < len(rig.shares) else 0.0)
    return tuple(morphs), tuple(weights)
