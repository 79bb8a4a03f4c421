"""Which of the model's names the text files beside it use, to the letter or nearly, and what they name that is not there."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import PurePosixPath

from ...formats.table import MODEL_ENDINGS
from ...packages import IMAGE_ENDINGS
from ...packages.side_text import Lines, Value, decoded, ill_formed, values
from ...scene import Neighbour, Scene
from .records import SideBroken, SideUse

#: Most uses that are kept in all.
_MOST = 4_000
#: Letters from which on a name may be one edit away and still be meant.
_LONG = 5
_NUMBER = re.compile(r"[-+]?[\d.,:;%eE+\-\s]+")
#: Roots of documents that are models themselves, whatever their file is called: they call their own things by name.
_MODELS = ("/COLLADA/", "/X3D/", "/amf/")
_FILES = (*MODEL_ENDINGS, *sorted(IMAGE_ENDINGS))


#: What a key's last word says of the kind of name that stands under it (common practice, no published source).
_KEYS = (
    ("material", ("material", "paint", "shader", "surface", "skin")),
    ("image", ("texture", "image", "picture", "map", "bitmap")),
    ("joint", ("joint", "bone")),
    ("clip", ("clip", "anim", "motion", "action")),
    ("part", ("mesh", "part", "node", "object")),
    ("model", ("model", "file", "asset", "src", "source")),
)


def side_uses(scene: Scene) -> list[SideUse]:
    """Every use of a name of the model in its side files, and every value beside them that is under the same key.

    state: exact; case (but for letter case); near (one edit away, under a key that says what it names or under which names stand, or
    the same word as one that is); former (a name of before, which nothing bears any more); no-file (looks like a file and is none
    that came); other-variant (names what belongs to a sibling model, in the entry of this one); other (under the key of a name,
    but none); lacking (under a key that takes materials, in an entry that names this model, and none of its names); unbound (any
    other value under a key, of which only the intent tells).
    """
    names = _names(scene)
    there = _files(scene)
    others = _siblings(scene)
    out: list[SideUse] = []
    for n in scene.beside:
        if n.role != "side-file" or len(out) >= _MOST:
            continue
        text = text_of(n)
        found = values(text, PurePosixPath(n.path).suffix)
        if any(v.path.startswith(_MODELS) for v in found[:1]):
            continue
        found = sorted([*found, *_spaced(text, found, names)], key=lambda v: v.start)
        out += _uses(n.path, text, found, names, there, others, scene.former - names.keys())
    return out[:_MOST]


def broken_files(scene: Scene) -> list[SideBroken]:
    """Side files that are not well-formed by their own kind's grammar (XML 1.0, RFC 8259), each with the place where reading stops."""
    out = []
    for n in scene.beside:
        if n.role == "side-file" and (found := ill_formed(text_of(n), PurePosixPath(n.path).suffix)) is not None:
            out.append(SideBroken(n.path, *found))
    return out


def text_of(n: Neighbour) -> str:
    """A side file's text, its encoding found out; empty where it cannot be read."""
    try:
        return decoded(n.load())[0]
    except Exception:  # a file that went away or is no text says nothing
        return ""


def _spaced(text: str, found: list[Value], names: Iterable[str]) -> list[Value]:
    """Names of several words where they stand unquoted in running text, of which each word is a value by itself."""
    if any(v.path for v in found):
        return []
    wanted = [n for n in names if re.search(r"\s", n)]
    if not wanted:
        return []
    pattern = re.compile("|".join(rf"(?<!\w){re.escape(n)}(?!\w)" for n in sorted(wanted, key=len, reverse=True)))
    whole = {(v.start, v.end) for v in found}
    return [Value(m[0], m.start(), m.end(), "", -1) for m in pattern.finditer(text) if m.span() not in whole]


def all_names(scene: Scene) -> frozenset[str]:
    """Every name that a side file may use."""
    return frozenset(_names(scene))


def variant_words(main: str, others: Iterable[str]) -> dict[str, str]:
    """Words of other models' file names that the main one's has not, each with the model: red, where this is the green one.

    Only those that differ from it in a single word are variants of it.
    """
    own = _words(PurePosixPath(main).stem)
    out: dict[str, str] = {}
    for other in others:
        theirs = _words(PurePosixPath(other).stem)
        if own & theirs and len(theirs - own) == 1 and len(own - theirs) == 1:
            out[next(iter(theirs - own))] = PurePosixPath(other).name
    return out


