"""USD in text, binary and package into the neutral scene. The reference library reads it in a child process (usd_child)."""

from __future__ import annotations

import io
import re
import tempfile
import zipfile
import zlib
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np

from ...limits import InputError
from ...machine.extras import need
from ...machine.native import in_child
from ...machine.sections import Opened
from ...packages import Package, checked_entries
from ...scene import Camera, Channel, Clip, Image, Layer, Light, Material, Mesh, Node, Problem, Scene, Skin, TextureInput
from ...scene.matrices import Polar, decompose
from ...scene.model import Morph, Weights, frozen
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...surface.pictures import media_type, referenced
from ...words.arrays import Array
from ...words.json_tree import Json
from .messages import say
from .tags import UNPACKED

_LAYERS = (".usda", ".usdc", ".usd", ".usdz")
_ROLES = {
    "diffuseColor": "base-colour",
    "emissiveColor": "emissive",
    "roughness": "roughness",
    "metallic": "metallic",
    "normal": "normal",
    "occlusion": "occlusion",
    "opacity": "alpha",
    "specularColor": "specular",
    "displacement": "displacement",
    "clearcoat": "clearcoat",
    "clearcoatRoughness": "clearcoat-roughness",
}
#: Inputs whose image is multiplied by a field of the neutral material, and the values that fields are for.
_FACTORS = ("base-colour", "emissive", "alpha", "roughness", "metallic")
_VALUES = ("diffuseColor", "emissiveColor", "opacity", "opacityThreshold", "roughness", "metallic")
#: UsdPreviewSurface specification, UsdUVTexture, wrapS and wrapT; glTF 2.0 §5.26 for the numbers.
_WRAPS = {"repeat": REPEAT, "mirror": MIRROR, "clamp": CLAMP, "black": CLAMP}


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read a USD file with the layers and images of its package. Raises InputError."""
    label = path.rpartition("/")[2]
    need("pxr", "usd", "Reading USD")
    with tempfile.TemporaryDirectory(prefix="handlens-usd-") as folder:
        root = Path(folder).resolve()
        packages: dict[str, str] = {}
        for name in package.names():
            if name == path or name.lower().endswith(_LAYERS):
                place = root / name
                place.parent.mkdir(parents=True, exist_ok=True)
                held = data if name == path else package.read(name)
                place.write_bytes(held)
                if format_of(held) == "usdz" and (first := _unpacked(held, place, name)):
                    packages[str(place)] = first
        request = {
            "file": packages.get(str(root / path), str(root / path)),
            "root": str(root),
            "packages": packages,
            "label": label,
        }
        answer = in_child("formats.usd.child:read_stage", request, label, read=[root])
        return _Scene(package, path, label, data, answer, root).scene()


def _unpacked(data: bytes, place: Path, label: str) -> str | None:
    """Unpack a package beside itself; the path of its first layer (USDZ specification, "Default Layer"), None where it has none.

    Of what is no layer the names alone are laid out, for paths to be resolved to. Raises InputError where it is damaged.
    """
    folder = place.with_name(place.name + UNPACKED)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for name, entry in checked_entries(archive, label).items():
                at = folder / name
                at.parent.mkdir(parents=True, exist_ok=True)
                at.write_bytes(archive.read(entry) if at.suffix.lower() in _LAYERS else b"")
            first = folder / next((n for n in archive.namelist() if not n.endswith("/")), "")
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, ValueError, NotImplementedError, OSError) as error:
        raise InputError(say("usd.damaged-package", label=label)) from error
    return str(first) if first.is_file() and first.is_relative_to(folder) else None


def format_of(data: bytes) -> str:
    """usda, usdc or usdz by the first bytes."""
    return "usdc" if data[:8] == b"PXR-USDC" else "usdz" if data[:4] == b"PK\x03\x04" else "usda"


class _Scene:
    """Makes the scene of a child's answer, checking every index in it."""

    def __init__(self, package: Package, path: str, label: str, data: bytes, answer: Opened, root: Path) -> None:
        self.package, self.path, self.label, self.data, self.answer, self.root = package, path, label, data, answer, root
        self.header = answer.header
        self.problems = [Problem(str(p["kind"]), str(p["text"])) for p in self.header["problems"]]
        self.files: list[tuple[str, str]] = []

    def array(self, section: Json) -> Array:
        return np.frombuffer(self.answer.data, section["kind"], section["count"], self.answer.base + section["at"])

    def scene(self) -> Scene:
        header = self.header
        images = self.images()
        kinds = {
            "mesh": len(header["meshes"]),
            "skin": len(header["skins"]),
            "camera": len(header["cameras"]),
            "light": len(header["lights"]),
        }
        driven = {c["node"] for c in header["channels"]}
        shapes = [self.mesh(k, m) for k, m in enumerate(header["meshes"])]
        nodes = tuple(self.node(i, e, kinds, i in driven, shapes) for i, e in enumerate(header["nodes"]))
        meshes, nodes = _placed(shapes, nodes)
        sets = [self.uv_names(m) for m in header["meshes"]]
        doubled = {k for m in header["meshes"] if m.get("double_sided") for k in m["materials"]}
        channels = tuple(c for entry in header["channels"] for c in self.channel(entry))
        used = [
            n
            for n in self.package.names()
            if n != self.path and PurePosixPath(n).name in header["layers"] and n.lower().endswith(_LAYERS)
        ]
        return Scene(
            format=format_of(self.data),
            nodes=nodes,
            roots=tuple(header["roots"]),
            meshes=meshes,
            materials=tuple(self.material(k, m, sets, k in doubled) for k, m in enumerate(header["materials"])),
            images=images,
            skins=tuple(self.skin(k, s) for k, s in enumerate(header["skins"])),
            clips=(Clip("clip:0", str(header["clip"]) or None, channels),) if channels else (),
            cameras=tuple(Camera(c.pop("name"), c) for c in header["cameras"]),
            lights=tuple(Light(x.pop("name"), x) for x in header["lights"]),
            unit_metres=header["unit"] if header["unit"] and header["unit"] > 0 else None,
            up_axis=header["up"] if header["up"] in ("Y", "Z") else None,
            problems=tuple(self.problems),
            files=tuple(dict.fromkeys([*((n, "model") for n in used), *self.files])),
            linear=True,
        )

    # --- tree ---------------------------------------------------------------------------------

    def node(self, number: int, entry: Json, kinds: dict[str, int], driven: bool, meshes: list[Mesh]) -> Node:
        matrix = np.array(entry["matrix"], np.float64).reshape(4, 4)
        held: dict[str, Any] = {k: entry.get(k) for k in kinds if entry.get(k) is not None and entry[k] < kinds[k]}
        extras = {"purpose": entry["purpose"]} if entry["purpose"] not in ("", "default") else {}
        pieces = [k for k in entry.get("pieces", []) if k < kinds["mesh"]]
        if pieces and "mesh" in held:
            meshes.append(_together(meshes[held["mesh"]], [meshes[k] for k in pieces]))
            held["mesh"] = len(meshes) - 1
        held |= {"children": tuple(entry["children"]), "hidden": bool(entry["hidden"]), "extras": extras}
        straight = np.isfinite(matrix).all() and (driven or Polar(matrix[:3, :3]).shear < 1e-9)
        if straight:
            translation, rotation, scale = decompose(matrix)
            return Node(f"node:{number}", str(entry["name"]), translation, rotation, scale, **held)  # type: ignore[arg-type]
        return Node(f"node:{number}", str(entry["name"]), matrix=frozen(matrix), **held)

    def channel(self, entry: Json) -> list[Channel]:
        times = frozen(self.array(entry["times"]).astype(np.float32))
        if "path" in entry:
            width = 4 if entry["path"] == "rotation" else 3
            return [
                Channel(
                    entry["node"], entry["path"], times, frozen(self.array(entry["values"]).reshape(-1, width).astype(np.float32))
                )
            ]
        poses = [decompose(m) for m in self.array(entry["matrices"]).reshape(-1, 4, 4)]
        parts = {p: np.array([pose[k] for pose in poses], np.float32) for k, p in enumerate(("translation", "rotation", "scale"))}
        turns = parts["rotation"]
        for k in range(1, len(turns)):
            if turns[k] @ turns[k - 1] < 0:
                turns[k] *= -1
        return [Channel(entry["node"], p, times, frozen(v)) for p, v in parts.items() if np.ptp(v, axis=0).max() > 0]

    def skin(self, number: int, entry: Json) -> Skin:
        inverse = np.array(entry["inverse"], np.float64).reshape(-1, 4, 4)
        return Skin(f"skin:{number}", entry["name"] or None, tuple(entry["joints"]), frozen(inverse), entry["root"])

    # --- meshes -------------------------------------------------------------------------------

    def uv_names(self, material: Json) -> list[str]:
        """Names of UV sets in their order: `st` first, as UsdPreviewSurface's own reader calls it by default."""
        return sorted(
            (x["name"] for x in material.get("layers", []) if x["role"] == "uv"), key=lambda n: (n not in ("st", "st0"), n)
        )

    def mesh(self, number: int, material: Json) -> Mesh:
        points = self.array(material["points"]).reshape(-1, 3)
        more: dict[str, Any] = {}
        if "lines" in material:
            more["lines"] = frozen(self.array(material["lines"]).reshape(-1, 2).astype(np.int32))
        if "dots" in material:
            more["points"] = frozen(self.array(material["dots"]).astype(np.int32))
        if "counts" in material:
            more |= self.faces(material, len(points))
        return Mesh(f"mesh:{number}", str(material["name"]), frozen(points), **more)

    def faces(self, material: Json, total: int) -> Json:
        counts, corners, slots = self.array(material["counts"]), self.array(material["corners"]), self.array(material["slots"])
        if (counts < 0).any() or counts.sum() != len(corners):
            raise InputError(
                say(
                    "usd.wrong-corner-count",
                    label=self.label,
                    name=material["name"],
                    corners=int(counts.sum()),
                    there=len(corners),
                )
            )
        if len(corners) and (corners.max() >= total or corners.min() < 0):
            raise InputError(
                say("usd.no-such-point", label=self.label, name=material["name"], vertex=int(corners.max()), total=total)
            )
        holes = self.array(material["holes"])
        keep_face = counts >= 3
        keep_face[holes[(holes >= 0) & (holes < len(counts))]] = False
        left_out = int(len(counts) - keep_face.sum())
        if left_out:
            self.problems.append(
                Problem(
                    "thin-face",
                    say("usd.faces-left-out", left_out=left_out, name=material["name"]),
                )
            )
        order = np.flatnonzero(np.repeat(keep_face, counts))
        counts, slots = counts[keep_face], slots[keep_face]
        starts = np.concatenate([[0], np.cumsum(counts)])
        if material["left"]:
            # The winding of a left-handed mesh runs clockwise seen from the front (UsdGeom, Mesh, orientation): turned, so that it does not.
            ends = np.repeat(starts[:-1] + starts[1:] - 1, counts)
            order = order[ends - np.arange(len(order))]
        if material["subdivision"]:
            self.problems.append(
                Problem(
                    "subdivision",
                    say("usd.subdivision", name=material["name"], subdivision=material["subdivision"]),
                    str(material["name"]),
                )
            )
        layer = lambda x: Layer(
            frozen(self.array(x["values"]).reshape(-1, x["width"])), frozen(self.array(x["index"])[order].astype(np.int32))
        )
        by_name = {x["name"]: layer(x) for x in material["layers"] if x["role"] == "uv"}
        normals = next((layer(x) for x in material["layers"] if x["role"] == "normal"), None)
        colours = tuple(
            Layer(frozen(x.values.astype(np.float32)), x.index)
            for x in (layer(y) for y in material["layers"] if y["role"] == "colour")
        )
        return {
            "corners": frozen(corners[order].astype(np.int32)),
            "starts": frozen(starts.astype(np.int64)),
            "slots": frozen(slots.astype(np.int32)),
            "slot_materials": tuple(material["materials"]),
            "uvs": tuple(by_name[n] for n in self.uv_names(material)),
            "normals": normals,
            "colours": colours,
            "weights": self.weights(material, total),
            "morphs": tuple(Morph(x["name"], frozen(self.array(x["offsets"]).reshape(-1, 3))) for x in material["morphs"]),
        }

    def weights(self, material: Json, total: int) -> Weights | None:
        weights = material.get("weights")
        if weights is None:
            return None
        joints, amounts = self.array(weights["joints"]), self.array(weights["weights"])
        # Entries of weight nought only fill the rows up.
        keep = amounts != 0
        owner = np.repeat(np.arange(total), weights["wide"])[keep]
        starts = np.concatenate([[0], np.cumsum(np.bincount(owner, minlength=total))])
        return Weights(
            frozen(starts.astype(np.int64)), frozen(joints[keep].astype(np.int32)), frozen(amounts[keep].astype(np.float32))
        )

    # --- materials ----------------------------------------------------------------------------

    def images(self) -> tuple[Image, ...]:
        out = []
        inner: dict[str, zipfile.ZipInfo] = {}
        archive = None
        if format_of(self.data) == "usdz":
            archive = zipfile.ZipFile(io.BytesIO(self.data))
            inner = checked_entries(archive, self.label)
        for k, entry in enumerate(self.header["images"]):
            reference = str(entry["reference"])
            name = reference.replace("\\", "/").rpartition("/")[2]
            place = self.inside(str(entry["resolved"]), reference, inner)
            if archive is not None and place:
                data = archive.read(inner[place])
                out.append(Image(f"image:{k}", name, reference, "embedded", None, media_type(data), lambda data=data: data))  # type: ignore[misc]
                continue
            image = referenced(self.package, reference, self.path, k)
            if image.found_at:
                self.files.append((image.found_at, "image"))
            out.append(image)
        return tuple(out)

    def inside(self, resolved: str, reference: str, inner: dict[str, zipfile.ZipInfo]) -> str | None:
        """The entry of the package that an image is, by where it resolved to or by its reference."""
        entry = resolved.rpartition(f"{UNPACKED}/")[2] if UNPACKED in resolved else ""
        for candidate in (
            entry,
            reference.removeprefix("./"),
            *(n for n in inner if n.endswith("/" + reference.removeprefix("./"))),
        ):
            if candidate in inner:
                return candidate
        return None

    def material(self, number: int, source: Json, sets: list[list[str]], doubled: bool) -> Material:
        """UsdPreviewSurface specification: defaults of its inputs, and opacity with its threshold."""
        if not source["known"]:
            return Material(f"material:{number}", source["name"], defined=True, double_sided=doubled)
        values = source["values"]
        three = lambda key, default: tuple(values.get(key, default))[:3]
        one = lambda key, default: float(values.get(key, default))
        opacity, threshold = one("opacity", 1.0), one("opacityThreshold", 0.0)
        read = [self.input(e, sets) for e in source["inputs"]]
        inputs = tuple(t for t, _ in read)
        see_through = opacity < 1 or any(texture.role == "alpha" for texture in inputs)
        mode = "mask" if threshold > 0 else "blend" if see_through else "opaque"
        tints = {t.role: tint for t, tint in read}
        r, g, b = tints["base-colour"][:3] if "base-colour" in tints else three("diffuseColor", (0.18, 0.18, 0.18))
        red, green, blue = tints["emissive"][:3] if "emissive" in tints else three("emissiveColor", (0.0, 0.0, 0.0))
        factors = {texture.role: tints[texture.role]["rgba".find(texture.channel or "a")] for texture in inputs}
        return Material(
            f"material:{number}",
            source["name"],
            (float(r), float(g), float(b), factors.get("alpha", opacity)),
            factors.get("metallic", one("metallic", 0.0)),
            factors.get("roughness", one("roughness", 0.5)),
            (red, green, blue),
            mode,
            threshold if mode == "mask" else None,
            doubled,
            inputs,
            source={"values": rest} if (rest := {k: v for k, v in values.items() if k not in _VALUES}) else {},
        )

    def input(self, entry: Json, sets: list[list[str]]) -> tuple[TextureInput, list[float]]:
        """An input, and what its image is multiplied by: `scale` of UsdUVTexture, red, green, blue and alpha."""
        numbered = re.fullmatch(r"st(\d{1,2})", entry["set"])
        uv = next((names.index(entry["set"]) for names in sets if entry["set"] in names), int(numbered[1]) if numbered else 0)
        sampler = {k: _WRAPS[w] for k, w in zip(("wrapS", "wrapT"), entry["wrap"], strict=True) if w in _WRAPS}
        transform = None
        if entry["transform"]:
            # UsdTransform2d turns in degrees.
            placed = entry["transform"]
            transform = {
                "rotation": float(np.radians(placed["rotation"])),
                "scale": placed["scale"],
                "offset": placed["translation"],
            }
        name: str = entry["name"]
        role = _ROLES.get(name, name)
        tint, strength = _scale(entry), None
        options = {k: entry[k] for k in ("space", "scale", "bias") if entry.get(k)}
        if role in _FACTORS:
            options.pop("scale", None)
        if role == "normal" and np.allclose(entry.get("bias") or (), (-tint[0] / 2, -tint[0] / 2, -1, 0)):
            # Eight bits to -1 … 1, steeper or flatter by its strength (UsdPreviewSurface specification, normal).
            strength = tint[0] / 2
            options = {"space": options["space"]} if "space" in options else {}
        if options.get("space") == space_of(role):
            del options["space"]
        channel = entry["output"] if entry["output"] in ("r", "g", "b", "a") else ""
        return TextureInput(role, (entry["name"],), entry["image"], uv, sampler, transform, strength, channel, options), tint


