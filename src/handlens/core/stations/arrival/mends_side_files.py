"""Arrival: correct a text file beside the model; the file that came stays as it is, and a corrected copy goes out with the model."""

from __future__ import annotations

from dataclasses import replace
from html import escape
from pathlib import PurePosixPath

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...limits import MendError
from ...packages.side_text import Lines, decoded, values
from ...scene import Scene
from .messages import say


@mend(
    "arrival.side-file",
    title="Correct a side file",
    button="Fix the name in {file}",
    keeps="the file that came, and every other letter of it, its encoding and line ends",
    costs="a corrected copy that must replace the old one where the model goes",
    safe=False,
    parameters=[
        Parameter("file", "text", "which side file"),
        Parameter("line", "number", "line of the value, from 1", zero=False),
        Parameter("column", "number", "column of the value, from 1", zero=False),
        Parameter("to", "text", "what it is to say"),
        Parameter("everywhere", "flag", "whether the same word is corrected wherever else it stands in the file", default=False),
    ],
    touches="neither",
)
def correct(scene: Scene, file: str, line: float, column: float, to: str, everywhere: bool = False) -> Outcome:
    """Write a copy of a side file in which one value says something else, or every value that says the same as it."""
    number = next((k for k, n in enumerate(scene.beside) if n.path == file and n.role == "side-file"), None)
    if number is None:
        raise MendError(say("arrival.side-file.not-there", file=file))
    n = scene.beside[number]
    try:
        text, encoding = decoded(n.load())
    except ValueError as error:
        raise MendError(say("arrival.side-file.no-text", file=file)) from error
    lines, ending = Lines(text), PurePosixPath(file).suffix.lower()
    listed = values(text, ending)
    found = next((v for v in listed if lines.at(v.start) == (int(line), int(column))), None)
    if found is None:
        raise MendError(say("arrival.side-file.no-value-there", file=file, line=line, column=column))
    if found.text == to:
        raise MendError(say("arrival.side-file.already", file=file, to=to))
    said = _written(to, ending)
    places = sorted({(v.start, v.end) for v in listed if v.text == found.text}) if everywhere else [(found.start, found.end)]
    fresh = text
    for start, end in reversed(places):
        fresh = fresh[:start] + said + fresh[end:]
    try:
        data = fresh.encode(encoding)
    except UnicodeEncodeError as error:
        raise MendError(say("arrival.side-file.encoding", to=to, file=file, encoding=encoding)) from error
    beside = list(scene.beside)
    beside[number] = replace(n, load=lambda: data, size=len(data), changed=True)
    was, now = lines.line(int(line)).strip(), Lines(fresh).line(int(line)).strip()
    figures = [Figure(f"{file}, line {line:g}", was[:200], now[:200])]
    if len(places) > 1:
        figures.append(Figure("places corrected", "0", f"{len(places):,}"))
    return Outcome(scene.with_(beside=tuple(beside)), tuple(figures))


def _written(text: str, ending: str) -> str:
    """A value as the kind of file has to spell it."""
    if ending == ".xml":
        return escape(text, quote=True)
    if ending == ".json":
        import json

        return json.dumps(text, ensure_ascii=False)[1:-1]
    return text
