"""Sentences apart from what they say: a template by name, and its arguments."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from string import Formatter
from typing import Any, Final

import numpy as np

from ..limits import plural
from .figures import about, percent, plain, turn, within
from .json_tree import Json
from .lengths import metres

#: How a figure of an argument is written, by the word after its colon.
_FIGURES: Final[Mapping[str, Callable[[Any], str]]] = {
    **{figure.__name__: figure for figure in (about, metres, percent, plain, turn, within)},
    "quoted": repr,
}


class Text(str):
    """A sentence that knows which message it is, and of what.

    message: name of its template, as "facing.inward". values: what stands in it, by name: numbers in the unit that the template writes,
    names, truths, or other texts. form, args: the template with plain braces and what stands there in words, so that
    `form.format(**args)` is the sentence; the form is the same whatever the values are.
    """

    message: str
    values: Mapping[str, Any]
    form: str
    args: Mapping[str, str]

    def __new__(cls, message: str, values: Mapping[str, Any], form: str, args: Mapping[str, str]) -> Text:
        """The sentence of a form and its words."""
        text = super().__new__(cls, form.format(**args))
        text.message, text.values, text.form, text.args = message, values, form, args
        return text

    def __reduce__(self) -> tuple[Any, ...]:
        """What a copy is made from, in another process too."""
        return Text, (self.message, self.values, self.form, self.args)


@dataclass(frozen=True)
class _Template:
    """A form, and for each name in it which argument stands there, and how it is written."""

    form: str
    fields: tuple[tuple[str, str, str], ...]


def _template(text: str) -> _Template:
    form, fields = "", list[tuple[str, str, str]]()
    for literal, name, spec, _ in Formatter().parse(text):
        form += literal.replace("{", "{{").replace("}", "}}")
        if name is not None:
            often = sum(argument == name for _, argument, _ in fields)
            fields.append((f"{name}_{often + 1}" if often else name, name, spec or ""))
            form += f"{{{fields[-1][0]}}}"
    return _Template(form, tuple(fields))


class Messages:
    """The sentences of one room, by name. Called with a name and arguments it writes one.

    A template is the sentence with its arguments in braces. After a colon stands how one is written: `# face` or `# vertex|vertices` for
    a number with its noun, `is|are` for a word that agrees with the number, `?inward|outward` for one of two by truth, the name of a
    figure of `words/figures.py` (`percent`, `metres`, `plain` …), `quoted`, or a format of Python's.
    """

    def __init__(self, templates: Mapping[str, str]) -> None:
        """templates: sentences by name. Raises ValueError where one cannot be read."""
        self._templates = {name: _template(text) for name, text in templates.items()}

    def __call__(self, name: str, /, **values: Any) -> Text:
        """The sentence of this name. Raises KeyError where there is no such template, or an argument is missing."""
        template = self._templates[name]
        args = {key: _written(values[argument], spec) for key, argument, spec in template.fields}
        return Text(name, values, template.form, args)

    def arguments(self) -> dict[str, set[str]]:
        """Names of the arguments of every template, by its name."""
        return {name: {argument for _, argument, _ in template.fields} for name, template in self._templates.items()}


def _written(value: Any, spec: str) -> str:
    """An argument in words, as the part after its colon says."""
    if spec in _FIGURES:
        return _FIGURES[spec](value)
    if spec.startswith("# "):
        return plural(value, *spec[2:].split("|"))
    if "|" in spec:
        first, second = spec.removeprefix("?").split("|")
        return first if (value if spec.startswith("?") else value == 1) else second
    return format(value, spec)


def plain_values(values: Mapping[str, Any]) -> Json:
    """Values of a text as JSON holds them.

    values: numbers, truths and texts by name. Returns the same with NumPy's scalars as Python's, and all else as words.
    """
    return {name: _plain(value) for name, value in values.items()}


def _plain(value: Any) -> Any:
    if isinstance(value, np.generic):
        value = value.item()
    return str(value) if isinstance(value, str) or not isinstance(value, (bool, int, float)) else value
