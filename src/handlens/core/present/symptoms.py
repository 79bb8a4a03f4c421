"""From how it looked wrong to what is wrong: causes among the findings of this model, the one that explains it best first.

People come with a look: it was white there, it had a hole, it jumped. Which looks a check explains stands on its declaration, and is
common practice, no published source; that the cause of a model with one defect comes first or second is tested with a model of each kind.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from ..declare.check import BY_ITSELF, OFTEN, RESULTS, SELDOM
from ..route.stations import all_checks
from ..words.json_tree import Json
from .kinds import stands_under_its_like


class Symptom(NamedTuple):
    """A look. any_stop: how well each stop explains it, whatever its check declares; 0 for not at all."""

    key: str
    name: str
    says: str
    any_stop: int = 0

    def weights(self) -> dict[str, int]:
        """How well checks explain it, by their ids, those that do."""
        return {declared.id: declared.explains[self.key] for declared in all_checks() if self.key in declared.explains}


SYMPTOMS = (
    Symptom("white", "white or grey", "It came in without its pictures or colours."),
    Symptom("black", "black", "It is dark where it should be lit."),
    Symptom("box", "in a black or white box", "Leaves or letters stand in a box."),
    Symptom("striped", "striped or flickering", "Two surfaces fight, or a picture is drawn out into stripes."),
    Symptom("shading", "lit in patches", "Dark seams, facets, or light that comes from the wrong side."),
    Symptom("hole", "has a hole", "A face is not there, or not from this side."),
    Symptom("see-through", "see-through where it should not be", "What lies behind shows through it."),
    Symptom("inside-out", "inside out", "The far wall is seen, the near one is not."),
    Symptom("gone", "not there at all", "It is in the list and not in the view."),
    Symptom("jumps", "jumps when it is moved", "It swings about a place that is not its own, or leaps."),
    Symptom("beside", "stands beside itself", "Part of it is elsewhere than the rest."),
    Symptom("tears", "tears or stays behind when it moves", "Some of it does not follow."),
    Symptom("size", "too big or too small", "It towers over all else, or cannot be found."),
    Symptom("lies", "lies down or looks the wrong way", "It came in turned."),
    Symptom("blurred", "blurred or stretched", "Its picture is coarse, smeared or in the wrong place."),
    Symptom("slow", "slow", "The scene stutters since it came."),
    Symptom("refused", "refused without a word", "The gate did not take it, and did not say why.", any_stop=OFTEN),
)
_BY_KEY = {symptom.key: symptom for symptom in SYMPTOMS}


class SymptomEntry(msgspec.Struct, frozen=True):
    """One look that can be chosen."""

    key: str
    name: str
    says: str


class Cause(msgspec.Struct, frozen=True):
    """One cause in this model. finding: its id; more: further findings of its check; there: whether it lies on the spot asked about.

    explains: how well it explains the look: by itself, often or now and then; of a spot alone, how bad it is.
    """

    finding: str
    check: str
    title: str
    explains: str
    more: int
    there: bool


class Answer(msgspec.Struct, frozen=True):
    """causes: the best first. clear: titles of checks that explain the look, that looked, and that found nothing."""

    causes: list[Cause]
    clear: list[str]


def listed() -> list[SymptomEntry]:
    """All looks, in the order in which they are offered."""
    return [SymptomEntry(symptom.key, symptom.name, symptom.says) for symptom in SYMPTOMS]


def explained(
    findings: Sequence[Json], clear: Sequence[str], symptom: str | None, spot: int | None = None, hit: Sequence[str] = ()
) -> Answer:
    """What explains a look, what is wrong at a spot, or both.

    findings, clear: of a report. symptom: its key, None for whatever is wrong. spot: the node of the part that was pointed at; hit: ids of
    findings whose elements hold the very face. Raises KeyError where no such look is known.
    """
    look = None if symptom is None else _BY_KEY[symptom]
    weights = {} if look is None else look.weights()
    best: dict[str, tuple[float, Json]] = {}
    count: dict[str, int] = {}
    by_id = {finding["id"]: finding for finding in findings}
    for finding in findings:
        weight = 1 if look is None else weights.get(finding["check"], look.any_stop if finding["result"] == "stop" else 0)
        if finding["waived"] is not None or not weight:
            continue
        if spot is not None and finding["node"] is not None and finding["node"] != spot:
            continue
        # A cause goes before what only follows from it, and what was pointed at before what concerns the whole.
        score = (
            100.0 * weight
            + 10 * (len(RESULTS) - RESULTS.index(finding["result"]))
            - 120 * (bool(finding["under"]) and not stands_under_its_like(finding, by_id))
        )
        score += 400 * (finding["id"] in hit) + 150 * (spot is not None and finding["node"] == spot)
        count[finding["check"]] = count.get(finding["check"], 0) + 1
        if finding["check"] not in best or score > best[finding["check"]][0]:
            best[finding["check"]] = score, finding
    ranked = sorted(best.values(), key=lambda x: -x[0])
    words = {BY_ITSELF: "by itself", OFTEN: "often", SELDOM: "now and then"}
    causes = [
        Cause(
            f["id"],
            f["check"],
            f["title"],
            f["result"] if look is None else words[weights.get(f["check"], look.any_stop) or SELDOM],
            count[f["check"]] - 1,
            spot is not None and f["node"] == spot,
        )
        for _, f in ranked
    ]
    titles = {declared.id: declared.title for declared in all_checks()}
    fine = set(clear)
    looked = [titles[c] for c, w in sorted(weights.items(), key=lambda x: -x[1]) if c in fine and w >= OFTEN]
    return Answer(causes, looked)
