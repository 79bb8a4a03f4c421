"""The way to Fit: the shortest tape that clears what stops a model, then what only cautions, at the least cost, found by playing it.

Mends are taken in the order in which practitioners work and in which mends rest on each other; each is played on what those before it
made, and stays only where its finding goes and no stop and no caution comes, by no destination. Then slips that others have made
needless are taken out, the tape is laid in order and played anew, written and read back. What one destination needs and another does
not bear becomes a branch of its own. The same model, sheets and intent always find the same way: what bounds the search is counted work.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import msgspec

from ..declare.check import Finding
from ..declare.mend import Mend, MendRun
from ..formats.table import BY_NAME
from ..judge import Judgement, judge
from ..judge.causes import own_result
from ..limits import InputError, MendError
from ..measures import Measures
from ..measures.drawing import drawing
from ..measures.known import Known
from ..route.measuring import measure
from ..route.stations import checks_by_id, find_mend, mends_by_id, stations
from ..route.tape import apply_as_promised, apply_mend
from ..rules import Intent, RuleSheet
from ..scene import Scene
from ..stations.arrival.services import used_names
from ..words.calls import Call, call_text
from .as_written import as_written, other_formats, own_format
from .looks import compare_looks
from .questions import ASKED, questions, unsaid
from .trials import intent_with_unit, new_or_worse
from .way_records import Branch, Cost, Figured, Left, Option, Slip, Verdict, Way

#: How many readings of the model a search may cost, and how much it may at the least, in triangles that are measured anew.
READINGS, LEAST = 8, 4_000_000
#: What a play costs beside, and what looking at the model from all round does.
_PLAY, _LOOK = 1_000, 20_000
#: Passes over what is offered: what one mend brings to light the next pass mends.
_PASSES = 6
#: Options of one slip that are shown.
_SHOWN = 3
#: States of the tape that are kept while they may be asked for again.
_STATES = 48
_RANK = {"note": 0, "caution": 1, "stop": 2}
#: Parameters by which a call is kept to some things.
_ABOUT = ("parts", "materials")

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class Wish:
    """What is wanted of a way. goal: the least result that is mended. rules: by check id (or the id of a finding) the mend that is preferred
    where there is a choice, or one with its parameters as a call. waived: ids of findings that are accepted. answered: keys of the intent
    that somebody has said, though it be what is taken where nothing is said. look: whether what changes to look at is drawn."""

    goal: str = "caution"
    rules: Mapping[str, str] = field(default_factory=dict)
    waived: frozenset[str] = frozenset()
    answered: frozenset[str] = frozenset()
    look: bool = True


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
    measured = time.perf_counter()
    search = _Search(scene, measures, sheets, intent, wish or Wish(), progress)
    common, branches = search.all()
    searched = time.perf_counter()
    made = [search.branch(common, branch, k) for k, branch in enumerate(branches)]
    looks = None
    if search.wish.look and (len(common.tape) or any(len(b.tape) for b in branches)):
        progress("comparing how it looks", 0.9)
        looks = compare_looks(scene, common.scene if len(common.tape) else branches[0].scene)
    last = time.perf_counter()
    slips = search.slips(search.start, common, range(len(sheets)))
    way = Way(
        slips,
        made,
        search.cost(search.start, common, [word for slip in slips for word in slip.cost.words]),
        looks and looks[0],
        list(search.asked),
        search.ended,
        int(search.work),
        {"read": round(measured - began, 3), "search": round(searched - measured, 3), "look": round(last - searched, 3)},
    )
    return Found(way, [common.scene, *(branch.scene for branch in branches)], looks[1] if looks else b"")


class _State(NamedTuple):
    """A model with some mends played. runs: what each did. intent: with what the mends say of the unit."""

    tape: tuple[Call, ...]
    scene: Scene
    measures: Measures
    judged: tuple[Judgement, ...]
    runs: tuple[MendRun, ...]
    intent: Intent


class _Played(NamedTuple):
    """A call played on a state. state: after it; None where it does not apply, is refused or helps nothing, and because: why."""

    state: _State | None
    because: str
    clears: int = 0
    brings: tuple[str, ...] = ()


class _Offer(NamedTuple):
    """Calls of one mend for findings of one kind, as one call. findings: (sheet, id). index: its place among what its findings offer."""

    call: Call
    findings: tuple[tuple[int, str], ...]
    index: int


class _Search:
    def __init__(
        self, scene: Scene, measures: Measures, sheets: Sequence[RuleSheet], intent: Intent, wish: Wish, progress: Progress
    ) -> None:
        self.sheets, self.wish, self.progress = sheets, wish, progress
        judged = tuple(judge(measures, sheet, intent) for sheet in sheets)
        self.start = _State((), scene, measures, judged, (), intent)
        self.reading = _PLAY + _LOOK + 2 * sum(measures.meshes[part.mesh].triangles for part in measures.parts)
        self.work, self.most = 0.0, max(float(LEAST), READINGS * self.reading)
        self.ended: str | None = None
        self.asked = questions(measures, sheets[0], intent, self.wish.answered)
        self.names = {node.name for node in scene.nodes}
        self.states: dict[tuple[str, ...], _State] = {(): self.start}
        self.options: dict[str, list[Option]] = {}
        self.refused: dict[tuple[int, str], str] = {}
        self.order = {id: n for n, id in enumerate(mend.id for station in stations() for mend in station.mends)}
        self.formats: dict[int, str | None] = {}

    # --- the search ---------------------------------------------------------------------------------

    def all(self) -> tuple[_State, list[_State]]:
        """The state after the common tape, and of each sheet the state after its branch."""
        everyone = tuple(range(len(self.sheets)))
        common = self.settled(self.walked(self.start, everyone), self.start, everyone)
        branches = []
        for k in everyone:
            # What no mend for all could clear, one for this destination alone may.
            own = self.walked(common, (k,)) if len(everyone) > 1 else common
            branches.append(self.settled(own, common, (k,)) if own is not common else common)
        return common, branches

    def walked(self, state: _State, sheets: tuple[int, ...]) -> _State:
        """The state after all mends that help, what stops first."""
        for level in [level for level in ("stop", "caution", "note") if _RANK[level] >= _RANK[self.wish.goal]]:
            for _ in range(_PASSES):
                before = state
                state = self.passed(state, sheets, level)
                if state is before or self.out_of_work():
                    break
        return state

    def passed(self, state: _State, sheets: tuple[int, ...], level: str) -> _State:
        """The state after one pass over what is offered for findings of one result."""
        for group in self.groups(state, sheets, level):
            if self.out_of_work():
                break
            self.progress(f"trying {_title(group[0].call)}", min(0.85 * self.work / self.most, 0.85))
            still = self.open_ids(state, sheets, level)
            group = [self.narrowed(offer, still, state) for offer in group]
            if not any(offer.findings for offer in group):
                continue
            state = self.best_of(state, [offer for offer in group if offer.findings], sheets) or self.one_by_one(
                state, group, sheets, level
            )
        return state

    def one_by_one(self, state: _State, group: list[_Offer], sheets: tuple[int, ...], level: str) -> _State:
        """What could not be mended for all at once, finding by finding."""
        if len(group[0].findings) < 2 or not set(group[0].call.params) & set(_ABOUT):
            return state
        for finding in group[0].findings:
            if self.out_of_work():
                break
            if finding not in self.open_ids(state, sheets, level):
                continue
            alone = [o for o in (self.narrowed(offer, {finding}, state) for offer in group) if o.findings]
            state = self.best_of(state, alone, sheets) or state
        return state

    def best_of(self, state: _State, offers: list[_Offer], sheets: tuple[int, ...]) -> _State | None:
        """The state after the best of some offers that exclude each other; None where none helps. All that help are kept to choose from."""
        worth: list[tuple[tuple[Any, ...], _Offer, _Played, Mend]] = []
        for offer in offers[: _SHOWN + 1]:
            if worth and self.out_of_work():
                break
            played = self.play(state, offer.call, sheets)
            mend = find_mend(offer.call.mend)
            if played.state is None:
                self.refused |= {finding: f"{mend.title}: {played.because}" for finding in offer.findings}
                continue
            key = (not self.preferred(offer), bool(played.brings), not mend.safe, -played.clears, offer.index)
            worth.append((key, offer, played, mend))
        if not worth:
            return None
        worth.sort(key=lambda x: x[0])
        _, chosen, played, _ = worth[0]
        assert played.state is not None
        if len(worth) > 1:
            self.options[call_text(*chosen.call)] = [
                Option(
                    offer.call.mend,
                    offer.call.params,
                    _title(offer.call),
                    one.clears,
                    list(one.brings),
                    self.cost(state, one.state, _words(one.state)),
                    mend.safe,
                    offer is chosen,
                )
                for _, offer, one, mend in worth[:_SHOWN]
                if one.state is not None
            ]
        return played.state

    def preferred(self, offer: _Offer) -> bool:
        """Whether a rule asks for this one."""
        wanted = [self.wish.rules.get(id) or self.wish.rules.get(id.partition(":")[0]) for _, id in offer.findings]
        return any(one in (offer.call.mend, call_text(*offer.call)) for one in wanted)

    def groups(self, state: _State, sheets: tuple[int, ...], level: str) -> list[list[_Offer]]:
        """What is offered for open findings of a result, in the order in which it is tried: offers of one group exclude each other."""
        found: dict[str, dict[str, list[tuple[tuple[int, str], Call, int]]]] = {}
        still = self.open_ids(state, sheets, level)
        for k in sheets:
            for finding in state.judged[k].findings:
                if (k, finding.id) not in still or unsaid(finding, state.intent, self.asked):
                    continue
                # The findings of one check that lead with the same mend are mended together.
                calls = [(n, call) for n, call in enumerate(finding.mends) if not self.again(state, call)]
                head = _kind(calls[0][1]) if calls else None
                for index, call in calls:
                    kind = found.setdefault(f"{finding.check} {head}", {}).setdefault(_kind(call), [])
                    kind.append(((k, finding.id), call, index))
        groups = [
            [
                _Offer(_merged([call for _, call, _ in calls]), tuple(dict.fromkeys(at for at, _, _ in calls)), calls[0][2])
                for calls in kinds.values()
            ]
            for kinds in found.values()
        ]
        return sorted(groups, key=lambda group: (self.place(group[0].call.mend), -len(group[0].findings), call_text(*group[0].call)))

    def again(self, state: _State, call: Call) -> bool:
        """Whether a mend that has been played would be played on what itself, or another, made of the model: that has no end."""
        about = _about(call)
        return any(_kind(call) == _kind(other) for other in state.tape) and not {name.partition("~")[0] for name in about} <= self.names

    def place(self, mend: str) -> tuple[int, int, str]:
        """Where a mend stands among others: after those that it rests on, in the order of the stations and of their mends."""
        return _depth(mend), self.order.get(mend, len(self.order)), mend

    def open_ids(self, state: _State, sheets: tuple[int, ...], level: str) -> set[tuple[int, str]]:
        """Findings of a result that are neither waived nor follow from another check's, by sheet and id."""
        out = set()
        for k in sheets:
            by_id = {finding.id: finding for finding in state.judged[k].findings}
            for finding in by_id.values():
                head = by_id.get(finding.under)
                if finding.id in self.wish.waived or (head is not None and head.check != finding.check):
                    continue
                if own_result(finding, by_id) == level:
                    out.add((k, finding.id))
        return out

    def narrowed(self, offer: _Offer, still: set[tuple[int, str]], state: _State) -> _Offer:
        """The offer for those of its findings that are still there."""
        kept = tuple(at for at in offer.findings if at in still)
        if kept == offer.findings or not kept:
            return offer._replace(findings=kept)
        calls = [
            call
            for k, id in kept
            for finding in state.judged[k].findings
            if finding.id == id
            for call in finding.mends
            if _kind(call) == _kind(offer.call)
        ]
        return offer._replace(findings=kept, call=_merged(calls)) if calls else offer._replace(findings=())

    def play(self, state: _State, call: Call, sheets: tuple[int, ...]) -> _Played:
        """What one call does to a state, and whether it may stay. Where what it brings is mended by what that offers, both stay."""
        try:
            after = self.after(state, call)
        except (MendError, InputError) as error:
            return _Played(None, str(error))
        played, new = self.compared(state, after, sheets)
        if played.state is not None or not new:
            return played
        for follow in dict.fromkeys(call_text(*f.mends[0]) for f in new if f.mends and not unsaid(f, after.intent, self.asked)):
            if self.out_of_work():
                break
            first = next(f.mends[0] for f in new if f.mends and call_text(*f.mends[0]) == follow)
            try:
                both, _ = self.compared(state, self.after(after, first), sheets)
            except (MendError, InputError):
                continue
            if both.state is not None:
                return both
        return played

    def compared(self, state: _State, after: _State, sheets: tuple[int, ...]) -> tuple[_Played, list[Finding]]:
        """Whether a later state may stand in an earlier one's place, and the findings that speak against it."""
        paid = {check for call in after.tape[len(state.tape) :] for check in find_mend(call.mend).leaves}
        clears, brings, against = 0, list[str](), list[Finding]()
        for k in sheets:
            was, now = state.judged[k], after.judged[k]
            if blind := set(now.unlooked) - set(was.unlooked):
                return _Played(None, f"{', '.join(sorted(blind))} could not be looked at then."), []
            by_id = {finding.id: finding for finding in now.findings}
            clears += sum(id not in by_id for _, id in self.wanted(state, (k,)))
            for finding in new_or_worse(was, now):
                if finding.check in paid or own_result(finding, by_id) == "note":
                    brings.append(str(finding.title))
                else:
                    against.append(finding)
        if against:
            return _Played(None, f"it would bring: {against[0].title}."), against
        if not clears:
            return _Played(None, "its finding stays."), []
        return _Played(after, "", clears, tuple(dict.fromkeys(brings))), []

    def wanted(self, state: _State, sheets: tuple[int, ...]) -> set[tuple[int, str]]:
        """Open findings that the wish asks to be cleared."""
        levels = [level for level in _RANK if _RANK[level] >= _RANK[self.wish.goal]]
        return {at for level in levels for at in self.open_ids(state, sheets, level)}

    def after(self, state: _State, call: Call) -> _State:
        """The state with one call more, from what is kept or played anew. Raises MendError or InputError where it does not apply."""
        tape = (*state.tape, call)
        key = tuple(call_text(*x) for x in tape)
        if key in self.states:
            return self.states[key]
        mend = find_mend(call.mend)
        self.work += _PLAY + mend.work_per_triangle * sum(mesh.triangle_count for mesh in state.scene.meshes)
        try:
            outcome, kept = apply_as_promised(state.scene, *call)
        except (MendError, InputError):
            raise
        except Exception as error:
            raise MendError(f"the mend itself failed: {type(error).__name__}.") from error
        measures = measure(outcome.scene, known=Known(state.measures))
        self.charge(measures, state.measures)
        intent = intent_with_unit(call, state.intent)
        judged = tuple(judge(measures, sheet, intent) for sheet in self.sheets)
        run = MendRun(call.mend, call.params, True, outcome.figures, tuple(map(str, outcome.remarks)), kept=kept)
        if len(self.states) >= _STATES:
            del self.states[next(key for key in self.states if key)]
        made = self.states[key] = _State(tape, outcome.scene, measures, judged, (*state.runs, run), intent)
        return made

    def charge(self, after: Measures, before: Measures) -> None:
        """Count what measuring a state did cost: meshes that are the same as before cost nothing."""
        held = {x.content for x in before.meshes}
        self.work += sum(x.triangles for x in after.meshes if x.content not in held)
        if after.facing_key != before.facing_key:
            self.work += _LOOK + sum(after.meshes[part.mesh].triangles for part in after.parts)

    def out_of_work(self) -> bool:
        """Whether no more is tried; says so for good."""
        if self.work < self.most:
            return False
        self.ended = f"The search ended after the work of {self.most / self.reading:.0f} readings; what it had not tried is left."
        return True

    # --- the tape put in order ----------------------------------------------------------------------

    def settled(self, state: _State, base: _State, sheets: tuple[int, ...]) -> _State:
        """The state without slips that others made needless, in an order that holds, without those that do not outlive being written."""
        state = self.ordered(self.pruned(state, base, sheets), base, sheets)
        return self.lasting(state, base, sheets)

    def score(self, state: _State, sheets: tuple[int, ...]) -> tuple[float, ...]:
        """What is left, the gravest first: less is better. Findings on pairs of parts go by their share: parts that are split make more pairs."""
        levels = [level for level in ("stop", "caution", "note") if _RANK[level] >= min(_RANK[self.wish.goal], _RANK["caution"])]
        unlooked = sum(len(state.judged[k].unlooked) for k in sheets)
        checks = checks_by_id()
        found = {(k, finding.id): finding for k in sheets for finding in state.judged[k].findings}
        weight = lambda f: float((f.measured or {}).get("value") or 1.0) if checks[f.check].of_pairs else 1.0
        return (unlooked, *(round(sum(weight(found[at]) for at in self.open_ids(state, sheets, level)), 6) for level in levels))

    def replayed(self, base: _State, calls: Sequence[Call]) -> _State | None:
        """The state after calls on a base; None where one does not apply. States between are measured only where they are asked for."""
        state, n = base, 0
        key = tuple(call_text(*call) for call in (*base.tape, *calls))
        while n < len(calls) and (known := self.states.get(key[: len(base.tape) + n + 1])) is not None:
            state, n = known, n + 1
        try:
            for k in range(n, len(calls) - 1):
                scene = apply_mend(state.scene, *calls[k]).scene
                run = MendRun(calls[k].mend, calls[k].params, True)
                state = state._replace(
                    tape=(*state.tape, calls[k]), scene=scene, runs=(*state.runs, run), intent=intent_with_unit(calls[k], state.intent)
                )
            return self.after(state, calls[-1]) if n < len(calls) else state
        except (MendError, InputError):
            return None

    def pruned(self, state: _State, base: _State, sheets: tuple[int, ...]) -> _State:
        """Without each slip but for which as little is left, the last ones first."""
        for k in range(len(state.tape) - 1, len(base.tape) - 1, -1):
            if self.out_of_work():
                break
            calls = [*state.tape[len(base.tape) : k], *state.tape[k + 1 :]]
            without = self.replayed(base, calls)
            if without is not None and self.score(without, sheets) <= self.score(state, sheets):
                state = without
        return state

    def ordered(self, state: _State, base: _State, sheets: tuple[int, ...]) -> _State:
        """In the order of the stations, and after what each rests on, where that ends as well."""
        calls = list(state.tape[len(base.tape) :])
        wanted = sorted(calls, key=lambda call: self.place(call.mend))
        if wanted == calls or self.out_of_work():
            return state
        other = self.replayed(base, wanted)
        return other if other is not None and self.score(other, sheets) <= self.score(state, sheets) else state

    def lasting(self, state: _State, base: _State, sheets: tuple[int, ...]) -> _State:
        """Without slips of which nothing is left in the written file. Where another format that the destination takes holds them all, they
        stay, and it is said which."""
        if len(state.tape) == len(base.tape):
            return state
        self.progress("writing and reading back", 0.87)
        own = own_format(state.scene)
        formats = [own, *(name for name in other_formats(state.scene) if all(self.takes(k, name) for k in sheets))]
        back = {name: self.come_back(state, base, sheets, name) for name in formats[:1]}
        if back[own]:
            for name in formats[1:]:
                back[name] = self.come_back(state, base, sheets, name)
                if back[name] is not None and not back[name]:
                    self.formats |= dict.fromkeys(sheets, name)
                    return state
        lost = back[own]
        if not lost:
            return state
        # A slip all of whose findings come back helps nobody.
        for k in range(len(state.tape) - 1, len(base.tape) - 1, -1):
            cleared = self.cleared(base, state, k, sheets)
            if cleared and cleared <= lost:
                self.refused |= {at: f"{_title(state.tape[k])}: its file (.{own}) cannot hold it." for at in cleared}
                without = self.replayed(base, [*state.tape[len(base.tape) : k], *state.tape[k + 1 :]])
                state = without if without is not None else state
        return state

    def takes(self, k: int, name: str) -> bool:
        """Whether a destination takes a format."""
        return name in self.sheets[k].formats and bool(BY_NAME[name].written)

    def come_back(self, state: _State, base: _State, sheets: tuple[int, ...], name: str) -> set[tuple[int, str]] | None:
        """Findings that the tape cleared and that a file of a format shows again; None where it cannot be written so."""
        try:
            made = as_written(state.scene, name, self.sheets, state.intent, state.measures)
        except InputError:
            return None
        self.charge(made.measures, state.measures)
        out = set()
        for k in sheets:
            there = {finding.id for finding in made.judged[k].findings}
            gone = self.wanted(base, (k,)) - self.wanted(state, (k,))
            out |= {(k, id) for _, id in gone if id in there}
        return out

    def cleared(self, base: _State, state: _State, k: int, sheets: tuple[int, ...]) -> set[tuple[int, str]]:
        """What one slip of a tape cleared."""
        before, after = (self.replayed(base, state.tape[len(base.tape) : n]) for n in (k, k + 1))
        if before is None or after is None:
            return set()
        return self.wanted(before, sheets) - self.wanted(after, sheets)

    # --- what is told of it -------------------------------------------------------------------------

    def slips(self, base: _State, state: _State, sheets: Sequence[int]) -> list[Slip]:
        """The slips of a tape from a base on, each with what it does and costs."""
        out = []
        before = base
        for k in range(len(base.tape), len(state.tape)):
            after = self.after(before, state.tape[k])
            call, run, mend = state.tape[k], after.runs[k], find_mend(state.tape[k].mend)
            gone = [
                (s, finding)
                for s in sheets
                for finding in before.judged[s].findings
                if (s, finding.id) in self.wanted(before, (s,)) - self.wanted(after, (s,))
            ]
            # What goes of what only follows is no reason for a slip, and is told where there is no other.
            brings = [str(f.title) for s in sheets for f in new_or_worse(before.judged[s], after.judged[s])]
            out.append(
                Slip(
                    call.mend,
                    call.params,
                    _title(call),
                    mend.safe,
                    list(dict.fromkeys(str(finding.title) for _, finding in gone)),
                    list(dict.fromkeys(brings)),
                    list(dict.fromkeys(finding.check for _, finding in gone)),
                    list(dict.fromkeys(self.sheets[s].slug for s, _ in gone)),
                    [Figured(f.what, f.before, f.after) for f in run.figures],
                    list(run.remarks),
                    list(run.kept),
                    self.cost(before, after, list(run.remarks)),
                    self.options.get(call_text(*call), []),
                )
            )
            before = after
        return out

    def branch(self, common: _State, state: _State, k: int) -> Branch:
        """How one destination ends."""
        own = self.slips(common, state, [k]) if state is not common else []
        was, now = self.start.judged[k], state.judged[k]
        left = {finding.id for finding in now.findings}
        goes = [str(f.title) for f in was.findings if f.id not in left]
        return Branch(
            self.sheets[k].slug,
            self.sheets[k].name,
            own,
            self.verdict(self.start, k),
            self.verdict(state, k),
            list(dict.fromkeys(goes)),
            list(dict.fromkeys(str(f.title) for f in new_or_worse(was, now))),
            list(self.left(state, k)),
            self.formats.get(k),
        )

    def verdict(self, state: _State, k: int) -> Verdict:
        """Findings that count, by their result."""
        counts = {"stop": 0, "caution": 0, "note": 0}
        for finding in state.judged[k].findings:
            if finding.id not in self.wish.waived:
                counts[finding.result] += 1
        return Verdict(**counts, unlooked=list(state.judged[k].unlooked))

    def left(self, state: _State, k: int) -> Iterator[Left]:
        """What stays, the gravest first, with who is wanted for it."""
        by_id = {finding.id: finding for finding in state.judged[k].findings}
        wanted = {id for _, id in self.wanted(state, (k,))}
        for finding in sorted((f for f in by_id.values() if f.id in wanted), key=lambda f: -_RANK[f.result]):
            needs, because = self.why(finding, state, k)
            yield Left(finding.id, finding.check, str(finding.title), finding.result, finding.part, finding.node, needs, because)

    def why(self, finding: Finding, state: _State, k: int) -> tuple[str, str]:
        """Who or what is wanted for a finding that stays, and why."""
        asks = unsaid(finding, state.intent, self.asked)
        if finding.mends and asks:
            what = " or ".join(ASKED[key][:1].lower() + ASKED[key][1:] for key in asks)
            return "intent", f"Say first {what}: its mends would guess it."
        if (k, finding.id) in self.refused:
            return "person", f"Tried and left off. {self.refused[k, finding.id]}"
        if finding.mends and self.ended:
            return "time", "Its mends were not tried any more."
        if finding.mends:
            return "person", f"{_title(finding.mends[0])} is offered and did not help together with the rest."
        if checks_by_id()[finding.check].mends:
            return "person", "None of its mends applies to this model."
        return "person", "No mend can know what is right here."

    def cost(self, before: _State, after: _State, words: list[str]) -> Cost:
        """What lies between two states."""
        a, b = drawing(before.measures), drawing(after.measures)
        had, has = _named(before.scene), _named(after.scene)
        gone = [name for name in had if name not in has]
        used = _names_beside(before.measures)
        size = lambda m: sum((i.width or 0) * (i.height or 0) for i in m.images)
        return Cost(
            b.triangles - a.triangles,
            b.draw_calls - a.draw_calls,
            b.parts - a.parts,
            b.texture_memory - a.texture_memory,
            max(size(before.measures) - size(after.measures), 0),
            sum(m.face_count for m in after.scene.meshes) - sum(m.face_count for m in before.scene.meshes),
            gone,
            [name for name in gone if name in used],
            None,
            list(dict.fromkeys(words)),
        )


