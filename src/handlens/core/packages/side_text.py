"""Values in a text file that lies beside a model, each with its place and with the path of the key that it stands under.

Read by patterns and not by strict parsers: these files are written by hand, and one that is not quite well formed still names
its materials. Paths are general: an element of a list is *, whichever it is, so that one use points at all of its kind.
"""

from __future__ import annotations

import json
import re
from bisect import bisect_right
from collections.abc import Iterator
from html import unescape
from typing import NamedTuple
from xml.parsers import expat

#: Most values that are looked at in one file.
MOST = 50_000
_XML = re.compile(
    r"<!--.*?-->|<!\[CDATA\[(?P<cdata>.*?)\]\]>|<\?.*?\?>|<!.*?>|<(?P<close>/)?(?P<tag>[\w:.\-]+)(?P<attributes>(?:\s+[\w:.\-]+\s*=\s*(?:\"[^\"]*\"|'[^']*'))*)\s*(?P<empty>/)?>",
    re.S,
)
_ATTRIBUTE = re.compile(r"([\w:.\-]+)\s*=\s*(?:\"([^\"]*)\"|'([^']*)')", re.S)
_JSON = re.compile(r'"((?:[^"\\]|\\.)*)"|([{}\[\],:])|([^\s{}\[\],:"]+)', re.S)
_LINE = re.compile(r"^(?P<indent>[ \t\-]*)(?:(?P<key>[^\s=:#;\[][^=:#\n]*?)[ \t]*[=:][ \t]*)?(?P<value>[^\n]*?)[ \t\r]*$", re.M)
_WORD = re.compile(r"\"([^\"\n]*)\"|'([^'\n]*)'|([^\s\"',;=()<>{}\[\]]+)")


class Value(NamedTuple):
    """A value: what it says, the characters it takes up (start, end), the path of its key, and the entry it belongs to: values
    of one XML element, JSON object, section, row or line share a number.
    """

    text: str
    start: int
    end: int
    path: str
    entry: int


def values(text: str, ending: str) -> list[Value]:
    """All values of a text, by the kind of file that its ending says: .xml, .json, .csv, .ini and the like, else plain text."""
    readers = {
        ".xml": _xml,
        ".json": _json,
        ".csv": _csv,
        ".ini": _lines,
        ".cfg": _lines,
        ".toml": _lines,
        ".yaml": _lines,
        ".yml": _lines,
    }
    out = []
    for value in readers.get(ending.lower(), _plain)(text):
        if value.text.strip():
            out.append(value)
        if len(out) >= MOST:
            break
    return out


def decoded(data: bytes) -> tuple[str, str]:
    """A text file's text, line ends as they are, and its encoding by its mark, else UTF-8 where it is valid, else Latin-1.

    Raises ValueError for what is no text.
    """
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            return data.decode(encoding), encoding
    if b"\x00" in data:
        raise ValueError("not a text file")
    try:
        return data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        return data.decode("latin-1"), "latin-1"


def ill_formed(text: str, ending: str) -> tuple[int, int, str] | None:
    """Where and why a text breaks the grammar of its kind, line and column from 1; None where it keeps it, or its kind has none."""
    if not text.strip():
        return None
    if ending.lower() == ".json":
        try:
            json.loads(text)
        except json.JSONDecodeError as error:
            return error.lineno, error.colno, error.msg
        except (ValueError, RecursionError):
            return 1, 1, "nested too deep, or a number too long"
    if ending.lower() == ".xml":
        parser = expat.ParserCreate()
        # Entities of its own are not followed: a few lines of them can stand for gigabytes.
        parser.EntityDeclHandler = _no_entities
        try:
            parser.Parse(
                text.encode("utf-8", "replace")
                if not _DECLARED.match(text)
                else _DECLARED.sub("<?xml version='1.0'?>", text, count=1).encode("utf-8", "replace"),
                True,
            )
        except expat.ExpatError as error:
            return error.lineno, error.offset + 1, expat.ErrorString(error.code)
        except _Entities:
            return None
    return None


class _Entities(Exception):
    pass


def _no_entities(*_: object) -> None:
    raise _Entities


#: The declaration may name another encoding; the text has been decoded by then.
_DECLARED = re.compile(r"<\?xml[^>]*\?>")