def _siblings(scene: Scene) -> dict[str, str]:
    return variant_words(scene.main, [n.path for n in scene.beside if n.role == "model"])


def borrowed(scene: Scene) -> list[tuple[str, str, str]]:
    """Images and materials of the model whose names say a sibling's word: a copied variant that still uses the other's."""
    words = _siblings(scene)
    named = [("image", i.reference) for i in scene.images] + [("material", material.name) for material in scene.materials]
    out = []
    for kind, name in named:
        stem = PurePosixPath(name.replace("\\", "/")).stem if kind == "image" else name
        word = next((word for word in _words(stem) if word in words), None)
        if word is not None:
            out.append((kind, name, words[word]))
    return out


def _words(stem: str) -> set[str]:
    return {w for w in re.split(r"[\W_]+|(?<=[a-z])(?=[A-Z])", stem) if w} if stem else set()


def _names(scene: Scene) -> dict[str, tuple[str, ...]]:
    """What the model calls things, each with all the kinds of things that bear the name, the first of these kinds first."""
    out: dict[str, tuple[str, ...]] = {}
    joints = {j for skin in scene.skins for j in skin.joints}
    main = PurePosixPath(scene.main)
    listed = [("model", main.name), ("model", main.stem)] if scene.main else []
    listed += [("material", material.name) for material in scene.materials]
    listed += [("joint" if k in joints else "part", n.name) for k, n in enumerate(scene.nodes)]
    listed += [("part", mesh.name) for mesh in scene.meshes] + [("clip", clip.name or "") for clip in scene.clips]
    for i in scene.images:
        path = PurePosixPath((i.found_at or i.reference).replace("\\", "/"))
        listed += [("image", path.name), ("image", path.stem)]
    for kind, name in listed:
        if len(name) > 1 and not name.isdigit() and kind not in out.get(name, ()):
            out[name] = (*out.get(name, ()), kind)
    return out


def _files(scene: Scene) -> set[str]:
    paths = (
        [scene.main]
        + [path for path, _ in scene.files]
        + [n.path for n in scene.beside]
        + [i.found_at for i in scene.images if i.found_at]
    )
    return {PurePosixPath(path).name for path in paths} | set(paths)


def _uses(
    file: str,
    text: str,
    found: list[Value],
    names: dict[str, tuple[str, ...]],
    there: set[str],
    others: dict[str, str],
    former: frozenset[str],
) -> list[SideUse]:
    match = _Match(names, there)
    resolved: dict[str, list[tuple[str, ...]]] = {}
    for v in found:
        name = match.exact(v.text)
        if name is not None or v.text in former:
            resolved.setdefault(v.path, []).append(names[name] if name is not None else ())
    kinds = {path: _kind_of(path, bearers) for path, bearers in resolved.items()}
    last = lambda v: PurePosixPath(v.text.replace("\\", "/")).name
    mine = {v.entry for v in found if "model" in names.get(last(v), ()) or "model" in names.get(v.text, ())}
    # An entry that names a sibling is the sibling's: what nearly sounds like this model there is not meant for it.
    theirs = {v.entry for v in found if last(v) in others.values()} - mine
    lines = Lines(text)
    out: list[SideUse] = []
    meant_by: dict[str, str] = {}
    told: list[tuple[Value, str, str | None, str]] = []
    for v in found:
        kind = kinds.get(v.path) or _word_of(v.path)
        state, meant = match.state(v, v.path != "" and v.path in resolved, kind)
        if v.text in former and state != "exact":
            state, meant = "former", None
        if v.entry in theirs and state in ("near", "case", "former"):
            state, meant = "", None
        if others and v.entry in mine and state in ("other", "exact", "", "near", "no-file"):
            word = next((word for word in _words(PurePosixPath(v.text).stem) if word in others), None)
            if word is not None:
                state, meant = "other-variant", others[word]
        if state == "near" and meant:
            meant_by[v.text] = meant
        told.append((v, state, meant, kind))
    spare = _MOST // 2
    for v, state, meant, kind in told:
        if state in ("", "other") and v.text in meant_by and v.entry not in theirs:
            # The same wrong word is as wrong where nothing else says so.
            state, meant = "near", meant_by[v.text]
        if state in ("", "other") and v.path and kind == "material" and v.entry in mine and not _plain_value(v.text):
            state = "lacking"
        elif state == "" and v.path and spare > 0 and not _plain_value(v.text):
            state, spare = "unbound", spare - 1
        if state:
            line, column = lines.at(v.start)
            bears = names.get(meant or v.text, ())
            said = kind if kind in bears or (state in ("other", "lacking", "unbound") and kind) else bears[0] if bears else ""
            out.append(SideUse(file, line, column, v.path, v.text, said, state, meant))
    return out


