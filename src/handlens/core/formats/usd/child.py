"""Reading a USD stage with its reference library, inside a child process; the answer is a container that usd.py makes a scene of.

Section names are those of the OpenUSD documentation: UsdGeom, UsdShade (UsdPreviewSurface specification), UsdSkel, UsdLux.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdShade, UsdSkel

from ...limits import InputError, plural
from ...words.arrays import F64, Array
from ...words.json_tree import Json
from .growth import MOST, grown
from .layers import Layers
from .looks import camera, light
from .materials import Materials
from .messages import say
from .rig import Rigs
from .shapes import Shapes
from .tags import CLIP, NODES, PIECE, WRAPPER
from .values import MOST_SAMPLES, Gathered, called, column, mesh_name

_MOST_NODES = 200_000
_SOLIDS = ("Cube", "Sphere", "Cylinder", "Cone", "Capsule", "Plane", "Cylinder_1", "Capsule_1")
_OTHER = ("NurbsPatch", "NurbsCurves", "HermiteCurves", "TetMesh", "Volume")


def read_stage(request: Json) -> bytes:
    """The container of a stage. request: file, the path of the root layer; root, the folder that all of it lies in; packages, the
    first layer of each unpacked package by the package's path; label, how it is called in messages."""
    damaged = InputError(say("usd.damaged", label=request["label"]))
    layers = Layers(Path(request["root"]), request["packages"], request["label"])
    try:
        first = layers.open(request["file"])
        if first and grown(layers.held, request["file"]) > MOST:
            raise InputError(say("usd.too-many-prims", label=request["label"], most=MOST))
        stage = Usd.Stage.Open(first, Usd.Stage.LoadAll) if first else None
        if stage is None:
            raise damaged
        return _Reader(stage, request["label"], layers).answer()
    except InputError:
        raise
    except Exception as error:
        # The library raises errors of its own, and hands out values of any kind where a file states another than belongs there.
        raise damaged from error


def _still(prim: Usd.Prim) -> bool:
    """Whether a prim leaves where it is, and that it is seen, to what it hangs below."""
    movable = UsdGeom.Xformable(prim)
    if not movable or movable.GetResetXformStack() or len(movable.GetTimeSamples()):
        return False
    hidden = UsdGeom.Imageable(prim).GetVisibilityAttr().Get() == UsdGeom.Tokens.invisible
    return not hidden and bool((column(movable.GetLocalTransformation(Usd.TimeCode.Default())) == np.eye(4)).all())


