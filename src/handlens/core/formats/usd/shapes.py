"""Meshes, curves and points of a USD stage (UsdGeom)."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdShade

from ...words.arrays import I64, Array
from ...words.json_tree import Json
from .materials import Materials
from .rig import morphs, weights
from .values import Gathered, ints, mesh_name, rows

_UV = ("texCoord2f[]", "texCoord2d[]", "texCoord2h[]")


class Shapes:
    """Reads one shape after another into the shared answer."""

    def __init__(self, gathered: Gathered, materials: Materials) -> None:
        self.gathered, self.materials = gathered, materials

    def mesh(self, prim: Usd.Prim) -> Json:
        mesh = UsdGeom.Mesh(prim)
        points = rows(mesh.GetPointsAttr(), 3)
        counts, corners = ints(mesh.GetFaceVertexCountsAttr()), ints(mesh.GetFaceVertexIndicesAttr())
        holes = ints(mesh.GetHoleIndicesAttr())
        scheme = str(mesh.GetSubdivisionSchemeAttr().Get() or "")
        authored = mesh.GetSubdivisionSchemeAttr().HasAuthoredValue()
        left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
        layers = [*self._primvars(prim, len(points), counts, corners), *self._normals(mesh, len(points), counts, corners)]
        materials, slots = self._slots(prim, len(counts))
        entry: dict[str, Any] = {
            "name": mesh_name(prim),
            "points": self.gathered.array(points, "<f8"),
            "counts": self.gathered.array(counts, "<i8"),
            "corners": self.gathered.array(corners, "<i8"),
            "holes": self.gathered.array(holes, "<i8"),
            "left": bool(left),
            "layers": layers,
            "slots": self.gathered.array(slots, "<i8"),
            "materials": materials,
            "double_sided": bool(mesh.GetDoubleSidedAttr().Get()),
            "subdivision": scheme if authored and scheme != "none" else "",
        }
        entry |= weights(self.gathered, prim, len(points))
        entry["morphs"] = morphs(self.gathered, prim, len(points))
        return entry

    def _primvars(self, prim: Usd.Prim, points: int, counts: I64, corners: I64) -> list[dict[str, Any]]:
        """UsdGeom, Primvar: interpolation constant, uniform, varying, vertex or faceVarying, with or without an index of its own."""
        out: list[dict[str, Any]] = []
        opacity: tuple[Array, Array] | None = None
        found = UsdGeom.PrimvarsAPI(prim).FindPrimvarsWithInheritance()
        for primvar in found:
            name, kind = str(primvar.GetPrimvarName()), str(primvar.GetTypeName())
            role = "uv" if kind in _UV else "colour" if name == "displayColor" else "opacity" if name == "displayOpacity" else ""
            if not role and kind == "float2[]" and any(w in name.lower() for w in ("uv", "st", "map")):
                role = "uv"
            if not role:
                continue
            values = np.asarray(primvar.Get(), np.float64)
            values = values.reshape(len(values), -1) if values.ndim and len(values) else np.zeros((0, 2))
            index = self._spread(str(primvar.GetInterpolation()), len(values), primvar.GetIndices(), points, counts, corners)
            if index is None:
                self.gathered.count(f"values of {name} that do not fit its mesh were passed over.")
            elif role == "opacity":
                opacity = (values, index)
            else:
                out.append(
                    {
                        "role": role,
                        "name": name,
                        "width": int(values.shape[1]),
                        "values": self.gathered.array(values, "<f8"),
                        "index": self.gathered.array(index, "<i8"),
                    }
                )
        if opacity is not None:
            self.gathered.count("meshes carry an opacity of their own beside their material, which was passed over.")
        return out

    def _spread(self, interpolation: str, values: int, indices: Any, points: int, counts: I64, corners: I64) -> I64 | None:
        """(C,) which value each corner takes; None where the lengths do not fit."""
        own = np.asarray(indices, np.int64) if indices is not None and len(indices) else np.arange(values)
        place = {
            "constant": np.zeros(len(corners), np.int64),
            "uniform": np.repeat(np.arange(len(counts)), counts),
            "varying": corners,
            "vertex": corners,
            "faceVarying": np.arange(len(corners)),
        }.get(interpolation)
        if place is None or not values or (len(place) and (int(place.max()) >= len(own) or int(place.min()) < 0)):
            return None
        index = own[place]
        return None if len(index) and (int(index.max()) >= values or int(index.min()) < 0) else index

    def _normals(self, mesh: UsdGeom.Mesh, points: int, counts: I64, corners: I64) -> list[dict[str, Any]]:
        primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("normals")
        if primvar and primvar.HasAuthoredValue():
            values, interpolation, indices = (
                np.asarray(primvar.Get(), np.float64),
                str(primvar.GetInterpolation()),
                primvar.GetIndices(),
            )
        elif mesh.GetNormalsAttr().HasAuthoredValue():
            values, interpolation, indices = (
                np.asarray(mesh.GetNormalsAttr().Get(), np.float64),
                str(mesh.GetNormalsInterpolation()),
                None,
            )
        else:
            return []
        values = values.reshape(-1, 3) if values.size % 3 == 0 else np.zeros((0, 3))
        index = self._spread(interpolation, len(values), indices, points, counts, corners)
        if index is None:
            self.gathered.count("normals that do not fit their mesh were passed over.")
            return []
        return [
            {
                "role": "normal",
                "name": "normals",
                "width": 3,
                "values": self.gathered.array(values, "<f8"),
                "index": self.gathered.array(index, "<i8"),
            }
        ]

    def _slots(self, prim: Usd.Prim, faces: int) -> tuple[list[int], Array]:
        """UsdGeom, GeomSubset of the family materialBind: slot of each face, and the material of each slot (-1 for none)."""
        bound = [self.materials.bound_to(prim)]
        slots = np.zeros(faces, np.int64)
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            chosen = ints(subset.GetIndicesAttr())
            chosen = chosen[(chosen >= 0) & (chosen < faces)]
            slots[chosen] = len(bound)
            bound.append(self.materials.bound_to(subset.GetPrim()))
        used = np.unique(slots)
        return [bound[k] for k in used], np.searchsorted(used, slots)

    def curves(self, prim: Usd.Prim) -> Json:
        curves = UsdGeom.BasisCurves(prim)
        points, counts = rows(curves.GetPointsAttr(), 3), ints(curves.GetCurveVertexCountsAttr())
        lines = np.zeros((0, 2), np.int64)
        if curves.GetTypeAttr().Get() == UsdGeom.Tokens.linear and counts.sum() == len(points) and (counts > 0).all():
            last = np.zeros(len(points), bool)
            last[np.cumsum(counts) - 1] = True
            first = np.flatnonzero(~last)
            lines = np.stack([first, first + 1], axis=1)
        else:
            self.gathered.count("smooth curves were counted but not turned into lines.", len(counts))
        return {
            "name": prim.GetName(),
            "points": self.gathered.array(points, "<f8"),
            "lines": self.gathered.array(lines, "<i8"),
            "materials": [],
        }

    def points(self, prim: Usd.Prim) -> Json:
        points = rows(UsdGeom.Points(prim).GetPointsAttr(), 3)
        return {
            "name": prim.GetName(),
            "points": self.gathered.array(points, "<f8"),
            "dots": self.gathered.array(np.arange(len(points)), "<i8"),
            "materials": [],
        }
