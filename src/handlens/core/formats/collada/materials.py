"""COLLADA materials: the common profile's shading, its texture inputs, and images in all forms of reference.

1.4.1, chapter 4 "Opacity" and chapter 5, `material`, `effect`, `profile_COMMON`, `image`; 1.5.0 moves references into `ref`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from urllib.parse import unquote

from ...packages import Package
from ...scene import Image, Material, Problem, TextureInput
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...surface.pictures import media_type, referenced
from ..shared.xml import Element, Numbers
from .messages import say

_ROLES = {
    "diffuse": "base-colour",
    "emission": "emissive",
    "ambient": "ambient",
    "specular": "specular",
    "transparent": "alpha",
    "reflective": "reflection",
}
#: Values of `opaque` and the channel that says how solid: RGB_ZERO takes the luminance of what is see-through.
OPAQUE = {"A_ONE": "", "A_ZERO": "-a", "RGB_ONE": "l", "RGB_ZERO": "-l"}
_WRAPS = {"CLAMP": CLAMP, "BORDER": CLAMP, "MIRROR": MIRROR, "WRAP": REPEAT}


class Effects:
    """Materials by the order of their library, images by the order of theirs."""

    def __init__(
        self, package: Package, path: str, root: Element, by_id: dict[str, Element], numbers: Numbers, problems: list[Problem]
    ) -> None:
        self.package, self.path, self.by_id, self.numbers, self.problems = package, path, by_id, numbers, problems
        self.image_elements = [e for library in root.findall("library_images") for e in library.iter("image")]
        self.image_numbers = {
            image_element.get("id") or image_element.get("name") or "": k for k, image_element in enumerate(self.image_elements)
        }
        self.image_list = [self._image(image_element, k) for k, image_element in enumerate(self.image_elements)]
        self.material_elements = [e for library in root.findall("library_materials") for e in library.findall("material")]
        self.material_numbers = {material_element.get("id") or "": k for k, material_element in enumerate(self.material_elements)}
        self.uv_sets: dict[tuple[int, str], int] = {}
        #: Materials that some instance has, whose UV sets are what it binds.
        self.used: set[int] = set()
        self.undefined: list[str] = []

    def images(self) -> tuple[Image, ...]:
        return tuple(self.image_list)

    def files(self) -> Iterator[tuple[str, str]]:
        return ((i.found_at, "image") for i in dict.fromkeys(self.image_list) if i.found_at)

    def materials(self) -> tuple[Material, ...]:
        defined = [self._material(material_element, k) for k, material_element in enumerate(self.material_elements)]
        # A symbol that nothing binds is a name all the same, as the material it was meant for.
        lost = [Material(f"material:{len(defined) + k}", name, defined=False) for k, name in enumerate(self.undefined)]
        return (*defined, *lost)

    def binding(self, instance: Element, symbols: tuple[str, ...]) -> tuple[int, ...]:
        """The material of each symbol as this instance binds it, -1 for faces without a symbol."""
        bound: dict[str, int] = {}
        for bound_material in instance.findall("bind_material/technique_common/instance_material"):
            key = unquote((bound_material.get("target") or "").lstrip("#"))
            number = self.material_numbers.get(key)
            if number is None:
                self.problems.append(Problem("broken-reference", say("collada.no-such-material", key=key), "instance_material"))
                continue
            bound[bound_material.get("symbol") or ""] = number
            self.used.add(number)
            for uv_bound in bound_material.findall("bind_vertex_input"):
                text = uv_bound.get("input_set") or "0"
                self.uv_sets[number, uv_bound.get("semantic") or ""] = (
                    int(text) if text.isascii() and text.isdigit() and len(text) < 4 else 0
                )
        return tuple(self._bound(symbol, bound) for symbol in symbols)

    def _bound(self, symbol: str, bound: dict[str, int]) -> int:
        if not symbol:
            return -1
        # Without a binding the symbol is often the material's own id (common practice, no published source).
        found = bound.get(symbol, self.material_numbers.get(symbol))
        if found is not None:
            self.used.add(found)
            return found
        if symbol not in self.undefined:
            self.undefined.append(symbol)
        return len(self.material_elements) + self.undefined.index(symbol)

    # --- images -------------------------------------------------------------------------------

    def _image(self, element: Element, number: int) -> Image:
        name = element.get("name") or element.get("id") or ""
        source = element.find("init_from")
        reference = ""
        if source is not None:
            reference = (source.findtext("ref") or source.text or "").strip()
        embedded = element.findtext("data") or (source.findtext("hex") if source is not None else None)
        if embedded:
            try:
                data = bytes.fromhex("".join(embedded.split()))
            except ValueError:
                return Image(f"image:{number}", name, name, "missing")
            return Image(f"image:{number}", name, name, "embedded", None, media_type(data), lambda: data)
        return referenced(self.package, reference, self.path, number, name)

    # --- materials ----------------------------------------------------------------------------

    def _material(self, element: Element, number: int) -> Material:
        name = element.get("name")
        name = (element.get("id") or "") if name is None else name
        link = element.find("instance_effect")
        effect = self.by_id.get(unquote((link.get("url") or "").lstrip("#"))) if link is not None else None
        profile = effect.find("profile_COMMON") if effect is not None else None
        shading = (
            None if profile is None else next((s for t in profile.findall("technique") for s in t if s.tag in _SHADINGS), None)
        )
        if effect is None or profile is None or shading is None:
            if effect is None:
                self.problems.append(Problem("broken-reference", say("collada.no-such-effect", name=name), name))
            return Material(f"material:{number}", name, defined=False)
        params = {
            e.get("sid") or "": e for scope in (effect, profile, *profile.findall("technique")) for e in scope.findall("newparam")
        }
        colours = {tag: self._colour(shading.find(tag), params) for tag in _ROLES}
        inputs = []
        for tag, role in _ROLES.items():
            texture = shading.find(f"{tag}/texture")
            if texture is not None:
                made = self._input(role, (shading.tag, tag), texture, params, number)
                owner = texture.getparent()
                if tag == "transparent" and owner is not None:
                    made = replace(made, channel=OPAQUE.get(owner.get("opaque") or "A_ONE", ""))
                inputs.append(made)
        inputs += [self._input("bump", ("bump",), t, params, number) for b in effect.iter("bump") for t in b.findall("texture")]
        inputs += [
            self._input("normal", ("normal",), t, params, number) for b in effect.iter("normalmap") for t in b.findall("texture")
        ]
        red, green, blue, _ = colours["diffuse"] or (1.0, 1.0, 1.0, 1.0)
        # A texture takes the place of the colour, so what it is multiplied by is white.
        dark = (1.0, 1.0, 1.0, 1.0) if any(texture.role == "emissive" for texture in inputs) else (0.0, 0.0, 0.0, 1.0)
        emission = colours["emission"] or dark
        return Material(
            f"material:{number}",
            name,
            (red, green, blue, self._opacity(shading, colours["transparent"])),
            emissive=emission[:3],
            inputs=tuple(inputs),
            source=self._beside(shading),
        )

    def _beside(self, shading: Element) -> dict[str, Any]:
        """What of a shading no field is for, as it is written; lambert without any of it says nothing."""
        values = {
            e.tag: (e[0].text or "").strip()
            for e in shading
            if isinstance(e.tag, str) and e.tag not in _KNOWN and len(e) and e[0].tag in ("color", "float")
        }
        kind = {"shading": shading.tag} if shading.tag != "lambert" else {}
        return kind | ({"values": values} if values else {})

    def _colour(self, element: Element | None, params: dict[str, Element]) -> tuple[float, float, float, float] | None:
        if element is None:
            return None
        colour = element.find("color")
        link = element.find("param")
        if colour is None and link is not None:
            param = params.get(link.get("ref") or "")
            colour = next((e for e in param if e.tag in ("float3", "float4")), None) if param is not None else None
        if colour is None:
            return None
        values = [float(v) for v in self.numbers.floats(colour)[:4]]
        values += [0.0] * (3 - len(values)) + [1.0] if len(values) < 4 else []
        return values[0], values[1], values[2], values[3]

    def _opacity(self, shading: Element, transparent: tuple[float, float, float, float] | None) -> float:
        """Chapter 4, "Determining Transparency (Opacity)": A_ONE takes alpha, RGB_ZERO the luminance, of transparent times transparency."""
        element = shading.find("transparent")
        if element is not None and element.find("texture") is not None and element.get("opaque") in ("A_ZERO", "RGB_ZERO"):
            # What is see-through is said by the picture alone: a share of it is no share of what is solid.
            return 1.0
        amount = shading.find("transparency/float")
        share = float(self.numbers.floats(amount, 1)[0]) if amount is not None else 1.0
        if element is None and amount is None:
            return 1.0
        mode = (element.get("opaque") if element is not None else None) or "A_ONE"
        colour = transparent or (1.0, 1.0, 1.0, 1.0)
        luminance = 0.212671 * colour[0] + 0.715160 * colour[1] + 0.072169 * colour[2]
        opacity = {
            "A_ONE": colour[3] * share,
            "A_ZERO": 1 - colour[3] * share,
            "RGB_ONE": luminance * share,
            "RGB_ZERO": 1 - luminance * share,
        }.get(mode, 1.0)
        return min(max(opacity, 0.0), 1.0)

    def _input(
        self, role: str, path: tuple[str, ...], texture: Element, params: dict[str, Element], material: int
    ) -> TextureInput:
        name = texture.get("texture") or ""
        sampler: dict[str, int] = {}
        image: int | None = None
        param = params.get(name)
        if param is not None:
            body = param.find("sampler2D")
            if body is not None:
                for key, tag in (("wrapS", "wrap_s"), ("wrapT", "wrap_t")):
                    word = (body.findtext(tag) or "").strip()
                    if word in _WRAPS:
                        sampler[key] = _WRAPS[word]
                link = body.find("instance_image")
                surface = params.get((body.findtext("source") or "").strip())
                if link is not None:
                    image = self.image_numbers.get(unquote((link.get("url") or "").lstrip("#")))
                elif surface is not None:
                    image = self.image_numbers.get((surface.findtext("surface/init_from") or "").strip())
        if image is None:
            # Older writers name the image outright (common practice, no published source).
            image = self.image_numbers.get(name)
        if image is None:
            self.problems.append(Problem("broken-reference", say("collada.no-such-image", name=name), role))
        return TextureInput(role, path, image, self._uv_set(material, texture.get("texcoord") or ""), sampler)

    def _uv_set(self, material: int, semantic: str) -> int:
        """The set that an instance binds; of a material that nothing has, what our writer calls it."""
        numbered = None if material in self.used else re.fullmatch(r"UV(\d{1,2})", semantic)
        return self.uv_sets.get((material, semantic), int(numbered[1]) if numbered else 0)


#: Elements of a shading that fields of the neutral material are for.
_KNOWN = ("emission", "diffuse", "transparent", "transparency")
_SHADINGS = ("phong", "blinn", "lambert", "constant")
