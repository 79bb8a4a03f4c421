"""The child of a destination that opens a stage of USD: meshes where they stand, materials, skeletons. It knows no more of USD than it draws."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdShade, UsdSkel

from ...limits import InputError
from ...machine.sections import Sections
from ...words.arrays import Array
from ...words.json_tree import Json
from ..messages import say


def read(request: Json) -> bytes:
    """A container with what a stage draws. request: file of the layer."""
    stage = Usd.Stage.Open(str(request["file"]))
    if stage is None:
        raise InputError(say("receivers.layer-unreadable"))
    return _Reading(stage).container()


class _Reading:
    def __init__(self, stage: Any) -> None:
        self.stage, self.out = stage, Sections()
        self.materials: dict[Any, int] = {}
        self.described: list[Json] = []
        self.skins: dict[Any, int] = {}
        self.skeletons: list[Json] = []

    def container(self) -> bytes:
        prims = list(Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies()))
        meshes = [made for prim in prims if prim.IsA(UsdGeom.Mesh) and (made := self.mesh(prim)) is not None]
        header = {
            "meshes": meshes,
            "materials": self.described,
            "skins": self.skeletons,
            "clips": [prim.GetName() for prim in prims if prim.IsA(UsdSkel.Animation)],
            "cameras": sum(prim.IsA(UsdGeom.Camera) for prim in prims),
            "lights": sum(prim.HasAPI(UsdLux.LightAPI) for prim in prims),
            "metres": UsdGeom.GetStageMetersPerUnit(self.stage),
            "up": str(UsdGeom.GetStageUpAxis(self.stage)),
        }
        return self.out.file(header)

    def mesh(self, prim: Any) -> Json | None:
        """A mesh where it stands: polygons as fans, a vertex for each corner where UVs are told by corners."""
        if UsdGeom.Imageable(prim).ComputePurpose() in ("guide", "proxy"):
            return None
        mesh = UsdGeom.Mesh(prim)
        points = np.array(mesh.GetPointsAttr().Get() or [], np.float64).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        indices = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        if int(counts.sum()) != len(indices) or (len(indices) and (indices.min() < 0 or indices.max() >= len(points))):
            raise InputError(say("receivers.corner-without-point", prim=prim.GetName()))
        if mesh.GetOrientationAttr().Get() == "leftHanded":
            order = _reversed(counts)
        else:
            order = np.arange(len(indices))
        corner = _fans(counts)
        uv = self.uv(prim, indices)
        slots = self.slots(prim, len(counts))[np.repeat(np.arange(len(counts)), np.maximum(counts - 2, 0))]
        if uv is not None:
            points, corners = points[indices], order[corner]
        else:
            corners = indices[order[corner]]
        skin, influences, bare = self.skin(prim)
        if mesh.GetDoubleSidedAttr().Get():
            for number in np.unique(slots[slots >= 0]).tolist():
                self.described[number]["both_sides"] = True
        matrix = np.array(UsdGeom.Imageable(prim).ComputeLocalToWorldTransform(Usd.TimeCode.Default()), np.float64).T
        return {
            "name": _called(prim.GetParent() if prim.GetName() == "mesh" else prim),
            "points": self.out.array(points, np.float64),
            "corners": self.out.array(corners.reshape(-1, 3), np.int64),
            "uv": self.out.array(uv, np.float64) if uv is not None else None,
            "slots": self.out.array(slots, np.int64),
            "matrix": self.out.array(matrix, np.float64),
            "skin": skin,
            "influences": influences,
            "bare": bare,
        }

    def uv(self, prim: Any, indices: Array) -> Array | None:
        """(C, 2) of each corner, its origin at the top left; None without any. indices: (C,) int64, the vertex of each corner."""
        var = UsdGeom.PrimvarsAPI(prim).GetPrimvar("st")
        if not var or not var.HasValue():
            return None
        flat = np.array(var.ComputeFlattened(), np.float64).reshape(-1, 2)
        if var.GetInterpolation() in ("vertex", "varying"):
            flat = flat[indices] if len(flat) > int(indices.max(initial=-1)) else flat[:0]
        return flat * (1, -1) + (0, 1) if len(flat) == len(indices) else None

    def slots(self, prim: Any, faces: int) -> Array:
        """(F,) number of each face's material, -1 for none."""
        out = np.full(faces, self.material(UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]), np.int64)
        for subset in UsdGeom.Subset.GetAllGeomSubsets(UsdGeom.Imageable(prim)):
            some = np.array(subset.GetIndicesAttr().Get() or [], np.int64)
            some = some[(some >= 0) & (some < faces)]
            out[some] = self.material(UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()[0])
        return out

    def material(self, material: Any) -> int:
        if not material:
            return -1
        path = material.GetPath()
        if path not in self.materials:
            self.materials[path] = len(self.described)
            self.described.append(_described(material))
        return self.materials[path]

    def skin(self, prim: Any) -> tuple[int, int, int]:
        """The skeleton that carries a mesh, most joints on one of its vertices, and vertices that none carries."""
        binding = UsdSkel.BindingAPI(prim)
        skeleton = binding.GetInheritedSkeleton()
        weights = binding.GetJointWeightsPrimvar()
        if not skeleton or not weights or not weights.HasValue():
            return -1, 0, 0
        path = skeleton.GetPath()
        if path not in self.skins:
            joints = [str(joint) for joint in skeleton.GetJointsAttr().Get() or []]
            self.skins[path] = len(self.skeletons)
            last = [joint.rpartition("/")[2] for joint in joints]
            above = [joint.rpartition("/")[0].rpartition("/")[2] or None for joint in joints]
            self.skeletons.append({"joints": last, "above": above})
        carried = np.array(weights.Get(), np.float64).reshape(-1, max(weights.GetElementSize(), 1)) > 0
        return self.skins[path], int(carried.sum(axis=1).max(initial=0)), int((~carried.any(axis=1)).sum())


