"""The neutral scene into USD text, or into a package with its images, authored with the reference library.

Package rules are those of the USDZ File Format Specification: entries stored, each beginning on a multiple of 64 bytes, the
first one a USD layer, only USD layers and PNG, JPEG (and a few more) images inside.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ...geometry.recut import only_vertices, used_materials
from ...machine.extras import need
from ...scene import Camera, Layer, Light, Material, Mesh, Node, Scene, TextureInput
from ...scene.motion import poses
from ...scene.transforms import parents, world_matrices
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...words.arrays import F32, F64, Array
from ..conform.steps import Target
from .read import space_of
from .tags import CLIP, MESH_NAME, NODES, PIECE, UNNAMED, WRAPPER

_INPUTS = {
    "base-colour": ("diffuseColor", "rgb"),
    "emissive": ("emissiveColor", "rgb"),
    "roughness": ("roughness", "r"),
    "metallic": ("metallic", "r"),
    "normal": ("normal", "rgb"),
    "occlusion": ("occlusion", "r"),
    "alpha": ("opacity", "r"),
    "specular": ("specularColor", "rgb"),
    "displacement": ("displacement", "r"),
    "clearcoat": ("clearcoat", "r"),
    "clearcoat-roughness": ("clearcoatRoughness", "r"),
}
_WRAPS = {REPEAT: "repeat", MIRROR: "mirror", CLAMP: "clamp"}


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes} of a scene that USD can hold (`formats.conform`): the layer with its images beside, or a package of all."""
    need("pxr", "usd", "Writing USD")
    stem = target.stem
    text = _Writer(scene, stem).layer().encode("utf-8")
    pictures = {i.reference: data for i in scene.images if (data := i.bytes()) is not None}
    if target.format.name == "usda":
        return {f"{stem}.usda": text, **pictures}
    return {f"{stem}.usdz": package([(f"{stem}.usda", text), *pictures.items()])}