def _words(state: _State | None) -> list[str]:
    return [] if state is None or not state.runs else list(state.runs[-1].remarks)


def _kind(call: Call) -> str:
    """What a call does, whatever it is kept to."""
    return call_text(call.mend, {k: v for k, v in call.params.items() if k not in _ABOUT})


def _merged(calls: Sequence[Call]) -> Call:
    """Calls of one kind as one, for all that each is kept to. One that is kept to nothing is for all."""
    params = dict(calls[0].params)
    for name in _ABOUT:
        if any(name not in call.params for call in calls):
            params.pop(name, None)
            continue
        params[name] = list(dict.fromkeys(x for call in calls for x in find_mend(call.mend).read(call.params)[name]))
    return Call(calls[0].mend, params)


def _about(call: Call) -> list[str]:
    """What a call is kept to."""
    values = find_mend(call.mend).read(call.params)
    return [str(x) for name in _ABOUT if name in call.params for x in values[name]]


def _depth(mend: str, below: frozenset[str] = frozenset()) -> int:
    """How many mends one rests on, one on the other, at most."""
    declared = mends_by_id().get(mend)
    rests_on = () if declared is None or mend in below else declared.after
    return max((1 + _depth(other, below | {mend}) for other in rests_on), default=0)


def _title(call: Call) -> str:
    """What a call will do to what, as a button says it."""
    return find_mend(call.mend).says_of(call.params)


def _named(scene: Scene) -> list[str]:
    """Names by which something outside may go: of nodes, materials, images, clips."""
    things = [*scene.nodes, *scene.materials, *scene.images, *scene.clips]
    return list(dict.fromkeys(str(thing.name) for thing in things if thing.name))


def _names_beside(measures: Measures) -> set[str]:
    """Names that files beside use."""
    return used_names(measures)


def recipe(way: Way, sheet: str | None = None) -> list[dict[str, Any]]:
    """The tape of a way as a recipe that `mend --recipe` takes, with the branch of a sheet where one is named."""
    own = [slip for branch in way.branches if branch.sheet == sheet for slip in branch.slips]
    return [{"mend": slip.mend, "params": msgspec.to_builtins(slip.params)} for slip in (*way.slips, *own)]


__all__ = ["Found", "Wish", "find_way", "recipe"]