def _called(prim: Any) -> str:
    return str(prim.GetDisplayName() or prim.GetName())


def _described(material: Any) -> Json:
    """What of a material is drawn (UsdPreviewSurface specification)."""
    out: Json = {"name": _called(material.GetPrim()), "image": "", "colour": [0.18] * 3}
    out |= {"opacity": 1.0, "alpha": "opaque", "cutoff": 0.5, "both_sides": False}
    source = material.ComputeSurfaceSource()[0]
    if not source:
        return out
    value = lambda name, usual: usual if (found := source.GetInput(name)) is None or (x := found.Get()) is None else x
    out["colour"] = [float(x) for x in value("diffuseColor", (0.18, 0.18, 0.18))]
    out["opacity"] = float(value("opacity", 1.0))
    threshold = float(value("opacityThreshold", 0.0))
    colour, opacity = source.GetInput("diffuseColor"), source.GetInput("opacity")
    if colour and colour.HasConnectedSource():
        texture = UsdShade.Shader(colour.GetConnectedSources()[0][0].source.GetPrim())
        file = texture.GetInput("file").Get() if texture and texture.GetInput("file") else None
        out["image"], out["colour"] = (str(file.path) if file else ""), [1.0, 1.0, 1.0]
    see_through = out["opacity"] < 1 or bool(opacity and opacity.HasConnectedSource())
    out["alpha"] = "mask" if see_through and threshold > 0 else "blend" if see_through else "opaque"
    out["cutoff"] = threshold or 0.5
    return out


def _fans(counts: Array) -> Array:
    """Corners of triangles, three after three, of polygons as fans. counts: (F,) corners of each."""
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]) if len(counts) else counts
    triangles = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(len(counts)), triangles)
    within = np.arange(int(triangles.sum())) - np.repeat(np.cumsum(triangles) - triangles, triangles)
    first = starts[face]
    corners: Array = np.stack([first, first + within + 1, first + within + 2], axis=1).reshape(-1)
    return corners


def _reversed(counts: Array) -> Array:
    """Corners in the other direction round each polygon."""
    ends = np.repeat(np.cumsum(counts), counts)
    starts = ends - np.repeat(counts, counts)
    order: Array = ends - 1 - (np.arange(len(ends)) - starts)
    return order
