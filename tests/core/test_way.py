"""The way to Fit: what it clears, at what cost, with how few mends, and what it leaves to a person."""

from __future__ import annotations

import json
from itertools import chain

import numpy as np
import pytest

from handlens.cli import main
from handlens.core.judge import judge
from handlens.core.limits import InputError, MendError
from handlens.core.offers.way import Wish, find_way, recipe
from handlens.core.offers.way.states import States
from handlens.core.proof import prove
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_tape
from handlens.core.rules import load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.words.calls import call_text
from handlens.library import open_model
from kit.defects import INTENT, seeded, sound
from kit.offered import DEMO

SHEET = load_sheet("realtime-engine")


def way_of(made, *sheets, intent=INTENT, **wish):
    wish.setdefault("look", False)
    return find_way(made, [load_sheet(s) for s in sheets] or [SHEET], intent_from_json(intent), Wish(**wish)).way


def left(way, k=0):
    return way.branches[k].after.stop, way.branches[k].after.caution


def fewest(made, most):
    """The length of the shortest tape of offered mends, in any order, that leaves as little as the way does; None where none of up to `most` does.

    By trying all of them: each call by itself, and calls that differ only in their parts together.
    """
    states = States(made, measure(made), [SHEET], intent_from_json(INTENT), Wish(), lambda *_: None)
    from handlens.core.offers.way.search import Search

    search = Search(states)
    wanted = None
    rim = [states.start]
    for n in range(most + 1):
        scores = [states.score(state, (0,)) for state in rim]
        wanted = min(scores) if wanted is None else wanted
        if n and any(not any(score[1:]) and not score[0] for score in scores):
            return n
        following = {}
        for state in rim if n < most else ():
            groups = chain.from_iterable(search.groups(state, (0,), level) for level in ("stop", "caution"))
            for offer in chain.from_iterable(groups):
                try:
                    after = states.after(state, offer.call)
                except (MendError, InputError):
                    continue
                following[frozenset(call_text(*call) for call in after.tape)] = after
        rim = list(following.values())
    return None


def test_what_is_sound_needs_no_mend():
    way = way_of(sound())
    assert (way.slips, way.fit, left(way)) == ([], True, (0, 0))


@pytest.mark.parametrize("seed", [2, 7, 12, 20])
def test_seeded_defects_end_in_fit_with_as_few_mends_as_can_be(seed):
    made, names = seeded(seed)
    way = way_of(made, look=True)
    assert way.fit, names
    assert left(way) == (0, 0)
    # Nothing is lost to look at: what was put wrong is put right, and the rest is as it was.
    assert way.looks.worst < 0.02 * way.looks.of
    shorter = fewest(made, min(len(way.slips) - 1, 2))
    assert shorter is None, (names, shorter)
    # The tape does by itself what was told of it.
    after, runs = apply_tape(made, recipe(way, SHEET.slug))
    assert all(run.applied for run in runs)
    assert judge(measure(after), SHEET, intent_from_json(INTENT)).verdict()["stop"] == 0


def test_the_same_model_has_the_same_way_and_another_order_of_its_parts_no_longer_one():
    made, _ = seeded(2)
    ways = [way_of(made) for _ in range(2)]
    assert [(s.mend, s.params) for s in ways[0].slips] == [(s.mend, s.params) for s in ways[1].slips]
    assert ways[0].work == ways[1].work
