"""The neutral scene into USD text, or into a package with its images, authored with the reference library.

Package rules are those of the USDZ File Format Specification: entries stored, each beginning on a multiple of 64 bytes, the
first one a USD layer, only USD layers and PNG, JPEG (and a few more) images inside.
"""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

import numpy as np

from ..colour import converted
from ..format_table import BY_NAME
from ..limits import plural
from ..scene import Layer, Material, Mesh, Node, Scene
from ..scene.model import Array
from .accepted import PLAIN_KINDS, accepted, left_out, told
from .channels import channel_of
from .layout import PLAIN, Layout
from .losses import losses
from .names import file_names
from .opacity import alpha_input, in_colour
from .pictures import ENDING_BY_MEDIA, media_type
from .uv_transform import turned_over

#: Images that a package may hold, by ending.
_ALLOWED = {"image/png": ".png", "image/jpeg": ".jpg"}
_INPUTS = {
    "base-colour": ("diffuseColor", "rgb"), "emissive": ("emissiveColor", "rgb"), "roughness": ("roughness", "r"), "metallic": ("metallic", "r"),
    "normal": ("normal", "rgb"), "occlusion": ("occlusion", "r"), "alpha": ("opacity", "r"), "specular": ("specularColor", "rgb"),
}  # fmt: skip
_WRAPS = {10497: "repeat", 33648: "mirror", 33071: "clamp"}


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}: the layer with its images beside, or a package with all of them inside."""
    packed = format_name == "usdz"
    if BY_NAME[scene.format].reader != "usd":
        scene, _ = in_colour(scene)
    if packed:
        scene = accepted(scene, PLAIN_KINDS)
    writer = _Writer(scene, stem, packed, layout.folder)
    text = writer.layer().encode("utf-8")
    if not packed:
        return {f"{stem}.usda": text, **writer.pictures}
    return {f"{stem}.usdz": package([(f"{stem}.usda", text), *writer.pictures.items()])}


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


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that USD cannot hold, or that a package must leave out."""
    lost = losses(scene, format_name)
    if BY_NAME[scene.format].reader != "usd":
        scene, said = in_colour(scene)
        lost += said
    if format_name == "usdz":
        lost += told(scene, PLAIN_KINDS, "a USD package")
    roles = sorted({t.role for m in scene.materials for t in m.inputs if t.role not in (*_INPUTS, "metallic-roughness")})
    if roles:
        lost.append(f"Material inputs without a place in UsdPreviewSurface are left out: {', '.join(roles)}.")
    if len(scene.clips) > 1:
        lost.append(f"A stage has one timeline: {len(scene.clips) - 1} further clips are left out.")
    if scene.skins and scene.clips:
        lost.append("Joints of a skeleton keep their rest; their clips move the nodes that they came from.")
    if format_name == "usdz":
        other = left_out(scene, PLAIN_KINDS)
        if other:
            lost.append(
                f"{plural(other, 'image is', 'images are')} neither PNG nor JPEG, which alone a package may hold, and left out."
            )
    return lost


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
    def __init__(self, scene: Scene, stem: str, packed: bool, folder: str) -> None:
        from pxr import Sdf, Usd, UsdGeom

        self.scene, self.packed = scene, packed
        self.v_down = BY_NAME[scene.format].v_down
        self.stage = Usd.Stage.CreateInMemory()
        if scene.unit_metres is not None:
            UsdGeom.SetStageMetersPerUnit(self.stage, scene.unit_metres)
        if scene.up_axis in ("Y", "Z"):
            UsdGeom.SetStageUpAxis(self.stage, scene.up_axis)
        self.root = Sdf.Path("/" + _identifier(stem, set(), "model"))
        self.top = UsdGeom.Xform.Define(self.stage, self.root)
        self.stage.SetDefaultPrim(self.top.GetPrim())
        names = file_names(scene.images, ENDING_BY_MEDIA, {f"{stem}.usda"}, folder)
        self.pictures: dict[str, bytes] = {}
        self.references: dict[int, str] = {}
        for k, image in enumerate(scene.images):
            data = image.bytes()
            # Anchored to the layer: without the dot a resolver may look for it elsewhere first.
            self.references[k] = f"./{names[k]}" if data is not None else image.reference
            if data is not None and (not packed or media_type(data) in _ALLOWED):
                self.pictures[names[k]] = data
        uses = [n.mesh for n in scene.nodes if n.mesh is not None and n.skin is None]
        self.often = {k for k in set(uses) if uses.count(k) > 1 and self._plain(scene.meshes[k])}
        self.classes: dict[int, Any] = {}
        self.materials = [self.material(m) for m in self._named(scene.materials)]
        #: Path of each node's prim.
        self.paths: dict[int, Any] = {}

    def _named(self, materials: tuple[Material, ...]) -> list[tuple[str, Material]]:
        taken: set[str] = set()
        return [(_identifier(m.name, taken, f"material_{k}"), m) for k, m in enumerate(materials)]

    def layer(self) -> str:
        taken: set[str] = {"Materials", "Shapes"}
        stack = [(r, self.root, taken) for r in reversed(self.scene.roots)]
        while stack:
            i, owner, names = stack.pop()
            path = self.node(i, owner, names)
            inner: set[str] = {"mesh", "camera", "light"}
            stack.extend((c, path, inner) for c in reversed(self.scene.nodes[i].children))
        self.skins()
        self.clips()
        text: str = self.stage.GetRootLayer().ExportToString()
        return text

    # --- tree ---------------------------------------------------------------------------------

    def node(self, i: int, owner: Any, taken: set[str]) -> Any:
        from pxr import UsdGeom

        n = self.scene.nodes[i]
        name = _identifier(n.name, taken, f"node_{i}")
        path = owner.AppendChild(name)
        skinned = n.skin is not None and n.mesh is not None and self.scene.meshes[n.mesh].weights is not None
        lone = n.mesh is not None and not n.children and n.camera is None and n.light is None and not skinned
        typed = UsdGeom.Mesh if lone and self._is_mesh(n) else UsdGeom.Xform
        prim = typed.Define(self.stage, path)
        if n.name and n.name != name:
            prim.GetPrim().SetDisplayName(n.name)
        self.place(UsdGeom.Xformable(prim), n)
        if n.hidden:
            UsdGeom.Imageable(prim).CreateVisibilityAttr(UsdGeom.Tokens.invisible)
        self.paths[i] = path
        if n.mesh is not None:
            self.shape(path if typed is UsdGeom.Mesh else path.AppendChild("mesh"), n.mesh)
        if n.camera is not None:
            self.camera(path.AppendChild("camera"), n.camera)
        if n.light is not None:
            self.light(path.AppendChild("light"), n.light)
        return path

    def _is_mesh(self, n: Node) -> bool:
        return n.mesh is not None and self._plain(self.scene.meshes[n.mesh])

    @staticmethod
    def _plain(mesh: Mesh) -> bool:
        """Whether there are faces alone, which one prim holds."""
        return bool(mesh.face_count) and not len(mesh.lines) and not len(mesh.points)

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

    def shape(self, path: Any, number: int) -> None:
        """The faces of a mesh, and its lines and points beside them as prims of their own."""
        from pxr import UsdGeom, Vt

        mesh = self.scene.meshes[number]
        if number in self.often and mesh.weights is None:
            self.inherit(path, number)
            return
        if mesh.face_count or not (len(mesh.lines) or len(mesh.points)):
            self.faces(UsdGeom.Mesh.Define(self.stage, path), mesh)
        points = Vt.Vec3fArray.FromNumpy(_single(mesh.positions))
        beside = path.GetParentPath() if path.name == "mesh" else path
        if len(mesh.lines):
            curves = UsdGeom.BasisCurves.Define(self.stage, beside.AppendChild("lines"))
            curves.CreateTypeAttr(UsdGeom.Tokens.linear)
            curves.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(_single(mesh.positions[mesh.lines.reshape(-1)])))
            curves.CreateCurveVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.lines), 2, np.int32)))
        if len(mesh.points):
            UsdGeom.Points.Define(self.stage, beside.AppendChild("points")).CreatePointsAttr(
                points if not mesh.face_count else Vt.Vec3fArray.FromNumpy(_single(mesh.positions[mesh.points]))
            )

    def faces(self, prim: Any, mesh: Mesh) -> None:
        from pxr import Sdf, UsdGeom, UsdShade, Vt

        ints = lambda a: Vt.IntArray.FromNumpy(np.ascontiguousarray(a, np.int32))
        prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(_single(mesh.positions)))
        prim.CreateFaceVertexCountsAttr(ints(mesh.corner_counts))
        prim.CreateFaceVertexIndicesAttr(ints(mesh.corners))
        # Polygons are what they are: without this a reader would subdivide them.
        prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        if any(k >= 0 and self.scene.materials[k].double_sided for k in mesh.slot_materials):
            prim.CreateDoubleSidedAttr(True)
        if mesh.name and mesh.name != prim.GetPrim().GetName() and prim.GetPrim().GetName() == "mesh":
            prim.GetPrim().SetDisplayName(mesh.name)
        primvars = UsdGeom.PrimvarsAPI(prim)
        types = Sdf.ValueTypeNames
        for k, uv in enumerate(mesh.uvs):
            values = uv.values.astype(np.float64)
            values = np.column_stack([values[:, 0], 1 - values[:, 1]]) if self.v_down else values
            self.primvar(primvars, "st" if k == 0 else f"st{k}", types.TexCoord2fArray, Vt.Vec2fArray, Layer(values, uv.index))
        if mesh.normals is not None:
            self.primvar(primvars, "normals", types.Normal3fArray, Vt.Vec3fArray, mesh.normals)
        for c in mesh.colours[:1]:
            self.primvar(primvars, "displayColor", types.Color3fArray, Vt.Vec3fArray, Layer(c.values[:, :3], c.index))
        binding = UsdShade.MaterialBindingAPI
        used = [k for k in mesh.slot_materials if k >= 0]
        if used and (len(mesh.slot_materials) == 1 or not len(mesh.slots)):
            binding.Apply(prim.GetPrim()).Bind(self.materials[used[0]])
        elif used:
            for s, k in enumerate(mesh.slot_materials):
                if k >= 0:
                    own = np.flatnonzero(mesh.slots == s)
                    subset = UsdGeom.Subset.CreateGeomSubset(
                        prim, f"slot_{s}", UsdGeom.Tokens.face, ints(own), UsdShade.Tokens.materialBind
                    )
                    binding.Apply(subset.GetPrim()).Bind(self.materials[k])
            # A face has one material at most.
            binding.Apply(prim.GetPrim()).SetMaterialBindSubsetsFamilyType(UsdGeom.Tokens.nonOverlapping)

    def primvar(self, primvars: Any, name: str, kind: Any, array: Any, layer: Layer) -> None:
        """Face-varying values with their own index; a corner that has none gets a value of zeros at the end."""
        from pxr import UsdGeom, Vt

        values, index = layer.values.astype(np.float64), layer.index
        if (index < 0).any():
            index = np.where(index < 0, len(values), index)
            values = np.concatenate([values, np.zeros((1, values.shape[1]))])
        made = primvars.CreatePrimvar(name, kind, UsdGeom.Tokens.faceVarying)
        made.Set(array.FromNumpy(_single(values)))
        made.SetIndices(Vt.IntArray.FromNumpy(np.ascontiguousarray(index, np.int32)))

    # --- materials ----------------------------------------------------------------------------

    def material(self, named: tuple[str, Material]) -> Any:
        """UsdPreviewSurface specification."""
        from pxr import Gf, Sdf, UsdGeom, UsdShade

        name, m = named
        linear = BY_NAME[self.scene.format].linear
        scope = self.root.AppendChild("Materials")
        UsdGeom.Scope.Define(self.stage, scope)
        path = scope.AppendChild(name)
        material = UsdShade.Material.Define(self.stage, path)
        if m.name and m.name != name:
            material.GetPrim().SetDisplayName(m.name)
        surface = UsdShade.Shader.Define(self.stage, path.AppendChild("surface"))
        surface.CreateIdAttr("UsdPreviewSurface")
        material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
        types = Sdf.ValueTypeNames
        colour = Gf.Vec3f(*map(float, converted(m.base_colour[:3], linear, True)))
        surface.CreateInput("diffuseColor", types.Color3f).Set(colour)
        if any(m.emissive):
            surface.CreateInput("emissiveColor", types.Color3f).Set(Gf.Vec3f(*map(float, converted(m.emissive, linear, True))))
        surface.CreateInput("roughness", types.Float).Set(float(m.roughness if m.roughness is not None else 1.0))
        surface.CreateInput("metallic", types.Float).Set(float(m.metallic or 0.0))
        if m.base_colour[3] != 1:
            surface.CreateInput("opacity", types.Float).Set(float(m.base_colour[3]))
        if m.alpha_mode == "mask":
            surface.CreateInput("opacityThreshold", types.Float).Set(float(m.alpha_cutoff if m.alpha_cutoff is not None else 0.5))
        for t in m.inputs:
            self.texture(path, surface, m, t)
        return material

    def texture(self, path: Any, surface: Any, m: Material, t: Any) -> None:
        from pxr import Gf, Sdf, UsdShade

        types = Sdf.ValueTypeNames
        # One image for roughness and metallic: green and blue of it (glTF 2.0 §3.9.2).
        places = (
            [("roughness", "g"), ("metallic", "b")]
            if t.role == "metallic-roughness"
            else [_INPUTS[t.role]]
            if t.role in _INPUTS
            else []
        )
        if t.image is None or not places:
            return
        # A package may refer to nothing outside of it, so an image that it cannot hold is not named either.
        if self.packed and self.references[t.image].removeprefix("./") not in self.pictures:
            return
        if t.role == "base-colour" and m.alpha_mode in ("mask", "blend") and alpha_input(m) is None:
            places.append(("opacity", "a"))
        if t.role in ("alpha", "roughness", "metallic", "occlusion"):
            # One channel of its picture: the one that it states, where every channel is the same any.
            places = [(places[0][0], channel_of(t).replace("l", "r") or "r")]
        name = re.sub(r"[^A-Za-z0-9_]", "_", t.role)
        shader = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_image"))
        shader.CreateIdAttr("UsdUVTexture")
        shader.CreateInput("file", types.Asset).Set(Sdf.AssetPath(self.references[t.image]))
        for key in ("wrapS", "wrapT"):
            shader.CreateInput(key, types.Token).Set(_WRAPS.get(t.sampler.get(key, 10497), "repeat"))
        shader.CreateInput("sourceColorSpace", types.Token).Set(
            "sRGB" if t.role in ("base-colour", "emissive", "specular") else "raw"
        )
        if t.role == "normal":
            shader.CreateInput("scale", types.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
            shader.CreateInput("bias", types.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
        tint = self.tint(m, t.role)
        if tint != (1.0, 1.0, 1.0, 1.0):
            shader.CreateInput("scale", types.Float4).Set(Gf.Vec4f(*tint))
        reader = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_uv"))
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", types.String).Set("st" if t.uv_set == 0 else f"st{t.uv_set}")
        source = reader
        if t.transform:
            moved = turned_over(t.transform, True) if self.v_down else t.transform
            source = UsdShade.Shader.Define(self.stage, path.AppendChild(f"{name}_transform"))
            source.CreateIdAttr("UsdTransform2d")
            source.CreateInput("rotation", types.Float).Set(float(np.degrees(moved.get("rotation", 0.0))))
            source.CreateInput("scale", types.Float2).Set(Gf.Vec2f(*moved.get("scale", (1.0, 1.0))))
            source.CreateInput("translation", types.Float2).Set(Gf.Vec2f(*moved.get("offset", (0.0, 0.0))))
            source.CreateInput("in", types.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        shader.CreateInput("st", types.Float2).ConnectToSource(source.ConnectableAPI(), "result")
        for key, output in places:
            kind = types.Normal3f if key == "normal" else types.Color3f if output == "rgb" else types.Float
            given = surface.GetInput(key) or surface.CreateInput(key, kind)
            shader.CreateOutput(output, types.Float3 if output == "rgb" else types.Float)
            given.ConnectToSource(shader.ConnectableAPI(), output)

    def tint(self, m: Material, role: str) -> tuple[float, ...]:
        """What an image is multiplied by: a connected input has no value of its own, so UsdUVTexture's scale holds it."""
        of = lambda v: 1.0 if v is None else float(v)
        if role == "metallic-roughness":
            return (1.0, of(m.roughness), of(m.metallic), 1.0)
        single = {"alpha": m.base_colour[3], "roughness": m.roughness, "metallic": m.metallic}
        if role in single:
            return (of(single[role]),) * 4
        if role not in ("base-colour", "emissive"):
            return (1.0, 1.0, 1.0, 1.0)
        colour = m.base_colour[:3] if role == "base-colour" else m.emissive
        opacity = m.base_colour[3] if role == "base-colour" and m.alpha_mode in ("mask", "blend") else 1.0
        return (*map(float, converted(colour, BY_NAME[self.scene.format].linear, True)), float(opacity))

    # --- cameras, lights, rigs ----------------------------------------------------------------

    def camera(self, path: Any, number: int) -> None:
        from pxr import Gf, UsdGeom

        source = self.scene.cameras[number].source
        camera = UsdGeom.Camera.Define(self.stage, path)
        kind = "orthographic" if source.get("type") == "orthographic" else "perspective"
        view = source.get(kind) or {}
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
        camera.CreateClippingRangeAttr(Gf.Vec2f(float(view.get("znear", 0.01)), float(view.get("zfar", 1e5))))

    def light(self, path: Any, number: int) -> None:
        from pxr import Gf, UsdLux

        source = self.scene.lights[number].source
        kind = str(source.get("type") or "point")
        typed = UsdLux.DistantLight if kind == "directional" else UsdLux.DomeLight if kind == "ambient" else UsdLux.SphereLight
        light = typed.Define(self.stage, path)
        light.CreateIntensityAttr(float(source.get("intensity", 1.0)))
        if isinstance(source.get("color"), list):
            light.CreateColorAttr(Gf.Vec3f(*map(float, source["color"][:3])))
        if kind == "spot" and isinstance(source.get("spot"), dict):
            UsdLux.ShapingAPI.Apply(light.GetPrim()).CreateShapingConeAngleAttr(
                float(np.degrees(source["spot"].get("outerConeAngle", 0.78)))
            )

    def skins(self) -> None:
        """UsdSkel: a skeleton for each skin below the model's root, with its joints by path and where they stand in the world."""
        from pxr import Gf, UsdSkel, Vt

        from ..scene.transforms import world_matrices

        rigged = [
            i
            for i, n in enumerate(self.scene.nodes)
            if n.skin is not None and n.mesh is not None and self.scene.meshes[n.mesh].weights is not None
        ]
        if not rigged:
            return
        UsdSkel.Root.Define(self.stage, self.root)
        world = world_matrices(self.scene)
        above = {c: i for i, n in enumerate(self.scene.nodes) for c in n.children}
        for s, skin in enumerate(self.scene.skins):
            names = self._joint_names(skin.joints, above)
            skeleton = UsdSkel.Skeleton.Define(self.stage, self.root.AppendChild(f"skeleton_{s}"))
            skeleton.CreateJointsAttr(Vt.TokenArray(names))
            inverse = skin.inverse_bind if skin.inverse_bind is not None else np.tile(np.eye(4), (len(skin.joints), 1, 1))
            rows = lambda matrices: Vt.Matrix4dArray([Gf.Matrix4d(m.T.tolist()) for m in matrices])
            with np.errstate(all="ignore"):
                skeleton.CreateBindTransformsAttr(rows([np.linalg.pinv(m) for m in inverse]))
                own = [self._joint_local(j, skin.joints, above, world) for j in skin.joints]
            skeleton.CreateRestTransformsAttr(rows(own))
            if skin.name:
                skeleton.GetPrim().SetDisplayName(skin.name)
        for i in rigged:
            n = self.scene.nodes[i]
            assert n.mesh is not None
            prim = self.stage.GetPrimAtPath(self.paths[i].AppendChild("mesh"))
            binding = UsdSkel.BindingAPI.Apply(prim)
            binding.CreateSkeletonRel().SetTargets([self.root.AppendChild(f"skeleton_{n.skin}")])
            binding.CreateGeomBindTransformAttr(Gf.Matrix4d(1.0))
            weights = self.scene.meshes[n.mesh].weights
            assert weights is not None
            counts = np.diff(weights.starts)
            wide = max(int(counts.max(initial=0)), 1)
            joints, amounts = np.zeros((len(counts), wide), np.int32), np.zeros((len(counts), wide), np.float32)
            owner = np.repeat(np.arange(len(counts)), counts)
            column = np.arange(len(owner)) - weights.starts[:-1][owner]
            joints[owner, column], amounts[owner, column] = weights.joints, weights.weights
            binding.CreateJointIndicesPrimvar(False, wide).Set(Vt.IntArray.FromNumpy(joints.reshape(-1)))
            binding.CreateJointWeightsPrimvar(False, wide).Set(Vt.FloatArray.FromNumpy(amounts.reshape(-1)))

    def _joint_names(self, joints: tuple[int, ...], above: dict[int, int]) -> list[str]:
        """A path for each joint: its name below the nearest joint above it."""
        taken: dict[int, set[str]] = {}
        names: dict[int, str] = {}
        inside = set(joints)

        def name(j: int) -> str:
            if j not in names:
                up = above.get(j)
                while up is not None and up not in inside:
                    up = above.get(up)
                own = _identifier(self.scene.nodes[j].name, taken.setdefault(-1 if up is None else up, set()), f"joint_{j}")
                names[j] = own if up is None else f"{name(up)}/{own}"
            return names[j]

        return [name(j) for j in joints]

    def _joint_local(self, j: int, joints: tuple[int, ...], above: dict[int, int], world: Array) -> Array:
        up = above.get(j)
        while up is not None and up not in joints:
            up = above.get(up)
        out: Array = world[j] if up is None else np.linalg.pinv(world[up]) @ world[j]
        return out

    def clips(self) -> None:
        """Motion of nodes as time samples of their transforms. Only one clip has a place on a stage's timeline."""
        from pxr import Gf, UsdGeom

        from .collada_write import poses

        for clip in self.scene.clips[:1]:
            self.stage.SetTimeCodesPerSecond(1000.0)
            self.stage.SetStartTimeCode(0)
            self.stage.SetEndTimeCode(1000.0 * clip.seconds)
            for node in dict.fromkeys(c.node for c in clip.channels if c.node is not None and c.path != "weights"):
                movable = UsdGeom.Xformable(self.stage.GetPrimAtPath(self.paths[node]))
                times, matrices = poses(self.scene.nodes[node], [c for c in clip.channels if c.node == node])
                movable.ClearXformOpOrder()
                op = movable.AddTransformOp(opSuffix="clip")
                op.Set(Gf.Matrix4d(self.scene.nodes[node].local.T.tolist()))
                for t, m in zip(times, matrices, strict=True):
                    op.Set(Gf.Matrix4d(m.T.tolist()), 1000.0 * float(t))


def _single(values: Array) -> Array:
    with np.errstate(over="ignore", invalid="ignore"):
        return np.ascontiguousarray(values, np.float32)
