"""What a check is, and what it finds: screen, command line and documentation read the same declaration."""

from __future__ import annotations

import inspect
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import msgspec
import numpy as np

from ..measures import Measures
from ..rules import Intent, RuleSheet
from ..words.arrays import I32
from ..words.calls import Call
from ..words.json_tree import Json

RESULTS = ("stop", "caution", "note")

#: How well a check explains a look: by itself, often, or now and then.
BY_ITSELF, OFTEN, SELDOM = 3, 2, 1


@dataclass(frozen=True)
class Elements:
    """Where a finding sits. Edges are pairs of vertices, so `indices` holds twice as many numbers as edges.

    uv_set: which UV set faces or parts are told of, None where it is about none. skin: whose joints they are, of joints. drawn: nodes
    that stand for what is no thing that is drawn itself, as those that a clip moves.
    """

    kind: str
    indices: I32
    uv_set: int | None = None
    skin: int | None = None
    drawn: I32 | None = None

    @property
    def total(self) -> int:
        return len(self.indices) // 2 if self.kind == "edges" else len(self.indices)


@dataclass(frozen=True)
class Finding:
    """One thing a check found. `key` tells apart the findings of one check and is stable between revisions.

    costs: beside each of `mends` what it was found to cost, None where nobody has tried it yet. needs: beside each, the format that it is
    held in where the model's own cannot hold it. under: id of the finding that it
    follows from. samples, confidence: of a figure that was sampled, how many samples, and how sure it is, 0.5 (a guess) to 1.
    """

    title: str
    measured: Any = None
    wanted: Any = None
    count: int | None = None
    part: str | None = None
    node: int | None = None
    elements: Elements | None = None
    mends: tuple[Call, ...] = ()
    key: str = ""
    result: str = ""
    check: str = ""
    why: str = ""
    costs: tuple[tuple[str, ...] | None, ...] = ()
    needs: tuple[str | None, ...] = ()
    under: str = ""
    samples: int | None = None
    confidence: float | None = None

    @property
    def id(self) -> str:
        return f"{self.check}:{self.key}" if self.key else self.check

    @property
    def station(self) -> str:
        return station_of(self.check)


@dataclass(frozen=True)
class Skipped:
    """Yielded by a check that cannot judge, with the reason. unseen: there is something to look at, and it was not looked at."""

    because: str
    unseen: bool = False


Judge = Callable[[Measures, RuleSheet, Intent], Iterator[Finding | Skipped]]


@dataclass(frozen=True)
class Check:
    """One check, with all that others ask of it. does, why, measured and source come from the function's docstring.

    follows: ids of checks; where one of them found something on the same part, what this one finds there only follows from it, and is
    a note under it. The first that found something counts. follows_in_model: the same, wherever in the model the cause was found.
    explains: by key of a look (`present/symptoms.py`) how well this check explains it.
    tolerance: of a figure that rays tell, how far it lies apart in two readings of one surface, in its own unit, beside a tenth.
    masked: says nothing while another finding comes first, so that what it says once that is mended is not new.
    revealed: tells of things that are the same; they were so before but for what a mend takes away.
    of_pairs: tells of pairs of parts, which go by other names once a part is split.
    asks: keys of the intent of which one must be said before any of its mends goes on a tape by itself: without them it is a guess.
    held_to: paths of the values in a sheet that this is held to, such as `limits.triangles_mesh`.
    keys: of a house check the record of what a sheet may say for it, under `house` and its id; read by `sheet.keys_of`.
    """

    id: str
    title: str
    result: str
    mends: tuple[str, ...]
    run: Judge
    does: str = ""
    why: str = ""
    measured: str = ""
    source: str = ""
    follows: tuple[str, ...] = ()
    follows_in_model: tuple[str, ...] = ()
    explains: Mapping[str, int] = field(default_factory=dict)
    tolerance: float | None = None
    masked: bool = False
    revealed: bool = False
    of_pairs: bool = False
    held_to: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    keys: type[msgspec.Struct] | None = None

    @property
    def station(self) -> str:
        return station_of(self.id)

    def result_on(self, sheet: RuleSheet) -> str:
        """The result this check gives on a sheet: stop, caution, note or off."""
        return sheet.results.get(self.id, self.result)


