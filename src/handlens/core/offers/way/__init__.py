"""The way to Fit: the shortest tape that clears what stops a model, then what only cautions, at the least cost, found by playing it.

Mends are taken in the order in which practitioners work and in which mends rest on each other; each is played on what those before it
made, and stays only where its finding goes and no stop and no caution comes, by no destination. Then slips that others have made
needless are taken out, the tape is laid in order and played anew, written and read back. What one destination needs and another does
not bear becomes a branch of its own. The same model, sheets and intent always find the same way: what bounds the search is counted work.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from ...limits import MendError
from ...measures import Measures
from ...measures.known import Known
from ...route.measuring import measure
from ...route.tape import apply_as_promised
from ...rules import Intent, RuleSheet
from ...scene import Scene
from ...words.calls import Call, call_text
from .account import Account, cost, more_bytes
from .looks import compare_looks
from .order import Order
from .records import Way
from .search import Search
from .states import State, States
from .wish import Wish, read_rules

Progress = Callable[[str, float], None]


class Found(NamedTuple):
    """way: to be handed on. scenes: after the common tape, then after each branch. picture: a WebP of the side that changed most."""

    way: Way
    scenes: list[Scene]
    picture: bytes


def find_way(
    scene: Scene,
    sheets: Sequence[RuleSheet],
    intent: Intent,
    wish: Wish | None = None,
    measures: Measures | None = None,
    progress: Progress = lambda phase, share: None,
) -> Found:
    """Search the way to Fit of a model for one destination or several. measures: of the scene, where they are there already.

    Raises InputError where a sheet has keys that no check reads.
    """
    began = time.perf_counter()
    progress("measuring", 0.0)
    if measures is None or any(figures.content is None for figures in measures.meshes):
        measures = measure(scene, known=Known(measures))
    # What was tried in the time that there was must not decide what is tried here.
    measures = replace(measures, trials=[])
    measured = time.perf_counter()
    wish = wish or Wish()
    states = States(scene, measures, sheets, intent, wish, progress)
    kept = None
    while kept is None:
        # Each time a call more is not played, and a search that may cost nothing more plays none: it ends.
        search = Search(states)
        common, ends = _ends(states, search)
        kept = _promises(states, [common, *ends])
    searched = time.perf_counter()
    looks = None
    if wish.look and any(len(end.tape) for end in (common, *ends)):
        progress("comparing how it looks", 0.9)
        looks = compare_looks(scene, common.scene if len(common.tape) else ends[0].scene)
    account = Account(states, search.options, kept)
    slips = account.slips(states.start, common, range(len(sheets)))
    together = cost(states.start, common, [word for slip in slips for word in slip.cost.words])
    way = Way(
        slips,
        [account.branch(common, end, k) for k, end in enumerate(ends)],
        replace(together, bytes=more_bytes(scene, common.scene)) if slips else together,
        looks and looks[0],
        states.asked,
        states.ended,
        int(states.work),
        {
            "read": round(measured - began, 3),
            "search": round(searched - measured, 3),
            "look": round(time.perf_counter() - searched, 3),
        },
    )
    return Found(way, [common.scene, *(end.scene for end in ends)], looks[1] if looks else b"")


def _promises(states: States, ends: list[State]) -> dict[tuple[str, ...], tuple[str, ...]] | None:
    """By tape, up to and with each slip, sentences on what that slip was measured to have kept. None where one does not keep what it promises:
    it is not played again then."""
    out: dict[tuple[str, ...], tuple[str, ...]] = {}
    for end in ends:
        scene = states.start.scene
        for k, call in enumerate(end.tape):
            key = tuple(call_text(*x) for x in end.tape[: k + 1])
            try:
                outcome, out[key] = apply_as_promised(scene, *call)
            except MendError as error:
                states.forget(call, str(error))
                return None
            scene = outcome.scene
    return out


def _ends(states: States, search: Search) -> tuple[State, list[State]]:
    """The state after the common tape, and of each sheet the state after its branch."""
    order = Order(states)
    everyone = tuple(range(len(states.sheets)))
    common = search.second_thoughts(search.walked(states.start, everyone), states.start, everyone)
    common = order.settled(common, states.start, everyone)
    ends = []
    for k in everyone:
        # What no mend for all could clear, one for this destination alone may.
        own = search.second_thoughts(search.walked(common, (k,)), common, (k,)) if len(everyone) > 1 else common
        ends.append(order.settled(own, common, (k,)) if own is not common else common)
    return common, ends


def recipe(way: Way, sheet: str | None = None) -> list[Call]:
    """The tape of a way, with the branch of a sheet where one is named."""
    own = [slip for branch in way.branches if branch.sheet == sheet for slip in branch.slips]
    return [Call(slip.mend, slip.params) for slip in (*way.slips, *own)]


__all__ = ["Found", "Way", "Wish", "find_way", "read_rules", "recipe"]
