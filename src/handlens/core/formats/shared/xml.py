"""XML as the formats use it: parsed without network, entities or a document type, and looked at by local names."""

from __future__ import annotations

from typing import NoReturn

import numpy as np
from lxml import etree

from ...limits import InputError
from ...words.arrays import F64, I64
from .messages import say
from .text import parse_numbers

Element = etree._Element


def parse_xml(data: bytes, label: str) -> Element:
    """The root element with namespaces taken off its tags. Raises InputError where the text is not whole XML."""
    # Entities are never expanded and nothing is fetched, so a document cannot grow or reach outside (XML 1.0 §4.4).
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        line = error.lineno or 0
        raise InputError(say("shared.broken-xml", label=label, line=line)) from error
    except (ValueError, LookupError) as error:
        raise InputError(say("shared.wrong-encoding", label=label)) from error
    if root is None:
        raise InputError(say("shared.no-element", label=label))
    for element in root.iter(etree.Element):
        if "}" in element.tag:
            element.tag = element.tag.rpartition("}")[2]
    return root


class Numbers:
    """Reads lists of numbers out of elements; counts those that were written with a decimal comma."""

    def __init__(self, label: str) -> None:
        self.label = label
        self.commas = 0

    def floats(self, element: Element | None, count: int | None = None) -> F64:
        """(n,) float64. Raises InputError where a word is no number, or where there are not `count`."""
        text = (element.text or "") if element is not None else ""
        # A name or a letter too many is what makes the fast way fail; only then is it looked at word by word.
        raw = text.encode("utf-8", "replace")
        values = parse_numbers(raw, np.float64) if raw.strip() else np.zeros(0)
        if values is None:
            values = self._one_by_one(text.split(), element)
        if count is not None and len(values) != count:
            self.fail(element, f"holds {len(values)} numbers where {count} belong")
        return values

    def _one_by_one(self, words: list[str], element: Element | None) -> F64:
        out = np.empty(len(words))
        for k, word in enumerate(words):
            try:
                out[k] = float(word)
            except ValueError:
                try:
                    out[k] = float(word.replace(",", "."))
                    self.commas += 1
                except ValueError:
                    self.fail(element, f"holds {word[:40]!r} where a number belongs")
        return out

    def integers(self, element: Element | None) -> I64:
        """(n,) int64. Raises InputError where a word is no whole number."""
        raw = ((element.text or "") if element is not None else "").encode("utf-8", "replace")
        values = parse_numbers(raw, np.int64) if raw.strip() else np.zeros(0, np.int64)
        if values is None:
            self.fail(element, "holds something that is no whole number")
        return values

    def fail(self, element: Element | None, what: str) -> NoReturn:
        line = element.sourceline if element is not None else 0
        tag = element.tag if element is not None else "it"
        raise InputError(say("shared.wrong-element", label=self.label, line=line or 0, tag=tag, what=what))