def _plain_value(text: str) -> bool:
    """Whether a value is a number, a switch or a sentence rather than a name."""
    return (
        len(text) > 80
        or text.lower() in ("true", "false", "yes", "no", "on", "off", "null", "none")
        or bool(_NUMBER.fullmatch(text))
    )


def _kind_of(path: str, bearers: list[tuple[str, ...]]) -> str:
    """The kind of name that stands under a key: one that all its names share, what its word says first."""
    shared = set.intersection(*(set(b) for b in bearers if b)) if any(bearers) else set()
    word = _word_of(path)
    return word if word in shared or not shared else next((k for b in bearers for k in b if k in shared), "")


def _word_of(path: str) -> str:
    """What the last word of a key's path says of the kind of name under it, "" where it says nothing."""
    last = re.split(r"[/@.\[\]:*]+", path.lower().rstrip("/@.[]:*"))[-1]
    return next((kind for kind, words in _KEYS if any(word in last for word in words)), "")


class _Match:
    """Values against names. by kind: a key that takes names of one kind is not held against those of another."""

    def __init__(self, names: dict[str, tuple[str, ...]], there: set[str]) -> None:
        self.names, self.there = names, there
        self.folded: dict[str, list[str]] = {}
        self.by_letters: dict[int, list[str]] = {}
        for n in names:
            self.folded.setdefault(n.casefold(), []).append(n)
            self.by_letters.setdefault(len(n), []).append(n)

    def exact(self, text: str) -> str | None:
        """The name that a value says to the letter, on its own or as the last piece of a path."""
        if text in self.names:
            return text
        last = PurePosixPath(text.replace("\\", "/")).name
        return last if {"image", "model"} & set(self.names.get(last, ())) else None

    def suits(self, name: str, kind: str) -> bool:
        return not kind or kind in self.names[name]

    def case(self, text: str, kind: str) -> str | None:
        return next((n for n in self.folded.get(text.casefold(), ()) if self.suits(n, kind)), None)

    def state(self, value: Value, known_key: bool, kind: str) -> tuple[str, str | None]:
        if (name := self.exact(value.text)) is not None:
            return "exact", name
        last = PurePosixPath(value.text.replace("\\", "/")).name
        # A path is held against files whatever its key is called.
        if (name := self.case(value.text, kind)) is not None:
            return "case", name
        is_file = last.lower().endswith(_FILES) and len(last) > 4
        if is_file and last in self.there:
            return ("other", None) if known_key else ("", None)
        if is_file and (name := self.case(last, "")) is not None:
            return "case", name
        if len(value.text) >= _LONG and (known_key or is_file or kind):
            for size in (len(value.text) - 1, len(value.text), len(value.text) + 1):
                wanted = (n for n in self.by_letters.get(size, []) if self.suits(n, "" if is_file else kind))
                near = next((n for n in wanted if one_edit(value.text, n)), None)
                if near is not None:
                    return "near", near
        if is_file:
            return "no-file", None
        return ("other", None) if known_key else ("", None)


def one_edit(a: str, b: str) -> bool:
    """Whether one letter changed, added, left out, or two neighbours swapped make one of the other (Damerau 1964)."""
    if abs(len(a) - len(b)) > 1 or a == b:
        return False
    k = next((k for k, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    if len(a) == len(b):
        return a[k + 1 :] == b[k + 1 :] or (a[k : k + 2] == b[k : k + 2][::-1] and a[k + 2 :] == b[k + 2 :])
    short, long = sorted((a, b), key=len)
    return short[k:] == long[k + 1 :]
