"""Reading a USD stage with its reference library, inside a child process; the answer is a container that usd.py makes a scene of.

Section names are those of the OpenUSD documentation: UsdGeom, UsdShade (UsdPreviewSurface specification), UsdSkel, UsdLux.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, UsdSkel

from ..limits import InputError, plural
from ..scene.model import Array
from ..sections import Sections

_MOST_NODES, _MOST_SAMPLES = 200_000, 20_000
_SOLIDS = ("Cube", "Sphere", "Cylinder", "Cone", "Capsule", "Plane", "Cylinder_1", "Capsule_1")
_OTHER = ("NurbsPatch", "NurbsCurves", "HermiteCurves", "TetMesh", "Volume")


def read_stage(request: dict[str, Any]) -> bytes:
    """The container of a stage. request: file, the path of the root layer; label, how it is called in messages."""
    damaged = InputError(f"{request['label']} is damaged, or no USD file; export it again.")
    try:
        stage = Usd.Stage.Open(request["file"], Usd.Stage.LoadAll)
        if stage is None:
            raise damaged
        return _Reader(stage, request["label"], Path(request["file"])).answer()
    except InputError:
        raise
    except Exception as error:
        # The library raises errors of its own, and hands out values of any kind where a file states another than belongs there.
        raise damaged from error


class _Reader:
    def __init__(self, stage: Usd.Stage, label: str, file: Path) -> None:
        self.stage, self.label, self.file = stage, label, file
        self.out = Sections()
        self.nodes: list[dict[str, Any]] = []
        self.meshes: list[dict[str, Any]] = []
        self.mesh_numbers: dict[Any, int] = {}
        self.materials: list[dict[str, Any]] = []
        self.material_numbers: dict[str, int] = {}
        self.images: list[dict[str, str]] = []
        self.skins: list[dict[str, Any]] = []
        self.channels: list[dict[str, Any]] = []
        self.cameras: list[dict[str, Any]] = []
        self.lights: list[dict[str, Any]] = []
        self.joints: dict[str, tuple[int, list[int]]] = {}
        self.bindings: list[tuple[int, Usd.Prim, Usd.Prim]] = []
        self.counted: dict[str, int] = {}
        self.problems: list[dict[str, str]] = []
        self.variants: list[str] = []

    def answer(self) -> bytes:
        root = self.stage.GetPseudoRoot()
        roots = [n for p in self._children(root) if (n := self.node(p, np.eye(4))) is not None]
        for mesh_node, prim, skeleton in self.bindings:
            self.bind(mesh_node, prim, skeleton)
        if self.variants:
            names = ", ".join(self.variants[:6]) + (" …" if len(self.variants) > 6 else "")
            self.say("variants", f"{plural(len(self.variants), 'variant set')} read as chosen in the file: {names}.")
        for words, n in self.counted.items():
            self.say("not-carried", f"{n:,} {words}")
        up = UsdGeom.GetStageUpAxis(self.stage) if self.stage.HasAuthoredMetadata(UsdGeom.Tokens.upAxis) else None
        stated = UsdGeom.StageHasAuthoredMetersPerUnit(self.stage)
        return self.out.file(
            {
                "unit": UsdGeom.GetStageMetersPerUnit(self.stage) if stated else None,
                "up": str(up) if up is not None else None,
                "nodes": self.nodes,
                "roots": roots,
                "meshes": self.meshes,
                "materials": self.materials,
                "images": self.images,
                "skins": self.skins,
                "channels": self.channels,
                "cameras": self.cameras,
                "lights": self.lights,
                "problems": self.problems,
                "layers": sorted({Path(x.realPath).name for x in self.stage.GetUsedLayers() if x.realPath}),
            }
        )

    def say(self, kind: str, text: str) -> None:
        self.problems.append({"kind": kind, "text": text})

    def count(self, words: str, n: int = 1) -> None:
        self.counted[words] = self.counted.get(words, 0) + n

    def _children(self, prim: Usd.Prim) -> list[Usd.Prim]:
        return list(prim.GetFilteredChildren(Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate)))

    # --- tree ---------------------------------------------------------------------------------

    def node(self, prim: Usd.Prim, above: Array) -> int | None:
        """The node of a prim with all below it, None where nothing below it has a place in a model. above: world matrix."""
        kind = str(prim.GetTypeName())
        for name in prim.GetVariantSets().GetNames():
            self.variants.append(f"{prim.GetName()}/{name}")
        if kind in ("Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "BlendShape"):
            return None
        number = len(self.nodes)
        if number >= _MOST_NODES:
            raise InputError(
                f"{self.label} grows to more than {_MOST_NODES:,} nodes through its instances; export it with fewer."
            )
        entry: dict[str, Any] = {"name": prim.GetDisplayName() or prim.GetName(), "children": [], "hidden": False, "purpose": ""}
        self.nodes.append(entry)
        local = np.eye(4)
        movable = UsdGeom.Xformable(prim)
        if movable:
            local = _column(movable.GetLocalTransformation(Usd.TimeCode.Default()))
            if movable.GetResetXformStack():
                # The prim starts anew from the world; here a node always hangs below its parent.
                with np.errstate(all="ignore"):
                    local = np.linalg.pinv(above) @ local
                self.count("nodes that start anew from the world: their place is written below their parent instead.")
            self.motion(movable, number)
        entry["matrix"] = local.reshape(-1).tolist()
        image = UsdGeom.Imageable(prim)
        if image:
            entry["purpose"] = str(image.GetPurposeAttr().Get() or "")
            entry["hidden"] = image.GetVisibilityAttr().Get() == UsdGeom.Tokens.invisible or entry["purpose"] in (
                "proxy",
                "guide",
            )
        world = above @ local
        self.content(prim, kind, entry, number)
        if kind == "PointInstancer":
            self.scatter(prim, number, world)
        else:
            entry["children"] += [n for p in self._children(prim) if (n := self.node(p, world)) is not None]
        if not movable and not entry["children"]:
            # A scope of materials alone is no part of the tree.
            del self.nodes[number:]
            return None
        return number

    def content(self, prim: Usd.Prim, kind: str, entry: dict[str, Any], number: int) -> None:
        if kind == "Mesh":
            entry["mesh"] = self.shared(prim, lambda: self.mesh(prim))
            binding = UsdSkel.BindingAPI(prim)
            skeleton = binding.GetInheritedSkeleton()
            if skeleton and prim.HasAttribute("primvars:skel:jointIndices"):
                self.bindings.append((number, prim, skeleton.GetPrim()))
        elif kind in ("BasisCurves", "Points"):
            entry["mesh"] = self.shared(prim, lambda: self.curves(prim) if kind == "BasisCurves" else self.points(prim))
        elif kind == "Camera":
            entry["camera"] = len(self.cameras)
            self.cameras.append(self.camera(UsdGeom.Camera(prim)))
        elif kind == "Skeleton":
            self.skeleton(UsdSkel.Skeleton(prim), number)
        elif prim.HasAPI(UsdLux.LightAPI):
            entry["light"] = len(self.lights)
            self.lights.append(_light(prim, kind))
        elif kind in _SOLIDS:
            self.count(
                f"{kind.removesuffix('_1').lower()} shapes that are stated by their measures have no faces and were not turned into any."
            )
        elif kind in _OTHER:
            self.count(f"{kind} shapes were counted but not turned into faces.")

    def shared(self, prim: Usd.Prim, make: Any) -> int:
        """The mesh of a prim; prims whose shape comes from one and the same place, as instances' does, share it."""
        source = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
        specs = [
            s
            for name in ("points", "faceVertexIndices", "primvars:skel:jointIndices")
            for s in source.GetAttribute(name).GetPropertyStack()[:1]
        ]
        binding = UsdShade.MaterialBindingAPI(source).ComputeBoundMaterial()[0]
        key = (
            (*(f"{s.layer.identifier}{s.path}" for s in specs), str(binding.GetPath()) if binding else "")
            if specs
            else str(source.GetPath())
        )
        if key not in self.mesh_numbers:
            self.mesh_numbers[key] = len(self.meshes)
            self.meshes.append(make())
        return self.mesh_numbers[key]

    def scatter(self, prim: Usd.Prim, number: int, world: Array) -> None:
        """UsdGeom, PointInstancer: each instance as a node, the prototype's tree below it sharing its meshes."""
        instancer = UsdGeom.PointInstancer(prim)
        prototypes = [self.stage.GetPrimAtPath(p) for p in instancer.GetPrototypesRel().GetForwardedTargets()]
        which = instancer.GetProtoIndicesAttr().Get() or []
        now = Usd.TimeCode.Default()
        places = instancer.ComputeInstanceTransformsAtTime(
            now, now, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        for k, (w, place) in enumerate(zip(which, places, strict=False)):
            if not 0 <= w < len(prototypes) or not prototypes[w]:
                continue
            holder = {
                "name": f"{prim.GetName()}_{k}",
                "children": [],
                "hidden": False,
                "purpose": "",
                "matrix": _column(place).reshape(-1).tolist(),
            }
            at = len(self.nodes)
            self.nodes.append(holder)
            self.nodes[number]["children"].append(at)
            made = self.node(prototypes[w], world @ _column(place))
            holder["children"] = [] if made is None else [made]

    def motion(self, movable: UsdGeom.Xformable, number: int) -> None:
        times = movable.GetTimeSamples()
        if len(times) < 2:
            return
        if len(times) > _MOST_SAMPLES:
            self.count("moving nodes have more samples than are read.")
            return
        matrices = np.stack([_column(movable.GetLocalTransformation(Usd.TimeCode(t))) for t in times])
        rate = self.stage.GetTimeCodesPerSecond() or 24.0
        self.channels.append(
            {"node": number, "times": self.array(np.array(times) / rate, "<f8"), "matrices": self.array(matrices, "<f8")}
        )

    # --- shapes -------------------------------------------------------------------------------

    def array(self, values: Any, kind: str) -> dict[str, Any]:
        flat = np.ascontiguousarray(values, kind)
        return {"at": self.out.add(flat.tobytes()), "count": int(flat.size), "kind": kind}

    def mesh(self, prim: Usd.Prim) -> dict[str, Any]:
        mesh = UsdGeom.Mesh(prim)
        points = _rows(mesh.GetPointsAttr(), 3)
        counts, corners = _ints(mesh.GetFaceVertexCountsAttr()), _ints(mesh.GetFaceVertexIndicesAttr())
        holes = _ints(mesh.GetHoleIndicesAttr())
        scheme = str(mesh.GetSubdivisionSchemeAttr().Get() or "")
        authored = mesh.GetSubdivisionSchemeAttr().HasAuthoredValue()
        left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
        layers = [*self.primvars(prim, len(points), counts, corners), *self.normals(mesh, len(points), counts, corners)]
        materials, slots = self.slots(prim, len(counts))
        entry: dict[str, Any] = {
            "name": prim.GetDisplayName() or prim.GetName(), "points": self.array(points, "<f8"), "counts": self.array(counts, "<i8"),
            "corners": self.array(corners, "<i8"), "holes": self.array(holes, "<i8"), "left": bool(left), "layers": layers,
            "slots": self.array(slots, "<i8"), "materials": materials, "double_sided": bool(mesh.GetDoubleSidedAttr().Get()),
            "subdivision": scheme if authored and scheme != "none" else "",
        }  # fmt: skip
        entry |= self.weights(prim, len(points))
        entry["morphs"] = self.morphs(prim, len(points))
        return entry

    def primvars(self, prim: Usd.Prim, points: int, counts: Array, corners: Array) -> list[dict[str, Any]]:
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
            index = self.spread(str(primvar.GetInterpolation()), len(values), primvar.GetIndices(), points, counts, corners)
            if index is None:
                self.count(f"values of {name} that do not fit its mesh were passed over.")
            elif role == "opacity":
                opacity = (values, index)
            else:
                out.append(
                    {
                        "role": role,
                        "name": name,
                        "width": int(values.shape[1]),
                        "values": self.array(values, "<f8"),
                        "index": self.array(index, "<i8"),
                    }
                )
        if opacity is not None:
            self.count("meshes carry an opacity of their own beside their material, which was passed over.")
        return out

    def spread(self, interpolation: str, values: int, indices: Any, points: int, counts: Array, corners: Array) -> Array | None:
        """(C,) which value each corner takes; None where the lengths do not fit."""
        own = np.asarray(indices, np.int64) if indices is not None and len(indices) else np.arange(values)
        place = {
            "constant": np.zeros(len(corners), np.int64), "uniform": np.repeat(np.arange(len(counts)), counts),
            "varying": corners, "vertex": corners, "faceVarying": np.arange(len(corners)),
        }.get(interpolation)  # fmt: skip
        if place is None or not values or (len(place) and (int(place.max()) >= len(own) or int(place.min()) < 0)):
            return None
        index = own[place]
        return None if len(index) and (int(index.max()) >= values or int(index.min()) < 0) else index

    def normals(self, mesh: UsdGeom.Mesh, points: int, counts: Array, corners: Array) -> list[dict[str, Any]]:
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
        index = self.spread(interpolation, len(values), indices, points, counts, corners)
        if index is None:
            self.count("normals that do not fit their mesh were passed over.")
            return []
        return [
            {
                "role": "normal",
                "name": "normals",
                "width": 3,
                "values": self.array(values, "<f8"),
                "index": self.array(index, "<i8"),
            }
        ]

    def slots(self, prim: Usd.Prim, faces: int) -> tuple[list[int], Array]:
        """UsdGeom, GeomSubset of the family materialBind: slot of each face, and the material of each slot (-1 for none)."""
        bound = [self.material_of(prim)]
        slots = np.zeros(faces, np.int64)
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            chosen = _ints(subset.GetIndicesAttr())
            chosen = chosen[(chosen >= 0) & (chosen < faces)]
            slots[chosen] = len(bound)
            bound.append(self.material_of(subset.GetPrim()))
        used = np.unique(slots)
        return [bound[k] for k in used], np.searchsorted(used, slots)

    def curves(self, prim: Usd.Prim) -> dict[str, Any]:
        curves = UsdGeom.BasisCurves(prim)
        points, counts = _rows(curves.GetPointsAttr(), 3), _ints(curves.GetCurveVertexCountsAttr())
        lines = np.zeros((0, 2), np.int64)
        if curves.GetTypeAttr().Get() == UsdGeom.Tokens.linear and counts.sum() == len(points) and (counts > 0).all():
            last = np.zeros(len(points), bool)
            last[np.cumsum(counts) - 1] = True
            first = np.flatnonzero(~last)
            lines = np.stack([first, first + 1], axis=1)
        else:
            self.count("smooth curves were counted but not turned into lines.", len(counts))
        return {"name": prim.GetName(), "points": self.array(points, "<f8"), "lines": self.array(lines, "<i8"), "materials": []}

    def points(self, prim: Usd.Prim) -> dict[str, Any]:
        points = _rows(UsdGeom.Points(prim).GetPointsAttr(), 3)
        return {
            "name": prim.GetName(),
            "points": self.array(points, "<f8"),
            "dots": self.array(np.arange(len(points)), "<i8"),
            "materials": [],
        }

    # --- materials ----------------------------------------------------------------------------

    def material_of(self, prim: Usd.Prim) -> int:
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        if not material:
            return -1
        path = str(material.GetPath())
        if path not in self.material_numbers:
            self.material_numbers[path] = len(self.materials)
            self.materials.append({})
            self.materials[self.material_numbers[path]] = self.material(material)
        return self.material_numbers[path]

    def material(self, material: UsdShade.Material) -> dict[str, Any]:
        surface = material.ComputeSurfaceSource()[0]
        entry: dict[str, Any] = {
            "name": material.GetPrim().GetDisplayName() or material.GetPrim().GetName(),
            "values": {},
            "inputs": [],
            "known": False,
        }
        if not surface or surface.GetIdAttr().Get() != "UsdPreviewSurface":
            self.count("materials are of another kind than UsdPreviewSurface, so their values were not read.")
            return entry
        entry["known"] = True
        for given in surface.GetInputs():
            name = str(given.GetBaseName())
            sources = given.GetConnectedSources()[0]
            if sources:
                texture = self.texture(UsdShade.Shader(sources[0].source.GetPrim()), str(sources[0].sourceName))
                if texture:
                    entry["inputs"].append({"name": name, **texture})
                continue
            value = given.Get()
            if value is not None:
                entry["values"][name] = (
                    [float(v) for v in value] if hasattr(value, "__len__") and not isinstance(value, str) else value
                )
        return entry

    def texture(self, shader: UsdShade.Shader, output: str) -> dict[str, Any] | None:
        """UsdPreviewSurface specification, UsdUVTexture with its reader of coordinates and its transform."""
        if not shader or shader.GetIdAttr().Get() != "UsdUVTexture":
            return None
        get = lambda key: shader.GetInput(key).Get() if shader.GetInput(key) else None
        file = get("file")
        out: dict[str, Any] = {
            "output": output, "image": self.image(file), "wrap": [str(get("wrapS") or ""), str(get("wrapT") or "")], "set": "",
            "space": str(get("sourceColorSpace") or ""), "transform": None,
        }  # fmt: skip
        for key in ("scale", "bias"):
            value = get(key)
            if value is not None:
                out[key] = [float(v) for v in value]
        st = shader.GetInput("st")
        for _ in range(4):
            sources = st.GetConnectedSources()[0] if st else []
            if not sources:
                break
            reader = UsdShade.Shader(sources[0].source.GetPrim())
            kind = reader.GetIdAttr().Get() if reader else ""
            if kind == "UsdTransform2d":
                value = lambda key, default, reader=reader: _pair(
                    reader.GetInput(key).Get() if reader.GetInput(key) else None, default
                )
                out["transform"] = {
                    "rotation": value("rotation", 0.0),
                    "scale": value("scale", [1, 1]),
                    "translation": value("translation", [0, 0]),
                }
                st = reader.GetInput("in")
                continue
            if kind and str(kind).startswith("UsdPrimvarReader_float2") and reader.GetInput("varname"):
                out["set"] = str(reader.GetInput("varname").Get() or "")
            break
        return out

    def image(self, file: Sdf.AssetPath | None) -> int | None:
        if file is None or not file.path:
            return None
        entry = {"reference": file.path, "resolved": str(file.resolvedPath or "")}
        if entry not in self.images:
            self.images.append(entry)
        return self.images.index(entry)

    # --- rig ----------------------------------------------------------------------------------

    def skeleton(self, skeleton: UsdSkel.Skeleton, number: int) -> None:
        """UsdSkel, Skeleton: its joints as nodes below it, at rest."""
        names = [str(n) for n in skeleton.GetJointsAttr().Get() or []]
        rest = [_column(m) for m in skeleton.GetRestTransformsAttr().Get() or []]
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
            self.pose(UsdSkel.Animation(source), places)

    def pose(self, animation: UsdSkel.Animation, places: dict[str, int]) -> None:
        joints = [str(n) for n in animation.GetJointsAttr().Get() or []] if animation else []
        rate = self.stage.GetTimeCodesPerSecond() or 24.0
        pairs = (
            ("translation", animation.GetTranslationsAttr()),
            ("rotation", animation.GetRotationsAttr()),
            ("scale", animation.GetScalesAttr()),
        )
        for path, attribute in pairs if joints else ():
            times = attribute.GetTimeSamples()
            if len(times) < 2 or len(times) > _MOST_SAMPLES:
                continue
            rows = [attribute.Get(t) for t in times]
            if any(len(r) != len(joints) for r in rows):
                continue
            if path == "rotation":
                values = np.array([[[*q.GetImaginary(), q.GetReal()] for q in r] for r in rows], np.float64)
            else:
                values = np.array(rows, np.float64)
            for k, name in enumerate(joints):
                if name in places:
                    self.channels.append(
                        {
                            "node": places[name],
                            "path": path,
                            "times": self.array(np.array(times) / rate, "<f8"),
                            "values": self.array(values[:, k], "<f8"),
                        }
                    )

    def weights(self, prim: Usd.Prim, points: int) -> dict[str, Any]:
        binding = UsdSkel.BindingAPI(prim)
        indices, weights = binding.GetJointIndicesPrimvar(), binding.GetJointWeightsPrimvar()
        if not indices or not indices.HasAuthoredValue() or not weights or not weights.HasAuthoredValue():
            return {}
        wide = max(int(indices.GetElementSize()), 1)
        j, w = np.asarray(indices.Get(), np.int64), np.asarray(weights.Get(), np.float64)
        if str(indices.GetInterpolation()) == "constant":
            j, w = np.tile(j[:wide], points), np.tile(w[:wide], points)
        if len(j) != wide * points or len(w) != len(j):
            self.count("meshes have joint weights that do not fit their points.")
            return {}
        return {"weights": {"wide": wide, "joints": self.array(j, "<i8"), "weights": self.array(w, "<f8")}}

    def bind(self, number: int, prim: Usd.Prim, skeleton: Usd.Prim) -> None:
        if str(skeleton.GetPath()) not in self.joints:
            return
        root, joints = self.joints[str(skeleton.GetPath())]
        typed, binding = UsdSkel.Skeleton(skeleton), UsdSkel.BindingAPI(prim)
        bind = [_column(m) for m in typed.GetBindTransformsAttr().Get() or []]
        order = [str(n) for n in typed.GetJointsAttr().Get() or []]
        own = binding.GetJointsAttr().Get()
        chosen = [order.index(str(n)) if str(n) in order else 0 for n in own] if own else list(range(len(order)))
        shape = binding.GetGeomBindTransformAttr().Get()
        given = _column(shape) if shape is not None else np.eye(4)
        with np.errstate(all="ignore"):
            inverse = (
                np.stack([np.linalg.pinv(bind[k]) @ given if k < len(bind) else given for k in chosen])
                if chosen
                else np.zeros((0, 4, 4))
            )
        entry = {
            "name": skeleton.GetName(),
            "joints": [joints[k] for k in chosen if k < len(joints)],
            "inverse": inverse.reshape(-1).tolist(),
            "root": root,
        }
        if entry not in self.skins:
            self.skins.append(entry)
        self.nodes[number]["skin"] = self.skins.index(entry)

    def morphs(self, prim: Usd.Prim, points: int) -> list[dict[str, Any]]:
        binding = UsdSkel.BindingAPI(prim)
        out = []
        names = binding.GetBlendShapesAttr().Get() or []
        for name, path in zip(names, binding.GetBlendShapeTargetsRel().GetForwardedTargets(), strict=False):
            shape = UsdSkel.BlendShape(self.stage.GetPrimAtPath(path))
            offsets, where = _rows(shape.GetOffsetsAttr(), 3), _ints(shape.GetPointIndicesAttr())
            whole = np.zeros((points, 3))
            where = where if len(where) else np.arange(len(offsets))
            if len(where) != len(offsets) or (len(where) and (where.max() >= points or where.min() < 0)):
                continue
            whole[where] = offsets
            out.append({"name": str(name), "offsets": self.array(whole, "<f8")})
        return out

    def camera(self, camera: UsdGeom.Camera) -> dict[str, Any]:
        """In glTF's keys. Apertures and focal length are in tenths of a unit (UsdGeom, Camera)."""
        seen = camera.GetCamera(Usd.TimeCode.Default())
        near, far = seen.clippingRange.min, seen.clippingRange.max
        name = camera.GetPrim().GetName()
        if seen.projection == Gf.Camera.Orthographic:
            return {
                "name": name,
                "type": "orthographic",
                "orthographic": {
                    "xmag": seen.horizontalAperture / 20,
                    "ymag": seen.verticalAperture / 20,
                    "znear": near,
                    "zfar": far,
                },
            }
        angle = seen.GetFieldOfView(Gf.Camera.FOVVertical)
        return {
            "name": name,
            "type": "perspective",
            "perspective": {"yfov": float(np.radians(angle)), "aspectRatio": seen.aspectRatio, "znear": near, "zfar": far},
        }


_UV = ("texCoord2f[]", "texCoord2d[]", "texCoord2h[]")


def _pair(value: Any, default: Any) -> Any:
    if value is None:
        return default
    return [float(v) for v in value] if hasattr(value, "__len__") else float(value)


def _column(m: Any) -> Array:
    """USD's row-vector matrix as one for column vectors (UsdGeom, "Transformations")."""
    return np.array(m, np.float64).reshape(4, 4).T


def _rows(attribute: Any, width: int) -> Array:
    value = attribute.Get() if attribute else None
    if value is None:
        samples = attribute.GetTimeSamples() if attribute else []
        value = attribute.Get(samples[0]) if samples else None
    return np.asarray(value, np.float64).reshape(-1, width) if value is not None and len(value) else np.zeros((0, width))


def _ints(attribute: Any) -> Array:
    value = attribute.Get() if attribute else None
    return np.asarray(value, np.int64).reshape(-1) if value is not None and len(value) else np.zeros(0, np.int64)


def _light(prim: Usd.Prim, kind: str) -> dict[str, Any]:
    """In glTF's keys where the kinds agree, else under its own name."""
    known = {"DistantLight": "directional", "SphereLight": "point"}
    api = UsdLux.LightAPI(prim)
    colour = api.GetColorAttr().Get()
    spot = prim.GetAttribute("inputs:shaping:cone:angle")
    entry: dict[str, Any] = {
        "name": prim.GetName(),
        "type": known.get(kind, kind),
        "intensity": float(api.GetIntensityAttr().Get() or 1.0),
    }
    if colour is not None:
        entry["color"] = [float(v) for v in colour]
    if kind == "SphereLight" and spot and spot.HasAuthoredValue():
        entry |= {"type": "spot", "spot": {"innerConeAngle": 0.0, "outerConeAngle": min(float(np.radians(spot.Get())), 1.5707)}}
    return entry