class Lines:
    """Line and column, both from 1, of places in a text."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.starts = [0, *(m.end() for m in re.finditer("\n", text))]

    def at(self, place: int) -> tuple[int, int]:
        line = bisect_right(self.starts, place)
        return line, place - self.starts[line - 1] + 1

    def line(self, number: int) -> str:
        """A line without its end."""
        end = self.starts[number] if number < len(self.starts) else len(self.text)
        return self.text[self.starts[number - 1] : end].rstrip("\r\n")


def _xml(text: str) -> Iterator[Value]:
    stack: list[tuple[str, int]] = [("", 0)]
    entries, at = 0, 0
    for match in _XML.finditer(text):
        yield from _between(text, at, match.start(), stack[-1][0], stack[-2 if len(stack) > 1 else -1][1])
        at = match.end()
        if match["cdata"] is not None:
            yield Value(match["cdata"], match.start("cdata"), match.end("cdata"), *stack[-1])
        if match["tag"] is None:
            continue
        if match["close"]:
            if len(stack) > 1:
                stack.pop()
            continue
        entries += 1
        path = f"{stack[-1][0]}/{match['tag']}"
        # Attributes belong together; the text of an element belongs with that of its siblings.
        for attribute in _ATTRIBUTE.finditer(match["attributes"] or ""):
            group = 2 if attribute[2] is not None else 3
            base = match.start("attributes")
            yield Value(
                unescape(attribute[group]),
                base + attribute.start(group),
                base + attribute.end(group),
                f"{path}/@{attribute[1]}",
                entries,
            )
        if not match["empty"]:
            stack.append((path, entries))


def _between(text: str, start: int, end: int, path: str, entry: int) -> Iterator[Value]:
    inside = text[start:end]
    trimmed = inside.strip()
    if trimmed and path:
        begin = start + len(inside) - len(inside.lstrip())
        yield Value(unescape(trimmed), begin, begin + len(trimmed), path, entry)


def _json(text: str) -> Iterator[Value]:
    stack: list[tuple[str, bool, int]] = [("", False, 0)]
    entries, key, pending = 0, "", None
    for match in _JSON.finditer(text):
        path, is_list, entry = stack[-1]
        if match[2] in ("{", "["):
            below = f"{path}/{'*' if is_list else key}" if len(stack) > 1 else ""
            entries += match[2] == "{"
            stack.append((below, match[2] == "[", entries if match[2] == "{" else entry))
            key, pending = "", None
        elif match[2] in ("}", "]"):
            if pending is not None:
                yield pending
            pending = None
            if len(stack) > 1:
                stack.pop()
        elif match[2] == ":":
            # What came before was a key: a name may stand there as well.
            if pending is not None:
                key = pending.text
                yield pending._replace(path=f"{path}/(key)")
            pending = None
        elif match[2] == ",":
            if pending is not None:
                yield pending
            key, pending = ("" if is_list else key), None
        elif match[1] is not None:
            where = f"{path}/{'*' if is_list else key}"
            pending = Value(_unescaped(match[1]), match.start(1), match.end(1), where, entry)
    if pending is not None:
        yield pending


def _unescaped(text: str) -> str:
    import json

    try:
        return str(json.loads(f'"{text}"', strict=False))
    except ValueError:
        return text


def _csv(text: str) -> Iterator[Value]:
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t|", key=first.count)
    cell = re.compile(rf'[ ]*(?:"((?:[^"]|"")*)"|([^{re.escape(delimiter)}\n\r]*))[ ]*({re.escape(delimiter)}|\r?\n|$)')
    header: list[str] = []
    row = column = at = 0
    while at < len(text):
        match = cell.match(text, at)
        if match is None:
            return
        group = 1 if match[1] is not None else 2
        said = match[group].replace('""', '"').strip()
        if row == 0:
            header.append(said)
        path = f"/{header[column]}" if column < len(header) and header[column] else f"/{column + 1}"
        yield Value(said, match.start(group), match.end(group), path if row else "/(head)", row)
        at = match.end()
        column = column + 1 if match[3] == delimiter else 0
        row += match[3] != delimiter
        if match.end() == match.start():
            return


def _lines(text: str) -> Iterator[Value]:
    section, entry = "", 0
    for number, match in enumerate(_LINE.finditer(text), 1):
        whole = match[0].strip()
        if not whole or whole.startswith(("#", ";")):
            continue
        if whole.startswith("["):
            section, entry = whole.strip("[] "), number
            yield Value(
                section,
                match.start() + match[0].index(section),
                match.start() + match[0].index(section) + len(section),
                "/(section)",
                entry,
            )
            continue
        key = (match["key"] or "").strip().strip("\"'")
        if match["indent"].lstrip().startswith("-"):
            entry = number
        value, start = match["value"], match.start("value")
        for quoted in ("'", '"'):
            if len(value) > 1 and value[0] == value[-1] == quoted:
                value, start = value[1:-1], start + 1
        path = f"/{section}/{key}" if section else f"/{key or '*'}"
        yield Value(value, start, start + len(value), re.sub(r"\d+", "*", path), entry or number)


def _plain(text: str) -> Iterator[Value]:
    line, last = 0, 0
    for match in _WORD.finditer(text):
        line += text.count("\n", last, match.start())
        last = match.start()
        group = next(g for g in (1, 2, 3) if match[g] is not None)
        said = match[group].rstrip(".:") if group == 3 else match[group]
        yield Value(said, match.start(group), match.start(group) + len(said), "", line)
