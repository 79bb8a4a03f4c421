"""Skeletons, their bindings, poses and blend shapes of a USD stage (UsdSkel)."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Usd, UsdSkel

from ...words.arrays import Array
from ...words.json_tree import Json
from .tags import NODES
from .values import MOST_SAMPLES, Gathered, called, column, ints, rows


class Rigs:
    """Joints become nodes of the tree that `nodes` is; skins and channels are kept here."""

    def __init__(self, stage: Usd.Stage, gathered: Gathered, nodes: list[dict[str, Any]], channels: list[dict[str, Any]]) -> None:
        self.stage, self.gathered, self.nodes, self.channels = stage, gathered, nodes, channels
        self.skins: list[dict[str, Any]] = []
        self.joints: dict[str, tuple[int | None, list[int]]] = {}

    def skeleton(self, skeleton: UsdSkel.Skeleton, number: int) -> None:
        """UsdSkel, Skeleton: its joints as nodes below it, at rest."""
        names = [str(n) for n in skeleton.GetJointsAttr().Get() or []]
        rest = [column(m) for m in skeleton.GetRestTransformsAttr().Get() or []]
        places: dict[str, int] = {}
        for k, name in enumerate(names):
            at = len(self.nodes)
            matrix = rest[k] if k < len(rest) else np.eye(4)
            self.nodes.append(
                {
                    "name": name.rpartition("/")[2],
                    "children": [],
                    "hidden": False,
                    "purpose": "",
                    "matrix": matrix.reshape(-1).tolist(),
                }
            )
            places[name] = at
            above = places.get(name.rpartition("/")[0], number)
            self.nodes[above]["children"].append(at)
        self.joints[str(skeleton.GetPath())] = (number, [places[n] for n in names])
        source = UsdSkel.BindingAPI(skeleton.GetPrim()).GetInheritedAnimationSource()
        if source:
            self._pose(UsdSkel.Animation(source), places)

    def own_nodes(self, skeleton: UsdSkel.Skeleton, paths: dict[str, int], worlds: dict[int, Array]) -> bool:
        """Take for joints the nodes that a skeleton of ours names, where each rests just where the skeleton says; else say no.

        worlds: (4, 4) float64 of each node.
        """
        prim = skeleton.GetPrim()
        told = [paths.get(str(p)) for p in prim.GetCustomDataByKey(NODES) or []]
        names = [str(n) for n in skeleton.GetJointsAttr().Get() or []]
        rest = [column(m) for m in skeleton.GetRestTransformsAttr().Get() or []]
        if None in told or not len(told) == len(names) == len(rest):
            return False
        nodes = [n for n in told if n is not None]
        place = dict(zip(names, range(len(names)), strict=True))
        for k, name in enumerate(names):
            above = place.get(name.rpartition("/")[0])
            base = worlds[nodes[above]] if above is not None else np.eye(4)
            with np.errstate(all="ignore"):
                there = base @ rest[k]
            reach = float(np.abs(worlds[nodes[k]]).max())
            if not np.allclose(there, worlds[nodes[k]], rtol=1e-5, atol=1e-6 * max(reach, 1e-12)):
                return False
        self.joints[str(prim.GetPath())] = (None, nodes)
        return True

    def _pose(self, animation: UsdSkel.Animation, places: dict[str, int]) -> None:
        joints = [str(n) for n in animation.GetJointsAttr().Get() or []] if animation else []
        rate = self.stage.GetTimeCodesPerSecond() or 24.0
        pairs = (
            ("translation", animation.GetTranslationsAttr()),
            ("rotation", animation.GetRotationsAttr()),
            ("scale", animation.GetScalesAttr()),
        )
        for path, attribute in pairs if joints else ():
            times = attribute.GetTimeSamples()
            if len(times) < 2 or len(times) > MOST_SAMPLES:
                continue
            rows = [attribute.Get(time) for time in times]
            if any(len(row) != len(joints) for row in rows):
                continue
            if path == "rotation":
                values = np.array([[[*q.GetImaginary(), q.GetReal()] for q in row] for row in rows], np.float64)
            else:
                values = np.array(rows, np.float64)
            for k, name in enumerate(joints):
                if name in places:
                    self.channels.append(
                        {
                            "node": places[name],
                            "path": path,
                            "times": self.gathered.array(np.array(times) / rate, "<f8"),
                            "values": self.gathered.array(values[:, k], "<f8"),
                        }
                    )

    def bind(self, number: int, prim: Usd.Prim, skeleton: Usd.Prim) -> None:
        if str(skeleton.GetPath()) not in self.joints:
            return
        root, joints = self.joints[str(skeleton.GetPath())]
        typed, binding = UsdSkel.Skeleton(skeleton), UsdSkel.BindingAPI(prim)
        bind = [column(m) for m in typed.GetBindTransformsAttr().Get() or []]
        order = [str(n) for n in typed.GetJointsAttr().Get() or []]
        own = binding.GetJointsAttr().Get()
        chosen = [order.index(str(n)) if str(n) in order else 0 for n in own] if own else list(range(len(order)))
        shape = binding.GetGeomBindTransformAttr().Get()
        given = column(shape) if shape is not None else np.eye(4)
        with np.errstate(all="ignore"):
            inverse = (
                np.stack([np.linalg.pinv(bind[k]) @ given if k < len(bind) else given for k in chosen])
                if chosen
                else np.zeros((0, 4, 4))
            )
        entry = {
            "name": called(skeleton),
            "joints": [joints[k] for k in chosen if k < len(joints)],
            "inverse": inverse.reshape(-1).tolist(),
            "root": root,
        }
        if entry not in self.skins:
            self.skins.append(entry)
        self.nodes[number]["skin"] = self.skins.index(entry)


def weights(gathered: Gathered, prim: Usd.Prim, points: int) -> Json:
    """Skin weights of a prim, by position among the skeleton's joints; nothing where it has none, or none that fit. points: how
    many points the prim has.
    """
    binding = UsdSkel.BindingAPI(prim)
    indices, weights = binding.GetJointIndicesPrimvar(), binding.GetJointWeightsPrimvar()
    if not indices or not indices.HasAuthoredValue() or not weights or not weights.HasAuthoredValue():
        return {}
    wide = max(int(indices.GetElementSize()), 1)
    joints, amounts = np.asarray(indices.Get(), np.int64), np.asarray(weights.Get(), np.float64)
    if str(indices.GetInterpolation()) == "constant":
        joints, amounts = np.tile(joints[:wide], points), np.tile(amounts[:wide], points)
    if len(joints) != wide * points or len(amounts) != len(joints):
        gathered.count("meshes have joint weights that do not fit their points.")
        return {}
    return {"weights": {"wide": wide, "joints": gathered.array(joints, "<i8"), "weights": gathered.array(amounts, "<f8")}}


def morphs(gathered: Gathered, prim: Usd.Prim, points: int) -> list[Json]:
    """Blend shapes of a prim, each with an offset for every point. points: how many points the prim has."""
    binding = UsdSkel.BindingAPI(prim)
    out = []
    names = binding.GetBlendShapesAttr().Get() or []
    for name, path in zip(names, binding.GetBlendShapeTargetsRel().GetForwardedTargets(), strict=False):
        shape = UsdSkel.BlendShape(prim.GetStage().GetPrimAtPath(path))
        offsets, where = rows(shape.GetOffsetsAttr(), 3), ints(shape.GetPointIndicesAttr())
        whole = np.zeros((points, 3))
        where = where if len(where) else np.arange(len(offsets))
        if len(where) != len(offsets) or (len(where) and (where.max() >= points or where.min() < 0)):
            continue
        whole[where] = offsets
        out.append({"name": str(name), "offsets": gathered.array(whole, "<f8")})
    return out
