"""From how it looked wrong to what is wrong: causes among the findings of this model, the one that explains it best first.

People come with a look: it was white there, it had a hole, it jumped. Which checks explain which look is common practice, no published
source; that the cause of a model with one defect comes first or second is tested with a model of each kind.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from ..kit.check import RESULTS
from ..route.stations import all_checks
from ..words.json_tree import Json
from .kinds import stands_under_its_like

#: How well a check explains a look: by itself, often, or now and then.
_BY_ITSELF, _OFTEN, _SELDOM = 3, 2, 1


class Symptom(NamedTuple):
    """A look. causes: checks by how well each explains it; any: weight of whatever else is a stop."""

    key: str
    name: str
    says: str
    by_itself: str
    often: str = ""
    seldom: str = ""
    any_stop: int = 0

    def weights(self) -> dict[str, int]:
        told = ((self.by_itself, _BY_ITSELF), (self.often, _OFTEN), (self.seldom, _SELDOM))
        return {check: weight for text, weight in told for check in text.split()}


SYMPTOMS = (
    Symptom(
        "white",
        "white or grey",
        "It came in without its pictures or colours.",
        "textures.missing textures.absolute textures.other-case textures.spelling textures.unreadable slots.undefined slots.library "
        "slots.no-material",
        "textures.format slots.empty-input slots.no-uv-set textures.uv-broken",
        "slots.out-of-range slots.shine facing.normals-broken textures.uv-collapsed textures.size slots.model",
    ),
    Symptom(
        "black",
        "black",
        "It is dark where it should be lit.",
        "slots.black-tint facing.normals-broken facing.normals-opposed",
        "textures.not-normal slots.out-of-range facing.inward facing.double-sided textures.uv-collapsed",
        "facing.normals-missing textures.two-uses textures.bump-is-normal slots.model facing.winding",
    ),
    Symptom(
        "box",
        "in a black or white box",
        "Leaves or letters stand in a box.",
        "see-through.ignored see-through.brightness",
        "see-through.premultiplied see-through.mode",
        "see-through.cut-off textures.idle-alpha textures.format",
    ),
    Symptom(
        "striped",
        "striped or flickering",
        "Two surfaces fight, or a picture is drawn out into stripes.",
        "arrival.copies-in-place surface.duplicates facing.back-to-back textures.uv-collapsed",
        "placement.far textures.uv-flat surface.unseen",
        "surface.needles textures.uv-outside surface.crowded-edges textures.density",
    ),
    Symptom(
        "shading",
        "lit in patches",
        "Dark seams, facets, or light that comes from the wrong side.",
        "facing.smeared facing.faceted textures.green textures.not-normal textures.bump-is-normal facing.normals-opposed",
        "facing.normals-missing textures.uv-mirrored slots.flat-normal-map facing.normals-broken surface.polygons textures.two-uses",
        "surface.doubles surface.needles facing.winding slots.shine surface.many-corners",
    ),
    Symptom(
        "hole",
        "has a hole",
        "A face is not there, or not from this side.",
        "surface.holes facing.inward facing.walk-round facing.double-sided",
        "facing.winding facing.one-sided surface.flat see-through.invisible placement.mirrored",
        "surface.zero-area arrival.hidden surface.many-corners arrival.not-finite surface.doubles see-through.cut-off",
    ),
    Symptom(
        "see-through",
        "see-through where it should not be",
        "What lies behind shows through it.",
        "see-through.for-nothing see-through.faint see-through.draw-order",
        "see-through.mode see-through.cut-off facing.inward facing.one-sided see-through.invisible",
        "surface.holes facing.double-sided facing.winding see-through.premultiplied",
    ),
    Symptom(
        "inside-out",
        "inside out",
        "The far wall is seen, the near one is not.",
        "facing.inward placement.mirrored facing.winding",
        "facing.double-sided facing.normals-opposed facing.walk-round facing.one-surface",
        "facing.back-to-back facing.one-sided",
    ),
    Symptom(
        "gone",
        "not there at all",
        "It is in the list and not in the view.",
        "see-through.invisible placement.collapsed arrival.hidden arrival.unplaced arrival.empty arrival.not-finite",
        "size.extreme placement.far facing.one-sided skin.flat-bind arrival.lines",
        "surface.zero-area size.unit size.undeclared-unit arrival.not-read skin.bare",
    ),
    Symptom(
        "jumps",
        "jumps when it is moved",
        "It swings about a place that is not its own, or leaps.",
        "pivots.far pivots.anchor pivots.height placement.double-move",
        "placement.inverse-pair placement.shear placement.uneven-scale skin.bind-offset skin.bind-scale skin.rig motion.flips motion.loop motion.travel",
        "skin.own-transform motion.late motion.held-pose placement.far motion.off-unit skin.no-bind motion.times",
    ),
    Symptom(
        "beside",
        "stands beside itself",
        "Part of it is elsewhere than the rest.",
        "placement.double-move skin.own-transform skin.inverse skin.no-bind skin.disagree",
        "skin.bind-offset skin.bind-scale placement.far placement.inverse-pair pivots.far placement.ground skin.flat-bind skin.rig placement.shear",
        "pivots.anchor motion.travel placement.rotation placement.scale motion.held-pose",
    ),
    Symptom(
        "tears",
        "tears or stays behind when it moves",
        "Some of it does not follow.",
        "skin.bare skin.left-behind skin.influences skin.sums skin.beyond skin.not-finite skin.unused-weights",
        "skin.negative skin.rigid skin.disagree skin.broken skin.outside skin.root skin.dust skin.repeated",
        "skin.sides skin.shared surface.doubles skin.required motion.aimless skin.idle",
    ),
    Symptom(
        "size",
        "too big or too small",
        "It towers over all else, or cannot be found.",
        "size.expected size.unit size.undeclared-unit size.extreme size.character",
        "placement.scale skin.rig placement.collapsed",
        "placement.inverse-pair placement.uneven-scale",
    ),
    Symptom(
        "lies",
        "lies down or looks the wrong way",
        "It came in turned.",
        "size.up-axis size.undeclared-up-axis placement.rotation",
        "skin.rig placement.mirrored",
        "placement.ground placement.shear motion.held-pose",
    ),
    Symptom(
        "blurred",
        "blurred or stretched",
        "Its picture is coarse, smeared or in the wrong place.",
        "textures.near-view textures.density textures.uv-flat see-through.pixel-art textures.uv-outside",
        "textures.uv-overlap textures.uv-padding textures.aspect textures.size textures.uv-mirrored slots.no-uv-set",
        "textures.power-of-two textures.uv-second textures.uv-collapsed textures.file-size",
    ),
    Symptom(
        "slow",
        "slow",
        "The scene stutters since it came.",
        "budget.triangles-mesh budget.triangles-total budget.draw-calls budget.texture-memory budget.vertices-mesh budget.copies",
        "arrival.crumbs surface.unseen arrival.copies-stored skin.joint-count textures.size see-through.for-nothing",
        "textures.file-size textures.depth motion.dense slots.equal textures.equal slots.too-many facing.double-sided",
    ),
    Symptom(
        "refused",
        "refused without a word",
        "The gate took it not, and did not say why.",
        "arrival.illegal-names arrival.broken-references arrival.not-finite arrival.empty budget.triangles-mesh budget.triangles-total "
        "textures.size textures.format textures.file-size slots.too-many skin.influences skin.joint-count skin.required motion.missing "
        "skin.broken skin.outside motion.broken",
        "skin.not-finite skin.beyond skin.negative motion.times motion.not-finite textures.unreadable budget.vertices-mesh "
        "budget.draw-calls budget.texture-memory placement.mirrored placement.scale arrival.name-clash",
        "arrival.not-read surface.zero-area arrival.cameras arrival.lights skin.sums motion.off-unit textures.power-of-two",
        any_stop=_OFTEN,
    ),
)
_BY_KEY = {s.key: s for s in SYMPTOMS}


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
    return [SymptomEntry(s.key, s.name, s.says) for s in SYMPTOMS]


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
    by_id = {f["id"]: f for f in findings}
    for f in findings:
        weight = 1 if look is None else weights.get(f["check"], look.any_stop if f["result"] == "stop" else 0)
        if f["waived"] is not None or not weight:
            continue
        if spot is not None and f["node"] is not None and f["node"] != spot:
            continue
        # A cause goes before what only follows from it, and what was pointed at before what concerns the whole.
        score = (
            100.0 * weight
            + 10 * (len(RESULTS) - RESULTS.index(f["result"]))
            - 120 * (bool(f["under"]) and not stands_under_its_like(f, by_id))
        )
        score += 400 * (f["id"] in hit) + 150 * (spot is not None and f["node"] == spot)
        count[f["check"]] = count.get(f["check"], 0) + 1
        if f["check"] not in best or score > best[f["check"]][0]:
            best[f["check"]] = score, f
    ranked = sorted(best.values(), key=lambda x: -x[0])
    words = {_BY_ITSELF: "by itself", _OFTEN: "often", _SELDOM: "now and then"}
    causes = [
        Cause(
            f["id"],
            f["check"],
            f["title"],
            f["result"] if look is None else words[weights.get(f["check"], look.any_stop) or _SELDOM],
            count[f["check"]] - 1,
            spot is not None and f["node"] == spot,
        )
        for _, f in ranked
    ]
    titles = {c.id: c.title for c in all_checks()}
    fine = set(clear)
    looked = [titles[c] for c, w in sorted(weights.items(), key=lambda x: -x[1]) if c in fine and w >= _OFTEN]
    return Answer(causes, looked)
