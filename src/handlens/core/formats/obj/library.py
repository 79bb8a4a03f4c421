"""Material libraries of an OBJ: statements, map options, and images by every way people write their paths."""

from __future__ import annotations

import re
import shlex
from dataclasses import dataclass, field

from ...packages import Package
from ...scene import Image, Material, Problem, TextureInput
from ...scene.wrapping import CLAMP
from ...surface.pictures import referenced
from ..shared.text import decode
from .messages import say

#: Map statement (lower case) -> role of the input.
MAPS = {
    "map_kd": "base-colour",
    "map_ka": "ambient",
    "map_ks": "specular",
    "map_ns": "gloss",
    "map_d": "alpha",
    "map_ke": "emissive",
    "map_pr": "roughness",
    "map_pm": "metallic",
    "map_bump": "bump",
    "bump": "bump",
    "norm": "normal",
    "disp": "displacement",
    "decal": "decal",
    "refl": "reflection",
}
#: Statements that fields of the neutral material are for.
_VALUES = ("kd", "ke", "d", "tr", "pr", "pm")
#: Map option -> most arguments it takes.
_OPTIONS = {
    "-blendu": 1,
    "-blendv": 1,
    "-boost": 1,
    "-mm": 2,
    "-o": 3,
    "-s": 3,
    "-t": 3,
    "-texres": 1,
    "-clamp": 1,
    "-bm": 1,
    "-imfchan": 1,
    "-type": 1,
    "-cc": 1,
    "-colorspace": 1,
}


@dataclass
class _Draft:
    name: str
    defined: bool = True
    values: dict[str, list[float]] = field(default_factory=dict)
    maps: list[tuple[str, str, dict[str, list[str]]]] = field(default_factory=list)
    library: str = ""
    lines: list[str] = field(default_factory=list)


