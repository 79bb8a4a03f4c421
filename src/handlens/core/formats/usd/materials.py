"""Materials of a USD stage: UsdShade and the UsdPreviewSurface specification."""

from __future__ import annotations

from typing import Any

from pxr import Sdf, Usd, UsdShade

from .values import Gathered, called


class Materials:
    """Materials and images in the order in which they are met."""

    def __init__(self, gathered: Gathered) -> None:
        self.gathered = gathered
        self.found: list[dict[str, Any]] = []
        self.images: list[dict[str, str]] = []
        self.numbers: dict[str, int] = {}

    def bound_to(self, prim: Usd.Prim) -> int:
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        return self._number(material) if material else -1

    def unbound(self, stage: Usd.Stage) -> None:
        """Read what nothing is bound to as well."""
        for prim in stage.Traverse():
            if prim.IsA(UsdShade.Material):
                self._number(UsdShade.Material(prim))

    def _number(self, material: UsdShade.Material) -> int:
        path = str(material.GetPath())
        if path not in self.numbers:
            self.numbers[path] = len(self.found)
            self.found.append({})
            self.found[self.numbers[path]] = self._read(material)
        return self.numbers[path]

    def _read(self, material: UsdShade.Material) -> dict[str, Any]:
        surface = material.ComputeSurfaceSource()[0]
        entry: dict[str, Any] = {
            "name": called(material.GetPrim()),
            "values": {},
            "inputs": [],
            "known": False,
        }
        if not surface or surface.GetIdAttr().Get() != "UsdPreviewSurface":
            self.gathered.count("materials are of another kind than UsdPreviewSurface, so their values were not read.")
            return entry
        entry["known"] = True
        for given in surface.GetInputs():
            name = str(given.GetBaseName())
            sources = given.GetConnectedSources()[0]
            if sources:
                texture = self._texture(UsdShade.Shader(sources[0].source.GetPrim()), str(sources[0].sourceName))
                if texture:
                    entry["inputs"].append({"name": name, **texture})
                continue
            value = given.Get()
            if value is None:
                continue
            plain = [float(v) for v in value] if hasattr(value, "__len__") and not isinstance(value, str) else value
            if name in _WIDTHS and not _is_of(plain, _WIDTHS[name]):
                self.gathered.count(
                    "inputs of materials are of another type than UsdPreviewSurface gives them, and were not read."
                )
            else:
                entry["values"][name] = plain
        return entry

    def _texture(self, shader: UsdShade.Shader, output: str) -> dict[str, Any] | None:
        """UsdPreviewSurface specification, UsdUVTexture with its reader of coordinates and its transform."""
        if not shader or shader.GetIdAttr().Get() != "UsdUVTexture":
            return None
        get = lambda key: shader.GetInput(key).Get() if shader.GetInput(key) else None
        file = get("file")
        out: dict[str, Any] = {
            "output": output,
            "image": self._image(file),
            "wrap": [str(get("wrapS") or ""), str(get("wrapT") or "")],
            "set": "",
            "space": str(get("sourceColorSpace") or ""),
            "transform": None,
        }
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

    def _image(self, file: Sdf.AssetPath | None) -> int | None:
        if file is None or not file.path:
            return None
        entry = {"reference": file.path, "resolved": str(file.resolvedPath or "")}
        if entry not in self.images:
            self.images.append(entry)
        return self.images.index(entry)


#: How many numbers each of the inputs that a material is made of holds (UsdPreviewSurface specification); 0: one alone.
_WIDTHS = {"diffuseColor": 3, "emissiveColor": 3, "opacity": 0, "opacityThreshold": 0, "roughness": 0, "metallic": 0}


def _is_of(value: Any, width: int) -> bool:
    return isinstance(value, list) and len(value) == width if width else isinstance(value, (int, float))


def _pair(value: Any, default: Any) -> Any:
    """A number, or two, as the default is; the default where the stage has another kind of value."""
    if isinstance(default, float):
        return float(value) if isinstance(value, (int, float)) else default
    return [float(v) for v in value] if hasattr(value, "__len__") and len(value) == 2 else default