class _Reader:
    def __init__(self, stage: Usd.Stage, label: str, layers: Layers) -> None:
        self.stage, self.label, self.layers = stage, label, layers
        self.gathered = Gathered()
        self.nodes: list[dict[str, Any]] = []
        self.channels: list[dict[str, Any]] = []
        self.meshes: list[dict[str, Any]] = []
        self.mesh_numbers: dict[Any, int] = {}
        self.materials = Materials(self.gathered)
        self.shapes = Shapes(self.gathered, self.materials)
        self.rigs = Rigs(stage, self.gathered, self.nodes, self.channels)
        self.cameras: list[dict[str, Any]] = []
        self.lights: list[dict[str, Any]] = []
        self.bindings: list[tuple[int, Usd.Prim, Usd.Prim]] = []
        self.variants: list[str] = []
        self.paths: dict[str, int] = {}
        self.worlds: dict[int, Array] = {}
        self.waiting: list[Usd.Prim] = []

    def answer(self) -> bytes:
        root = self.stage.GetPseudoRoot()
        tops = [p for top in self._children(root) for p in (self._children(top) if self._wraps(top) else [top])]
        roots = [n for top in tops if (n := self.node(top, np.eye(4))) is not None]
        for skeleton in self.waiting:
            if not self.rigs.own_nodes(UsdSkel.Skeleton(skeleton), self.paths, self.worlds):
                roots += [n for n in [self.node(skeleton, np.eye(4), known=False)] if n is not None]
        for mesh_node, prim, skeleton in self.bindings:
            self.rigs.bind(mesh_node, prim, skeleton)
        self.materials.unbound(self.stage)
        if self.variants:
            names = ", ".join(self.variants[:6]) + (" …" if len(self.variants) > 6 else "")
            self.gathered.say("variants", f"{plural(len(self.variants), 'variant set')} read as chosen in the file: {names}.")
        for words, n in self.gathered.counted.items():
            self.gathered.say("not-carried", f"{n:,} {words}")
        for path in self.layers.missing:
            self.gathered.say("broken-reference", f"The layer {path} did not come with the model.")
        for path in self.layers.outside:
            self.gathered.say("broken-reference", f"The layer {path} lies outside of what was sent, and was not opened.")
        up = UsdGeom.GetStageUpAxis(self.stage) if self.stage.HasAuthoredMetadata(UsdGeom.Tokens.upAxis) else None
        stated = UsdGeom.StageHasAuthoredMetersPerUnit(self.stage)
        return self.gathered.out.file(
            {
                "unit": UsdGeom.GetStageMetersPerUnit(self.stage) if stated else None,
                "up": str(up) if up is not None else None,
                "nodes": self.nodes,
                "roots": roots,
                "meshes": self.meshes,
                "materials": self.materials.found,
                "images": self.materials.images,
                "skins": self.rigs.skins,
                "channels": self.channels,
                "clip": str(self.stage.GetMetadataByDictKey("customLayerData", CLIP) or ""),
                "cameras": self.cameras,
                "lights": self.lights,
                "problems": self.gathered.problems,
                "layers": sorted({Path(x.realPath).name for x in self.stage.GetUsedLayers() if x.realPath}),
            }
        )

    def _children(self, prim: Usd.Prim) -> list[Usd.Prim]:
        return list(prim.GetFilteredChildren(Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate)))

    def _bare(self, prim: Usd.Prim) -> bool:
        """Whether nothing hangs below a prim but the sets of its own faces."""
        return all(str(child.GetTypeName()) == "GeomSubset" for child in self._children(prim))

    def _wraps(self, prim: Usd.Prim) -> bool:
        """Whether a prim only stands over a model of ours: it says so, holds nothing and moves nothing."""
        return bool(prim.GetCustomDataByKey(WRAPPER)) and str(prim.GetTypeName()) in ("Xform", "SkelRoot") and _still(prim)

    def node(self, prim: Usd.Prim, above: F64, known: bool = True) -> int | None:
        """The node of a prim with all below it, None where nothing below it has a place in a model. above: world matrix.

        known: whether a skeleton that names the nodes its joints are may wait for those.
        """
        kind = str(prim.GetTypeName())
        if kind == "Skeleton" and known and prim.GetCustomDataByKey(NODES) is not None:
            self.waiting.append(prim)
            return None
        for name in prim.GetVariantSets().GetNames():
            self.variants.append(f"{prim.GetName()}/{name}")
        if kind in ("Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "BlendShape"):
            return None
        number = len(self.nodes)
        if number >= _MOST_NODES:
            raise InputError(say("usd.too-many-nodes", label=self.label, most=_MOST_NODES))
        entry: dict[str, Any] = {"name": called(prim), "children": [], "hidden": False, "purpose": ""}
        self.nodes.append(entry)
        local = np.eye(4)
        movable = UsdGeom.Xformable(prim)
        if movable:
            local = column(movable.GetLocalTransformation(Usd.TimeCode.Default()))
            if movable.GetResetXformStack():
                # The prim starts anew from the world; here a node always hangs below its parent.
                with np.errstate(all="ignore"):
                    local = np.linalg.pinv(above) @ local
                self.gathered.count("nodes that start anew from the world: their place is written below their parent instead.")
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
        self.paths[str(prim.GetPath())], self.worlds[number] = number, world
        self.content(prim, kind, entry, number)
        if kind == "PointInstancer":
            self.scatter(prim, number, world)
        else:
            for child in self._children(prim):
                if child.GetCustomDataByKey(PIECE) and _still(child) and self._bare(child):
                    self.content(child, str(child.GetTypeName()), entry, number)
                elif (n := self.node(child, world)) is not None:
                    entry["children"].append(n)
        if not movable and not entry["children"]:
            # A scope of materials alone is no part of the tree.
            del self.nodes[number:]
            return None
        return number

    def content(self, prim: Usd.Prim, kind: str, entry: Json, number: int) -> None:
        if kind == "Mesh":
            self.hang(entry, self.shared(prim, lambda: self.shapes.mesh(prim)))
            binding = UsdSkel.BindingAPI(prim)
            skeleton = binding.GetInheritedSkeleton()
            if skeleton and prim.HasAttribute("primvars:skel:jointIndices"):
                self.bindings.append((number, prim, skeleton.GetPrim()))
        elif kind in ("BasisCurves", "Points"):
            made = lambda: self.shapes.curves(prim) if kind == "BasisCurves" else self.shapes.points(prim)
            self.hang(entry, self.shared(prim, made))
        elif kind == "Camera":
            entry["camera"] = len(self.cameras)
            self.cameras.append(camera(UsdGeom.Camera(prim)))
        elif kind == "Skeleton":
            self.rigs.skeleton(UsdSkel.Skeleton(prim), number)
        elif prim.HasAPI(UsdLux.LightAPI):
            entry["light"] = len(self.lights)
            self.lights.append(light(prim, kind))
        elif kind in _SOLIDS:
            self.gathered.count(
                f"{kind.removesuffix('_1').lower()} shapes that are stated by their measures have no faces and were not turned into any."
            )
        elif kind in _OTHER:
            self.gathered.count(f"{kind} shapes were counted but not turned into faces.")

    def hang(self, entry: Json, mesh: int) -> None:
        """The mesh of a node, which may come in pieces."""
        if "mesh" in entry:
            entry["pieces"] = [*entry.get("pieces", []), mesh]
        else:
            entry["mesh"] = mesh

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
            (
                *(f"{spec.layer.identifier}{spec.path}" for spec in specs),
                str(binding.GetPath()) if binding else "",
                mesh_name(source),
            )
            if specs
            else str(source.GetPath())
        )
        if key not in self.mesh_numbers:
            self.mesh_numbers[key] = len(self.meshes)
            self.meshes.append(make())
        return self.mesh_numbers[key]

    def scatter(self, prim: Usd.Prim, number: int, world: F64) -> None:
        """UsdGeom, PointInstancer: each instance as a node, the prototype's tree below it sharing its meshes.

        world: (4, 4) float64, of the prim.
        """
        instancer = UsdGeom.PointInstancer(prim)
        prototypes = [self.stage.GetPrimAtPath(p) for p in instancer.GetPrototypesRel().GetForwardedTargets()]
        which = instancer.GetProtoIndicesAttr().Get() or []
        now = Usd.TimeCode.Default()
        places = instancer.ComputeInstanceTransformsAtTime(
            now, now, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        for k, (prototype, place) in enumerate(zip(which, places, strict=False)):
            if not 0 <= prototype < len(prototypes) or not prototypes[prototype]:
                continue
            holder = {
                "name": f"{prim.GetName()}_{k}",
                "children": [],
                "hidden": False,
                "purpose": "",
                "matrix": column(place).reshape(-1).tolist(),
            }
            at = len(self.nodes)
            self.nodes.append(holder)
            self.nodes[number]["children"].append(at)
            made = self.node(prototypes[prototype], world @ column(place))
            holder["children"] = [] if made is None else [made]

    def motion(self, movable: UsdGeom.Xformable, number: int) -> None:
        times = movable.GetTimeSamples()
        if len(times) < 2:
            return
        if len(times) > MOST_SAMPLES:
            self.gathered.count("moving nodes have more samples than are read.")
            return
        matrices = np.stack([column(movable.GetLocalTransformation(Usd.TimeCode(time))) for time in times])
        rate = self.stage.GetTimeCodesPerSecond() or 24.0
        self.channels.append(
            {
                "node": number,
                "times": self.gathered.array(np.array(times) / rate, "<f8"),
                "matrices": self.gathered.array(matrices, "<f8"),
            }
        )