class Libraries:
    """All libraries one OBJ names, with the materials they define and the images those use."""

    def __init__(self, package: Package, obj_path: str, problems: list[Problem]) -> None:
        self.package, self.obj_path, self.problems = package, obj_path, problems
        self.drafts: list[_Draft] = []
        self.numbers: dict[str, int] = {}
        self.files: list[tuple[str, str]] = []
        self._images: dict[tuple[str, str], int] = {}
        self._image_list: list[Image] = []

    def load(self, text: str) -> None:
        """A `mtllib` statement: one name that may hold blanks, or several names."""
        whole = self.package.find(text, self.obj_path)
        names = [text] if whole.path else _split(text)
        for name in names:
            found = self.package.find(name, self.obj_path)
            if found.path is None:
                self.problems.append(Problem("library-missing", say("obj.no-library", name=name), name))
                continue
            if (found.path, "material-library") in self.files:
                continue
            if found.status == "other-case":
                self.problems.append(
                    Problem("library-other-case", say("obj.library-elsewhere", name=name, path=found.path), name)
                )
            self.files.append((found.path, "material-library"))
            self._parse(found.path)

    def use(self, name: str) -> int:
        """Index of the material of that name; one that no library defines yet is kept as undefined."""
        if not name:
            return -1
        if name not in self.numbers:
            self.numbers[name] = len(self.drafts)
            self.drafts.append(_Draft(name, defined=False))
        return self.numbers[name]

    def _parse(self, path: str) -> None:
        raw = self.package.read(path).removeprefix(b"\xef\xbb\xbf").replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        draft: _Draft | None = None
        for line in raw.replace(b"\\\n", b" ").split(b"\n"):
            text = decode(line).strip()
            if not text or text.startswith("#"):
                continue
            keyword, _, rest = text.replace("\t", " ").partition(" ")
            keyword, rest = keyword.lower(), rest.strip()
            if keyword == "newmtl":
                draft = self._define(rest, path)
                continue
            if draft is None:
                continue
            if keyword in MAPS:
                options, reference = _map_options(rest)
                draft.maps.append((keyword, reference, options))
            elif keyword in _VALUES and (numbers := _numbers(rest)):
                draft.values[keyword] = numbers
            else:
                draft.lines.append(text)

    def _define(self, name: str, path: str) -> _Draft:
        number = self.numbers.get(name)
        if number is not None and self.drafts[number].defined:
            self.problems.append(Problem("material-twice", say("obj.material-twice", name=name), path))
        if number is None:
            number = self.numbers[name] = len(self.drafts)
            self.drafts.append(_Draft(name))
        self.drafts[number] = _Draft(name, library=path)
        return self.drafts[number]

    def _image(self, reference: str, library: str) -> int | None:
        if not reference:
            return None
        key = (reference, library)
        if key not in self._images:
            number = self._images[key] = len(self._image_list)
            image = referenced(self.package, reference, library, number)
            if image.found_at is None and library != self.obj_path:
                beside_model = referenced(self.package, reference, self.obj_path, number)
                image = beside_model if beside_model.found_at else image
            if image.found_at:
                self.files.append((image.found_at, "image"))
            self._image_list.append(image)
        return self._images[key]

    def materials(self) -> tuple[Material, ...]:
        return tuple(self._material(i, draft) for i, draft in enumerate(self.drafts))

    def images(self) -> tuple[Image, ...]:
        """The images of all materials. Call after materials(), which looks them up."""
        return tuple(self._image_list)

    def _material(self, number: int, draft: _Draft) -> Material:
        colour = (draft.values.get("kd") or [1.0, 1.0, 1.0]) if draft.defined else [1.0, 1.0, 1.0]
        colour = (colour * 3)[:3]
        alpha = draft.values["d"][0] if draft.values.get("d") else 1.0 - draft.values["tr"][0] if draft.values.get("tr") else 1.0
        lit = any(MAPS[keyword] == "emissive" for keyword, _, _ in draft.maps)
        glow = (draft.values.get("ke") or [1.0 if lit else 0.0]) * 3
        inputs = []
        for keyword, reference, options in draft.maps:
            image = self._image(reference, draft.library)
            strength = _numbers(" ".join(options.get("-bm", [])))
            held = options.get("-clamp", [""])[:1] == ["on"]
            channel = (options.get("-imfchan") or [""])[0]
            inputs.append(
                TextureInput(
                    role=MAPS[keyword],
                    path=(keyword,),
                    image=image,
                    sampler={"wrapS": CLAMP, "wrapT": CLAMP} if held else {},
                    scale=strength[0] if strength else None,
                    channel={"m": "a"}.get(channel, channel),
                    options={k: v for k, v in options.items() if k not in ("-bm", "-clamp", "-imfchan")},
                )
            )
        return Material(
            id=f"material:{number}",
            name=draft.name,
            base_colour=(colour[0], colour[1], colour[2], alpha),
            metallic=(draft.values.get("pm") or [None])[0],  # type: ignore[list-item]
            roughness=(draft.values.get("pr") or [None])[0],  # type: ignore[list-item]
            emissive=(glow[0], glow[1], glow[2]),
            inputs=tuple(inputs),
            defined=draft.defined,
            source={**({"statements": draft.lines} if draft.lines else {}), "library": draft.library},
        )


def _split(text: str) -> list[str]:
    """Names on one line: cut after each ".mtl", so that blanks inside a name survive."""
    names = [m.strip() for m in re.findall(r".+?\.mtl(?=\s|$)", text, re.IGNORECASE)]
    return names or [text]


def _numbers(text: str) -> list[float]:
    out = []
    for word in text.split():
        try:
            out.append(float(word.replace(",", ".")))
        except ValueError:
            if out:
                break
    return out


def _map_options(text: str) -> tuple[dict[str, list[str]], str]:
    """Options of a map statement and the file name after them, which may hold blanks or be quoted."""
    words = re.findall(r"\S+\s*", text)
    options: dict[str, list[str]] = {}
    at = 0
    while at < len(words) and words[at].strip().lower() in _OPTIONS:
        name = words[at].strip().lower()
        at += 1
        taken: list[str] = []
        while at < len(words) - 1 and len(taken) < _OPTIONS[name]:
            word = words[at].strip()
            if _OPTIONS[name] > 1 and not _numbers(word):
                break
            taken.append(word)
            at += 1
        options[name] = taken
    reference = "".join(words[at:]).strip()
    if len(reference) > 1 and reference[0] == reference[-1] == '"':
        reference = shlex.split(reference, posix=False)[0].strip('"')
    return options, reference