def package(entries: list[tuple[str, bytes]]) -> bytes:
    """A zip whose entries are stored and begin on multiples of 64 bytes, which an extra field pads to."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in entries:
            info = zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0))
            head = out.tell() + 30 + len(name.encode("utf-8"))
            pad = -head % 64
            if pad:
                pad += 64 if pad < 4 else 0
                # A header of four bytes, then nothing: the field that the specification's own tools pad with.
                info.extra = (0x1986).to_bytes(2, "little") + (pad - 4).to_bytes(2, "little") + b"\x00" * (pad - 4)
            archive.writestr(info, data)
    return out.getvalue()


def _identifier(name: str, taken: set[str], otherwise: str) -> str:
    """A valid prim name: letters, digits and underscores, not beginning with a digit, none twice among siblings."""
    base = re.sub(r"[^A-Za-z0-9_]", "_", name) or otherwise
    base = f"_{base}" if base[0].isdigit() else base
    out, n = base, 2
    while out in taken:
        out, n = f"{base}_{n}", n + 1
    taken.add(out)
    return out


class _Writer:
    def __init__(self, scene: Scene, stem: str) -> None:
        from pxr import Sdf, Usd, UsdGeom

        self.scene = scene
        self.stage = Usd.Stage.CreateInMemory()
        UsdGeom.SetStageMetersPerUnit(self.stage, scene.unit_metres)
        UsdGeom.SetStageUpAxis(self.stage, scene.up_axis)
        self.root = Sdf.Path("/" + _identifier(stem, set(), "model"))
        rigged = any(n.skin is not None for n in scene.nodes)
        if rigged:
            from pxr import UsdSkel

            UsdSkel.Root.Define(self.stage, self.root)
        else:
            UsdGeom.Xform.Define(self.stage, self.root)
        top = self.stage.GetPrimAtPath(self.root)
        top.SetCustomDataByKey(WRAPPER, True)
        self.stage.SetDefaultPrim(top)
        # Anchored to the layer: without the dot a resolver may look for it elsewhere first.
        self.references = [i.reference if i.load is None else f"./{i.reference}" for i in scene.images]
        uses: dict[int, int] = {}
        for n in scene.nodes:
            if n.mesh is not None:
                uses[n.mesh] = uses.get(n.mesh, 0) + 1
        self.often = {k for k, times in uses.items() if times > 1 and _plain(scene.meshes[k])}
        self.classes: dict[int, Any] = {}
        self.materials = [self.material(m) for m in self._named(scene.materials)]
        #: Path of each node's prim.
        self.paths: dict[int, Any] = {}

    def _named(self, materials: tuple[Material, ...]) -> list[tuple[str, Material]]:
        taken: set[str] = set()
        return [(_identifier(material.name, taken, f"material_{k}"), material) for k, material in enumerate(materials)]

    def called(self, prim: Any, name: str) -> None:
        """A prim's own name where it could not be an identifier, or that it has none."""
        if not name:
            prim.SetCustomDataByKey(UNNAMED, True)
        elif name != prim.GetName():
            prim.SetDisplayName(name)

    def layer(self) -> str:
        taken: set[str] = {"Materials", "Shapes"}
        stack = [(root, self.root, taken) for root in reversed(self.scene.roots)]
        while stack:
            i, owner, names = stack.pop()
            path = self.node(i, owner, names)
            inner: set[str] = {"mesh", "camera", "light"}
            stack.extend((child, path, inner) for child in reversed(self.scene.nodes[i].children))
        self.skins()
        self.clips()
        text: str = self.stage.GetRootLayer().ExportToString()
        return text

    # --- tree ---------------------------------------------------------------------------------

    def node(self, i: int, owner: Any, taken: set[str]) -> Any:
        from pxr import UsdGeom

        n = self.scene.nodes[i]
        mesh = None if n.mesh is None else self.scene.meshes[n.mesh]
        path = owner.AppendChild(_identifier(n.name, taken, f"node_{i}"))
        lone = mesh is not None and _plain(mesh) and not n.children and n.camera is None and n.light is None
        prim = (UsdGeom.Mesh if lone else UsdGeom.Xform).Define(self.stage, path)
        self.called(prim.GetPrim(), n.name)
        self.place(UsdGeom.Xformable(prim), n)
        if n.hidden:
            UsdGeom.Imageable(prim).CreateVisibilityAttr(UsdGeom.Tokens.invisible)
        self.paths[i] = path
        if n.mesh is not None:
            self.shape(path, n.mesh, lone)
        if n.camera is not None:
            self.camera(path.AppendChild("camera"), self.scene.cameras[n.camera])
        if n.light is not None:
            self.light(path.AppendChild("light"), self.scene.lights[n.light])
        return path

    def piece(self, prim: Any) -> Any:
        """Mark a prim as a piece of the node above it: a prim of its own only because a prim has one kind."""
        prim.GetPrim().SetCustomDataByKey(PIECE, True)
        return prim

    def inherit(self, path: Any, number: int) -> None:
        """A mesh that several nodes share is a class that their prims inherit, so that it is stored once."""
        from pxr import UsdGeom

        if number not in self.classes:
            place = self.root.AppendChild("Shapes").AppendChild(f"mesh_{number}")
            self.stage.CreateClassPrim(place.GetParentPath())
            self.stage.CreateClassPrim(place)
            self.faces(UsdGeom.Mesh.Define(self.stage, place), self.scene.meshes[number])
            self.classes[number] = place
        UsdGeom.Mesh.Define(self.stage, path).GetPrim().GetInherits().AddInherit(self.classes[number])

    def place(self, movable: Any, n: Node) -> None:
        from pxr import Gf, UsdGeom

        if n.matrix is not None:
            movable.AddTransformOp().Set(Gf.Matrix4d(n.local.T.tolist()))
            return
        double = UsdGeom.XformOp.PrecisionDouble
        if n.translation != (0.0, 0.0, 0.0):
            movable.AddTranslateOp(double).Set(Gf.Vec3d(*n.translation))
        if n.rotation != (0.0, 0.0, 0.0, 1.0):
            # What an orientation of another length means is left open, so it is written with length one.
            x, y, z, w = (np.array(n.rotation) / (np.linalg.norm(n.rotation) or 1.0)).tolist()
            movable.AddOrientOp(double).Set(Gf.Quatd(w, x, y, z))
        if n.scale != (1.0, 1.0, 1.0):
            movable.AddScaleOp(double).Set(Gf.Vec3d(*n.scale))

    # --- shapes -------------------------------------------------------------------------------

    def shape(self, path: Any, number: int, lone: bool) -> None:
        """The faces of a mesh, and its lines and points beside them as prims of their own."""
        from pxr import UsdGeom, Vt

        mesh = self.scene.meshes[number]
        own = path if lone else path.AppendChild("mesh")
        if number in self.often:
            self.inherit(own, number)
        else:
            self.faces(UsdGeom.Mesh.Define(self.stage, own), _faces_alone(mesh))
        if not lone:
            self.piece(self.stage.GetPrimAtPath(own))
        # What a prim that inherits says itself is its own, so the name of a shared mesh is said by each.
        self.stage.GetPrimAtPath(own).SetCustomDataByKey(MESH_NAME, mesh.name)
        if len(mesh.lines):
            curves = self.piece(UsdGeom.BasisCurves.Define(self.stage, path.AppendChild("lines")))
            curves.CreateTypeAttr(UsdGeom.Tokens.linear)
            curves.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(_single(mesh.positions[mesh.lines.reshape(-1)])))
            curves.CreateCurveVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.lines), 2, np.int32)))
        if len(mesh.points):
            points = self.piece(UsdGeom.Points.Define(self.stage, path.AppendChild("points")))
            points.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(_single(mesh.positions[mesh.points])))

    def faces(self, prim: Any, mesh: Mesh) -> None:
        from pxr import Sdf, UsdGeom, UsdShade, Vt

        ints = lambda a: Vt.IntArray.FromNumpy(np.ascontiguousarray(a, np.int32))
        prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(_single(mesh.positions)))
        prim.CreateFaceVertexCountsAttr(ints(mesh.corner_counts))
        prim.CreateFaceVertexIndicesAttr(ints(mesh.corners))
        # Polygons are what they are: without this a reader would subdivide them.
        prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        if any(self.scene.materials[k].double_sided for k in used_materials(mesh)):
            prim.CreateDoubleSidedAttr(True)
        primvars = UsdGeom.PrimvarsAPI(prim)
        types = Sdf.ValueTypeNames
        for k, uv in enumerate(mesh.uvs):
            self.primvar(primvars, "st" if k == 0 else f"st{k}", types.TexCoord2fArray, Vt.Vec2fArray, uv)
        if mesh.normals is not None:
            self.primvar(primvars, "normals", types.Normal3fArray, Vt.Vec3fArray, mesh.normals)
        for colour in mesh.colours:
            self.primvar(primvars, "displayColor", types.Color3fArray, Vt.Vec3fArray, colour)
        binding = UsdShade.MaterialBindingAPI
        used = [k for k in mesh.slot_materials if k >= 0]
        if used and (len(mesh.slot_materials) == 1 or not len(mesh.slots)):
            binding.Apply(prim.GetPrim()).Bind(self.materials[used[0]])
        elif used:
            for slot, k in enumerate(mesh.slot_materials):
                if k >= 0:
                    own = np.flatnonzero(mesh.slots == slot)
                    subset = UsdGeom.Subset.CreateGeomSubset(
                        prim, f"slot_{slot}", UsdGeom.Tokens.face, ints(own), UsdShade.Tokens.materialBind
                    )
                    binding.Apply(subset.GetPrim()).Bind(self.materials[k])
            # A face has one material at most.
            binding.Apply(prim.GetPrim()).SetMaterialBindSubsetsFamilyType(UsdGeom.Tokens.nonOverlapping)

    def primvar(self, primvars: Any, name: str, kind: Any, array: Any, layer: Layer) -> None:
        """Face-varying values with their own index."""
        from pxr import UsdGeom, Vt

        made = primvars.CreatePrimvar(name, kind, UsdGeom.Tokens.faceVarying)
        made.Set(array.FromNumpy(_single(layer.values)))
        made.SetIndices(Vt.IntArray.FromNumpy(np.ascontiguousarray(layer.index, np.int32)))

    # --- materials ----------------------------------------------------------------------------

    def material(self, named: tuple[str, Material]) -> Any:
        """UsdPreviewSurface specification."""
        from pxr import Gf, Sdf, UsdGeom, UsdShade

        name, described = named
        scope = self.root.AppendChild("Materials")
        UsdGeom.Scope.Define(self.stage, scope)
        path = scope.AppendChild(name)
        material = UsdShade.Material.Define(self.stage, path)
        self.called(material.GetPrim(), described.name)
        surface = UsdShade.Shader.Define(self.stage, path.AppendChild("surface"))
        surface.CreateIdAttr("UsdPreviewSurface")
        material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
        types = Sdf.ValueTypeNames
        surface.CreateInput("diffuseColor", types.Color3f).Set(Gf.Vec3f(*map(float, described.base_colour[:3])))
        if any(described.emissive):
            surface.CreateInput("emissiveColor", types.Color3f).Set(Gf.Vec3f(*map(float, described.emissive)))
        surface.CreateInput("roughness", types.Float).Set(float(described.roughness if described.roughness is not None else 1.0))
        surface.CreateInput("metallic", types.Float).Set(float(described.metallic or 0.0))
        if described.base_colour[3] != 1:
            surface.CreateInput("opacity", types.Float).Set(float(described.base_colour[3]))
        if described.alpha_mode == "mask":
            surface.CreateInput("opacityThreshold", types.Float).Set(
                float(described.alpha_cutoff if described.alpha_cutoff is not None else 0.5)
            )
        for key, value in (described.source.get("values") or {}).items():
            if isinstance(value, list) and len(value) == 3:
                surface.CreateInput(key, types.Normal3f if key == "normal" else types.Color3f).Set(Gf.Vec3f(*value))
            elif isinstance(value, int | float):
                surface.CreateInput(key, types.Int if isinstance(value, int) else types.Float).Set(value)
        for texture in described.inputs:
            self.texture(path, surface, described, texture)
        return material

    def texture(self, path: Any, surface: Any, material: Material, texture_input: TextureInput) -> None:
        from pxr import Gf, Sdf, UsdShade

        types = Sdf.ValueTypeNames
        assert texture_input.image is not None
        key, output = _INPUTS[texture_input.role]
        if output != "rgb":
            output = texture_input.channel
        name = re.sub(r"[^A-Za-z0-9_]", "_", texture_input.role)
        shader = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_image"))
        shader.CreateIdAttr("UsdUVTexture")
        shader.CreateInput("file", types.Asset).Set(Sdf.AssetPath(self.references[texture_input.image]))
        for way in ("wrapS", "wrapT"):
            shader.CreateInput(way, types.Token).Set(_WRAPS.get(texture_input.sampler.get(way, REPEAT), "repeat"))
        shader.CreateInput("sourceColorSpace", types.Token).Set(
            str(texture_input.options.get("space") or space_of(texture_input.role))
        )
        scale, bias = _scale(material, texture_input)
        for word, four in (("scale", scale), ("bias", bias)):
            if four is not None:
                shader.CreateInput(word, types.Float4).Set(Gf.Vec4f(*map(float, four)))
        reader = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_uv"))
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", types.String).Set("st" if texture_input.uv_set == 0 else f"st{texture_input.uv_set}")
        source = reader
        if texture_input.transform:
            source = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_transform"))
            source.CreateIdAttr("UsdTransform2d")
            source.CreateInput("rotation", types.Float).Set(float(np.degrees(texture_input.transform.get("rotation", 0.0))))
            source.CreateInput("scale", types.Float2).Set(Gf.Vec2f(*texture_input.transform.get("scale", (1.0, 1.0))))
            source.CreateInput("translation", types.Float2).Set(Gf.Vec2f(*texture_input.transform.get("offset", (0.0, 0.0))))
            source.CreateInput("in", types.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        shader.CreateInput("st", types.Float2).ConnectToSource(source.ConnectableAPI(), "result")
        kind = types.Normal3f if key == "normal" else types.Color3f if output == "rgb" else types.Float
        given = surface.GetInput(key) or surface.CreateInput(key, kind)
        shader.CreateOutput(output, types.Float3 if output == "rgb" else types.Float)
        given.ConnectToSource(shader.ConnectableAPI(), output)

    # --- cameras, lights, rigs ----------------------------------------------------------------

    def camera(self, path: Any, source: Camera) -> None:
        from pxr import Gf, UsdGeom

        camera = self.piece(UsdGeom.Camera.Define(self.stage, path))
        self.called(camera.GetPrim(), source.name)
        kind = "orthographic" if source.source.get("type") == "orthographic" else "perspective"
        view = source.source.get(kind) or {}
        # Apertures and focal length are in tenths of a unit; 24 of them is as good a height as any.
        aspect = float(view.get("aspectRatio") or 1.0)
        if kind == "perspective":
            camera.CreateVerticalApertureAttr(24.0)
            camera.CreateHorizontalApertureAttr(24.0 * aspect)
            camera.CreateFocalLengthAttr(12.0 / float(np.tan(float(view.get("yfov", 0.8)) / 2)))
        else:
            camera.CreateProjectionAttr(UsdGeom.Tokens.orthographic)
            camera.CreateHorizontalApertureAttr(20.0 * float(view.get("xmag", 1.0)))
            camera.CreateVerticalApertureAttr(20.0 * float(view.get("ymag", 1.0)))
        # Without an end it is seen for ever.
        camera.CreateClippingRangeAttr(Gf.Vec2f(float(view.get("znear", 0.01)), float(view.get("zfar", np.inf))))

    def light(self, path: Any, lamp: Light) -> None:
        from pxr import Gf, UsdLux

        source = lamp.source
        kind = str(source.get("type") or "point")
        typed = UsdLux.DistantLight if kind == "directional" else UsdLux.DomeLight if kind == "ambient" else UsdLux.SphereLight
        light = self.piece(typed.Define(self.stage, path))
        self.called(light.GetPrim(), lamp.name)
        light.CreateIntensityAttr(float(source.get("intensity", 1.0)))
        if isinstance(source.get("color"), list):
            light.CreateColorAttr(Gf.Vec3f(*map(float, source["color"][:3])))
        if kind == "spot" and isinstance(source.get("spot"), Mapping):
            UsdLux.ShapingAPI.Apply(light.GetPrim()).CreateShapingConeAngleAttr(
                float(np.degrees(source["spot"].get("outerConeAngle", 0.78)))
            )

    def skins(self) -> None:
        """UsdSkel: a skeleton for each skin below the model's root, with its joints by path and where they stand in the world.

        Each skeleton names the prims of the nodes that its joints are, so that they are found again as what they were.
        """
        from pxr import Gf, UsdSkel, Vt

        if not self.scene.skins:
            return
        world = world_matrices(self.scene)
        above = parents(self.scene)
        for number, skin in enumerate(self.scene.skins):
            skeleton = UsdSkel.Skeleton.Define(self.stage, self.root.AppendChild(f"skeleton_{number}"))
            skeleton.CreateJointsAttr(Vt.TokenArray(self._joint_names(skin.joints, above)))
            inverse = skin.inverse_bind if skin.inverse_bind is not None else np.tile(np.eye(4), (len(skin.joints), 1, 1))
            rows = lambda matrices: Vt.Matrix4dArray([Gf.Matrix4d(matrix.T.tolist()) for matrix in matrices])
            with np.errstate(all="ignore"):
                skeleton.CreateBindTransformsAttr(rows([np.linalg.pinv(m) for m in inverse]))
                own = [self._joint_local(j, skin.joints, above, world) for j in skin.joints]
            skeleton.CreateRestTransformsAttr(rows(own))
            skeleton.GetPrim().SetCustomDataByKey(NODES, Vt.StringArray([str(self.paths[j]) for j in skin.joints]))
            self.called(skeleton.GetPrim(), skin.name or "")
        for i, n in enumerate(self.scene.nodes):
            if n.skin is None or n.mesh is None:
                continue
            path = self.paths[i].AppendChild("mesh")
            prim = self.stage.GetPrimAtPath(path if self.stage.GetPrimAtPath(path) else self.paths[i])
            binding = UsdSkel.BindingAPI.Apply(prim)
            binding.CreateSkeletonRel().SetTargets([self.root.AppendChild(f"skeleton_{n.skin}")])
            binding.CreateGeomBindTransformAttr(Gf.Matrix4d(1.0))
            weights = _faces_alone(self.scene.meshes[n.mesh]).weights
            assert weights is not None
            counts = np.diff(weights.starts)
            wide = max(int(counts.max(initial=0)), 1)
            joints, amounts = np.zeros((len(counts), wide), np.int32), np.zeros((len(counts), wide), np.float32)
            owner = np.repeat(np.arange(len(counts)), counts)
            column = np.arange(len(owner)) - weights.starts[:-1][owner]
            joints[owner, column], amounts[owner, column] = weights.joints, weights.weights
            binding.CreateJointIndicesPrimvar(False, wide).Set(Vt.IntArray.FromNumpy(joints.reshape(-1)))
            binding.CreateJointWeightsPrimvar(False, wide).Set(Vt.FloatArray.FromNumpy(amounts.reshape(-1)))

    def _joint_names(self, joints: tuple[int, ...], above: list[int]) -> list[str]:
        """A path for each joint: its name below the nearest joint above it."""
        taken: dict[int, set[str]] = {}
        names: dict[int, str] = {}
        inside = set(joints)

        def name(j: int) -> str:
            if j not in names:
                up = self._joint_above(j, inside, above)
                own = _identifier(self.scene.nodes[j].name, taken.setdefault(up, set()), f"joint_{j}")
                names[j] = own if up < 0 else f"{name(up)}/{own}"
            return names[j]

        return [name(j) for j in joints]

    def _joint_local(self, j: int, joints: tuple[int, ...], above: list[int], world: F64) -> F64:
        up = self._joint_above(j, set(joints), above)
        out: Array = world[j] if up < 0 else np.linalg.pinv(world[up]) @ world[j]
        return out

    @staticmethod
    def _joint_above(j: int, inside: set[int], above: list[int]) -> int:
        """The nearest joint above a node, -1 where there is none."""
        up = above[j]
        while up >= 0 and up not in inside:
            up = above[up]
        return up

    def clips(self) -> None:
        """Motion of nodes as time samples of their transforms. Only one clip has a place on a stage's timeline."""
        from pxr import Gf, UsdGeom

        for clip in self.scene.clips:
            self.stage.SetTimeCodesPerSecond(1000.0)
            self.stage.SetStartTimeCode(0)
            self.stage.SetEndTimeCode(1000.0 * clip.seconds)
            if clip.name:
                self.stage.SetMetadataByDictKey("customLayerData", CLIP, clip.name)
            for node in dict.fromkeys(channel.node for channel in clip.channels if channel.node is not None):
                movable = UsdGeom.Xformable(self.stage.GetPrimAtPath(self.paths[node]))
                times, matrices = poses(self.scene.nodes[node], [channel for channel in clip.channels if channel.node == node])
                movable.ClearXformOpOrder()
                op = movable.AddTransformOp(opSuffix="clip")
                op.Set(Gf.Matrix4d(self.scene.nodes[node].local.T.tolist()))
                for time, matrix in zip(times, matrices, strict=True):
                    op.Set(Gf.Matrix4d(matrix.T.tolist()), 1000.0 * float(time))


def _plain(mesh: Mesh) -> bool:
    """Whether there is nothing but what one prim holds."""
    return not len(mesh.lines) and not len(mesh.points) and mesh.weights is None


def _faces_alone(mesh: Mesh) -> Mesh:
    """A mesh without its lines and points, and without vertices that only those use."""
    if not len(mesh.lines) and not len(mesh.points):
        return mesh
    beside = np.zeros(len(mesh.positions), bool)
    beside[mesh.lines.reshape(-1)] = beside[mesh.points] = True
    beside[mesh.corners] = False
    return only_vertices(replace(mesh, lines=np.zeros((0, 2), np.int32), points=np.zeros(0, np.int32)), ~beside)


def _scale(material: Material, texture: TextureInput) -> tuple[Any, Any]:
    """`scale` and `bias` of UsdUVTexture: a connected input has no value of its own, so they hold what its image is multiplied by."""
    if texture.role == "normal":
        if "scale" in texture.options or "bias" in texture.options:
            return texture.options.get("scale"), texture.options.get("bias")
        scale = 1.0 if texture.scale is None else float(texture.scale)
        return (2 * scale, 2 * scale, 2, 1), (-scale, -scale, -1, 0)
    factor = {"alpha": material.base_colour[3], "roughness": material.roughness, "metallic": material.metallic}
    if texture.role in factor:
        four: Any = (1.0 if factor[texture.role] is None else factor[texture.role],) * 4
    elif texture.role in ("base-colour", "emissive"):
        four = (*(material.base_colour[:3] if texture.role == "base-colour" else material.emissive), 1.0)
    else:
        four = texture.options.get("scale", (1.0,) * 4)
    return None if tuple(four) == (1.0,) * 4 else four, texture.options.get("bias")


def _single(values: Array) -> F32:
    with np.errstate(over="ignore", invalid="ignore"):
        return np.ascontiguousarray(values, np.float32)