def check(
    id: str,
    *,
    title: str,
    result: str,
    mends: tuple[str, ...] = (),
    follows: tuple[str, ...] = (),
    follows_in_model: tuple[str, ...] = (),
    explains: Mapping[str, int] | None = None,
    tolerance: float | None = None,
    masked: bool = False,
    revealed: bool = False,
    of_pairs: bool = False,
    held_to: tuple[str, ...] = (),
    asks: tuple[str, ...] = (),
    keys: type[msgspec.Struct] | None = None,
) -> Callable[[Judge], Check]:
    """Make a check of a function. Its docstring must say what it does, then "Why:", "Measured:" and "Source:" lines.

    The other parameters are those of `Check`. Raises ValueError where the docstring lacks one, or the result is none.
    """

    def declare(run: Judge) -> Check:
        does, parts = _sections(inspect.getdoc(run) or "")
        missing = {"why", "measured", "source"} - set(parts)
        if missing or not does or result not in RESULTS:
            raise ValueError(f"the check {id} lacks {sorted(missing) or 'a description or a known result'}")
        return Check(
            id,
            title,
            result,
            mends,
            run,
            does,
            **parts,
            follows=follows,
            follows_in_model=follows_in_model,
            explains=dict(explains or {}),
            tolerance=tolerance,
            masked=masked,
            revealed=revealed,
            of_pairs=of_pairs,
            held_to=held_to,
            asks=asks,
            keys=keys,
        )

    return declare


def _sections(text: str) -> tuple[str, dict[str, str]]:
    parts: dict[str, list[str]] = {"does": []}
    name = "does"
    for line in text.splitlines():
        head, colon, rest = line.partition(":")
        if colon and head in ("Why", "Measured", "Source"):
            name, line = head.lower(), rest
            parts[name] = []
        parts[name].append(line.strip())
    joined = {k: _capital(" ".join(v).strip()) for k, v in parts.items()}
    return joined.pop("does"), joined


def _capital(text: str) -> str:
    """The text with a capital first, but for names that are written small."""
    if text.startswith("glTF"):
        return text
    return text[:1].upper() + text[1:]


def slug_of(id: str) -> str:
    """The slug of the station of a check or a mend: the part of its id before the dot."""
    return id.partition(".")[0]


def station_of(id: str) -> str:
    """The name of the station of a check or a mend: its slug with a capital."""
    return slug_of(id).capitalize()


#: The origin of what comes with the product.
OURS = "Hand Lens"


def origin_of(run: Callable[..., Any]) -> str:
    """Who brings a check or a mend: us, or the folder or package that its module was loaded from."""
    root, _, rest = run.__module__.partition(".")
    return OURS if root == "handlens" else rest.partition(".")[0] if root == "handlens_house" else root


def value(amount: Any, unit: str) -> Json:
    """A figure as the contract writes it."""
    if isinstance(amount, (np.integer, np.floating)):
        amount = amount.item()
    return {"value": amount, "unit": unit}


def node_key(measures: Measures, node: int) -> str:
    """A key for a node that outlives a new revision: its name, with its number only where others share the name."""
    names, shared = _names(measures)
    name = names.get(node, f"node[{node}]")
    return name if shared.get(name) == 1 else f"{name}~{node}"


#: Names of the nodes that were asked for last: a check asks for each of its findings.
_asked: tuple[list[Any], dict[int, str], Counter[str]] = ([], {}, Counter())


def _names(measures: Measures) -> tuple[dict[int, str], Counter[str]]:
    """Names by node, and how many nodes have each."""
    global _asked
    asked = _asked
    if asked[0] is not measures.nodes:
        _asked = asked = (measures.nodes, {n.index: n.name for n in measures.nodes}, Counter(n.name for n in measures.nodes))
    return asked[1], asked[2]


def nodes(indices: list[int], uv_set: int | None = None) -> Elements:
    """Nodes as elements of a finding. uv_set: the UV set that the finding is about, None for none."""
    return Elements("nodes", np.asarray(indices, np.int32), uv_set)


def settle(finding: Finding, registered: Check, sheet: RuleSheet) -> Finding:
    """The finding with its check's id, reason and result filled in. A sheet's own word on a check wins."""
    override = sheet.results.get(registered.id)
    return replace(
        finding,
        check=registered.id,
        why=finding.why or registered.why,
        result=override or finding.result or registered.result,
    )
