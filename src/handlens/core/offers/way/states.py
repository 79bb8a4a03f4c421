"""States of a model on its way: mends played one after the other, each state measured and judged by every destination."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from ...declare.mend import MendRun
from ...judge import Judgement, judge
from ...judge.causes import own_result
from ...limits import InputError, MendError
from ...measures import Measures
from ...measures.known import Known
from ...route.measuring import measure
from ...route.stations import checks_by_id, find_mend, stations
from ...route.tape import apply_mend
from ...rules import Intent, RuleSheet
from ...scene import Scene
from ...words.calls import Call, call_text
from ..trials import intent_with_unit
from .calls import depth
from .questions import questions
from .wish import RANK, Wish

#: How many readings of the model a search may cost, and how much it may at the least, in triangles that are measured anew.
READINGS, LEAST = 8, 3_000_000
#: What a play costs beside, however small the model, and what looking at it from all round does: about a hundred plays of a small one.
_PLAY, _LOOK = 30_000, 20_000
#: States of the tape that are kept while they may be asked for again.
_STATES = 48

#: Why a mend is not tried that would cost more than is left.
TOO_LONG = "trying it takes longer than a way may be looked for."

Progress = Callable[[str, float], None]


class State(NamedTuple):
    """A model with some mends played. runs: what each did. intent: with what the mends say of the unit."""

    tape: tuple[Call, ...]
    scene: Scene
    measures: Measures
    judged: tuple[Judgement, ...]
    runs: tuple[MendRun, ...]
    intent: Intent


class States:
    """The model with mends played on it, state by state, each measured and judged once, and what that has cost so far."""

    def __init__(
        self, scene: Scene, measures: Measures, sheets: Sequence[RuleSheet], intent: Intent, wish: Wish, progress: Progress
    ) -> None:
        self.sheets, self.wish, self.progress = sheets, wish, progress
        judged = tuple(judge(measures, sheet, intent) for sheet in sheets)
        self.start = State((), scene, measures, judged, (), intent)
        self.reading = _PLAY + _LOOK + 2 * sum(measures.meshes[part.mesh].triangles for part in measures.parts)
        self.work, self.most = 0.0, max(float(LEAST), READINGS * self.reading)
        self.ended: str | None = None
        self.asked = questions(measures, sheets[0], intent, wish.answered)
        self.names = {node.name for node in scene.nodes}
        #: By sheet and finding why what was tried for it was left off, and those for which it would have brought another; by sheet the format that all of it needs.
        self.refused: dict[tuple[int, str], str] = {}
        self.formats: dict[int, str | None] = {}
        self.conflicts: set[tuple[int, str]] = set()
        #: By the text of a call why it is not played: it did not keep what it promises.
        self.broken: dict[str, str] = {}
        self.kept: dict[tuple[str, ...], State] = {(): self.start}
        self._order = {id: n for n, id in enumerate(mend.id for station in stations() for mend in station.mends)}

    def open_ids(self, state: State, sheets: Sequence[int], level: str) -> set[tuple[int, str]]:
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

    def wanted(self, state: State, sheets: Sequence[int]) -> set[tuple[int, str]]:
        """Open findings that the wish asks to be cleared."""
        levels = [level for level in RANK if RANK[level] >= RANK[self.wish.goal]]
        return {at for level in levels for at in self.open_ids(state, sheets, level)}

    def cleared(self, before: State, after: State, sheets: Sequence[int]) -> set[tuple[int, str]]:
        """Findings that were wanted gone in one state and are gone in another, or less grave there."""
        out = set()
        for k in sheets:
            was, now = ({f.id: f for f in state.judged[k].findings} for state in (before, after))
            rank = lambda id, found: RANK[own_result(found[id], found)] if id in found else -1
            out |= {at for at in self.wanted(before, (k,)) if rank(at[1], now) < rank(at[1], was)}
        return out

    def after(self, state: State, call: Call) -> State:
        """The state with one call more, from what is kept or played anew. Raises MendError or InputError where it does not apply."""
        tape = (*state.tape, call)
        key = tuple(call_text(*x) for x in tape)
        if key in self.kept:
            return self.kept[key]
        self.charge_play(state.scene, call)
        try:
            outcome = apply_mend(state.scene, *call)
        except (MendError, InputError):
            raise
        except Exception as error:
            raise MendError(f"the mend itself failed: {type(error).__name__}.") from error
        measures = measure(outcome.scene, known=Known(state.measures))
        self.charge(measures, state.measures)
        intent = intent_with_unit(call, state.intent)
        judged = tuple(judge(measures, sheet, intent) for sheet in self.sheets)
        run = MendRun(call.mend, call.params, True, outcome.figures, tuple(map(str, outcome.remarks)))
        if len(self.kept) >= _STATES:
            del self.kept[next(key for key in self.kept if key)]
        made = self.kept[key] = State(tape, outcome.scene, measures, judged, (*state.runs, run), intent)
        return made

    def forget(self, call: Call, why: str) -> None:
        """Play a call no more, and take its states away. why: in a sentence."""
        text = call_text(*call)
        self.broken[text] = why
        self.kept = {key: state for key, state in self.kept.items() if text not in key}

    def charge_play(self, scene: Scene, call: Call) -> None:
        """Count what playing a call costs by itself. Raises MendError where it is not played any more, or where a mend that works on every
        triangle would cost more than is left."""
        if (why := self.broken.get(call_text(*call))) is not None:
            raise MendError(why)
        mend = find_mend(call.mend)
        wanted = mend.work_per_triangle * sum(mesh.triangle_count for mesh in scene.meshes)
        if wanted and self.work + wanted > self.most:
            self.ended = self.ended or f"{mend.title} was not tried: it takes longer than a way may be looked for."
            raise MendError(TOO_LONG)
        self.work += _PLAY + wanted

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
        self.ended = "The search has cost as much as it may; what it had not tried is left."
        return True

    def score(self, state: State, sheets: tuple[int, ...]) -> tuple[float, ...]:
        """What is left, the gravest first: less is better. Findings on pairs of parts go by their share: parts that are split make more pairs."""
        levels = [level for level in ("stop", "caution", "note") if RANK[level] >= min(RANK[self.wish.goal], RANK["caution"])]
        unlooked = sum(len(state.judged[k].unlooked) for k in sheets)
        checks = checks_by_id()
        found = {(k, finding.id): finding for k in sheets for finding in state.judged[k].findings}
        weight = lambda f: float((f.measured or {}).get("value") or 1.0) if checks[f.check].of_pairs else 1.0
        return (unlooked, *(round(sum(weight(found[at]) for at in self.open_ids(state, sheets, level)), 6) for level in levels))

    def replayed(self, base: State, calls: Sequence[Call]) -> State | None:
        """The state after calls on a base; None where one does not apply. States between are measured only where they are asked for."""
        state, n = base, 0
        key = tuple(call_text(*call) for call in (*base.tape, *calls))
        while n < len(calls) and (known := self.kept.get(key[: len(base.tape) + n + 1])) is not None:
            state, n = known, n + 1
        try:
            for k in range(n, len(calls) - 1):
                self.charge_play(state.scene, calls[k])
                scene = apply_mend(state.scene, *calls[k]).scene
                run = MendRun(calls[k].mend, calls[k].params, True)
                state = state._replace(
                    tape=(*state.tape, calls[k]),
                    scene=scene,
                    runs=(*state.runs, run),
                    intent=intent_with_unit(calls[k], state.intent),
                )
            return self.after(state, calls[-1]) if n < len(calls) else state
        except (MendError, InputError):
            return None

    def place(self, mend: str) -> tuple[int, int, str]:
        """Where a mend stands among others: after those that it rests on, in the order of the stations and of their mends."""
        return depth(mend), self._order.get(mend, len(self._order)), mend