def _together(faces: Mesh, more: list[Mesh]) -> Mesh:
    """A mesh with the lines and points that came as pieces of their own."""
    positions, lines, points = [faces.positions], [faces.lines], [faces.points]
    weights = faces.weights
    at = len(faces.positions)
    for mesh in more:
        positions.append(mesh.positions)
        lines.append(mesh.lines + at)
        points.append(mesh.points + at)
        at += len(mesh.positions)
    if weights is not None:
        idle = np.full(at - len(faces.positions), weights.starts[-1])
        weights = Weights(frozen(np.concatenate([weights.starts, idle])), weights.joints, weights.weights)
    return replace(
        faces,
        positions=frozen(np.concatenate(positions)),
        lines=frozen(np.concatenate(lines).astype(np.int32)),
        points=frozen(np.concatenate(points).astype(np.int32)),
        weights=weights,
    )


def _placed(meshes: list[Mesh], nodes: tuple[Node, ...]) -> tuple[tuple[Mesh, ...], tuple[Node, ...]]:
    """Without meshes that were only pieces of others."""
    used = sorted({n.mesh for n in nodes if n.mesh is not None})
    if len(used) == len(meshes):
        return tuple(meshes), nodes
    number = {old: new for new, old in enumerate(used)}
    made = tuple(replace(meshes[k], id=f"mesh:{number[k]}") for k in used)
    return made, tuple(n if n.mesh is None else replace(n, mesh=number[n.mesh]) for n in nodes)


def space_of(role: str) -> str:
    """sourceColorSpace of an input: colours as they are shown, all else as numbers (UsdPreviewSurface specification)."""
    return "sRGB" if role in ("base-colour", "emissive", "specular") else "raw"


def _scale(entry: dict[str, Any]) -> list[float]:
    scale = [float(v) for v in entry.get("scale") or ()]
    return [*scale, 1.0, 1.0, 1.0, 1.0][:4] if len(scale) < 4 else scale[:4]
