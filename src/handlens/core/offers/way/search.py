"""Which mends help: each is played on what those before it made, and stays only where its finding goes and no worse one comes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from ...declare.check import Finding
from ...declare.mend import Mend
from ...judge.causes import own_result
from ...limits import InputError, MendError
from ...route.stations import find_mend
from ...words.calls import Call, call_text
from ..trials import new_or_worse
from .account import cost, words
from .calls import ABOUT, about, kind, merged, title
from .questions import unsaid
from .records import Option
from .states import State, States
from .wish import RANK

#: Passes over what is offered: what one mend brings to light the next pass mends.
_PASSES = 6
#: Options of one slip that are shown.
_SHOWN = 3


class Played(NamedTuple):
    """A call played on a state. state: after it; None where it does not apply, is refused or helps nothing, and because: why.
    conflict: it would bring another finding."""

    state: State | None
    because: str
    clears: int = 0
    brings: tuple[str, ...] = ()
    conflict: bool = False


class Offer(NamedTuple):
    """Calls of one mend for findings of one kind, as one call. findings: (sheet, id). place: among what its findings offer."""

    call: Call
    findings: tuple[tuple[int, str], ...]
    place: int


class Search:
    """A search over the states of a model. options: by the text of a call on the tape, what there was to choose."""

    def __init__(self, states: States) -> None:
        self.states = states
        self.options: dict[str, list[Option]] = {}

    def walked(self, state: State, sheets: tuple[int, ...]) -> State:
        """The state after all mends that help; then once more, as what comes later may make room for what came first.

        Where all that is offered may be played, it is played in the order in which mends rest on each other, so that the tape is in order when
        it is found; else what stops first.
        """
        levels = tuple(level for level in ("stop", "caution", "note") if RANK[level] >= RANK[self.states.wish.goal])
        most = self.states.most - self.states.work
        cheap = 2 * len(self.groups(state, sheets, levels)) * self.states.reading < most
        for _ in range(_PASSES):
            before = state
            for some in [levels] if cheap else [(level,) for level in levels]:
                state = self.passed(state, sheets, some)
            if state is before or self.states.out_of_work():
                break
        return state

    def second_thoughts(self, state: State, base: State, sheets: tuple[int, ...]) -> State:
        """The state, or a better one where something is left: what was chosen earlier may stand in the way of what came later."""
        for _ in range(_SHOWN):
            better = next(self._otherwise(state, base, sheets), None)
            if better is None:
                return state
            state = better
        return state

    def _otherwise(self, state: State, base: State, sheets: tuple[int, ...]) -> Iterator[State]:
        """States in which another option of one slip was taken, or in which what was left off was played before a slip, and less is left."""
        # Only what stood in each other's way may stand otherwise in another order.
        stuck = self.states.wanted(state, sheets) & self.states.conflicts
        if not stuck:
            return
        own = state.tape[len(base.tape) :]
        tapes = [
            [*own[:k], Call(option.mend, option.params), *own[k + 1 :]]
            for k in range(len(own))
            for option in self.options.get(call_text(*own[k]), [])
            if not option.chosen
        ]
        groups = self.groups(state, sheets, ("stop", "caution"))
        left = [offer.call for group in groups for offer in group if stuck & set(offer.findings)]
        tapes += [[*own[:k], call, *own[k:]] for call in left[:_SHOWN] for k in range(len(own))]
        for tape in tapes:
            if self.states.out_of_work():
                return
            other = self.states.replayed(base, tape)
            if other is None or self.compared(base, other, sheets)[1]:
                continue
            other = self.walked(other, sheets)
            if self.states.score(other, sheets) < self.states.score(state, sheets):
                yield other

    def passed(self, state: State, sheets: tuple[int, ...], levels: tuple[str, ...]) -> State:
        """The state after one pass over what is offered for findings of some results."""
        for group in self.groups(state, sheets, levels):
            if self.states.out_of_work():
                break
            self.states.progress(f"trying {title(group[0].call)}", min(0.85 * self.states.work / self.states.most, 0.85))
            still = self.open_at(state, sheets, levels)
            group = [self.narrowed(offer, still, state) for offer in group]
            if not any(offer.findings for offer in group):
                continue
            state = self.best_of(state, [offer for offer in group if offer.findings], sheets) or self.one_by_one(
                state, group, sheets, levels
            )
        return state

    def one_by_one(self, state: State, group: list[Offer], sheets: tuple[int, ...], levels: tuple[str, ...]) -> State:
        """What could not be mended for all at once, finding by finding."""
        if len(group[0].findings) < 2 or not set(group[0].call.params) & set(ABOUT):
            return state
        for finding in group[0].findings:
            if self.states.out_of_work():
                break
            if finding not in self.open_at(state, sheets, levels):
                continue
            alone = [o for o in (self.narrowed(offer, {finding}, state) for offer in group) if o.findings]
            state = self.best_of(state, alone, sheets) or state
        return state

    def best_of(self, state: State, offers: list[Offer], sheets: tuple[int, ...]) -> State | None:
        """The state after the best of some offers that exclude each other; None where none helps. All that help are kept to choose from."""
        worth: list[tuple[tuple[Any, ...], Offer, Played, Mend]] = []
        for offer in offers[: _SHOWN + 1]:
            if worth and self.states.out_of_work():
                break
            played = self.play(state, offer.call, sheets)
            mend = find_mend(offer.call.mend)
            if played.state is None:
                self.states.conflicts |= set(offer.findings) if played.conflict else set()
                self.states.refused |= dict.fromkeys(offer.findings, f"{mend.title}: {played.because}")
                continue
            slips = len(played.state.tape)
            key = (not self.preferred(offer), slips, bool(played.brings), not mend.safe, -played.clears, offer.place)
            worth.append((key, offer, played, mend))
        if not worth:
            return None
        worth.sort(key=lambda x: x[0])
        _, chosen, played, _ = worth[0]
        assert played.state is not None
        if len(worth) > 1:
            mends = [offer.call.mend for _, offer, _, _ in worth]
            self.options[call_text(*chosen.call)] = [
                Option(
                    offer.call.mend,
                    offer.call.params,
                    title(offer.call),
                    one.clears,
                    list(one.brings),
                    cost(state, one.state, words(one.state)),
                    mend.safe,
                    offer is chosen,
                    offer.call.mend if mends.count(offer.call.mend) == 1 else call_text(*offer.call),
                )
                for _, offer, one, mend in worth[:_SHOWN]
                if one.state is not None
            ]
        return played.state

    def preferred(self, offer: Offer) -> bool:
        """Whether a rule asks for this one."""
        wanted = [self.states.wish.rules.get(id) or self.states.wish.rules.get(id.partition(":")[0]) for _, id in offer.findings]
        return any(one in (offer.call.mend, call_text(*offer.call)) for one in wanted)

    def groups(self, state: State, sheets: tuple[int, ...], levels: tuple[str, ...]) -> list[list[Offer]]:
        """What is offered for open findings of some results, in the order in which it is tried: offers of one group exclude each other."""
        found: dict[str, dict[str, list[tuple[tuple[int, str], Call, int]]]] = {}
        still = self.open_at(state, sheets, levels)
        for k in sheets:
            for finding in state.judged[k].findings:
                if (k, finding.id) not in still or unsaid(finding, state.intent, self.states.asked):
                    continue
                # The findings of one check that lead with the same mend are mended together.
                calls = [(n, call) for n, call in enumerate(finding.mends) if not self.again(state, call)]
                head = kind(calls[0][1]) if calls else None
                for index, call in calls:
                    alike = found.setdefault(f"{finding.check} {head}", {}).setdefault(kind(call), [])
                    alike.append(((k, finding.id), call, index))
        groups = [
            [
                Offer(merged([call for _, call, _ in calls]), tuple(dict.fromkeys(at for at, _, _ in calls)), calls[0][2])
                for calls in kinds.values()
            ]
            for kinds in found.values()
        ]
        return sorted(
            groups, key=lambda group: (self.states.place(group[0].call.mend), -len(group[0].findings), call_text(*group[0].call))
        )

    def open_at(self, state: State, sheets: tuple[int, ...], levels: tuple[str, ...]) -> set[tuple[int, str]]:
        """Open findings of some results, by sheet and id."""
        return {at for level in levels for at in self.states.open_ids(state, sheets, level)}

    def again(self, state: State, call: Call) -> bool:
        """Whether a mend that has been played would be played on what itself, or another, made of the model: that has no end."""
        things = about(call)
        return (
            any(kind(call) == kind(other) for other in state.tape)
            and not {name.partition("~")[0] for name in things} <= self.states.names
        )

    def narrowed(self, offer: Offer, still: set[tuple[int, str]], state: State) -> Offer:
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
            if kind(call) == kind(offer.call)
        ]
        return offer._replace(findings=kept, call=merged(calls)) if calls else offer._replace(findings=())

    def play(self, state: State, call: Call, sheets: tuple[int, ...]) -> Played:
        """What one call does to a state, and whether it may stay. Where what it brings is mended by what that offers, both stay."""
        try:
            after = self.states.after(state, call)
        except (MendError, InputError) as error:
            return Played(None, str(error))
        played, new = self.compared(state, after, sheets)
        if played.state is not None or not new:
            return played
        follows = [call for f in new if not unsaid(f, after.intent, self.states.asked) for call in f.mends]
        for follow in list({call_text(*call): call for call in follows}.values())[:_SHOWN]:
            if self.states.out_of_work():
                break
            try:
                both, _ = self.compared(state, self.states.after(after, follow), sheets)
            except (MendError, InputError):
                continue
            if both.state is not None:
                return both
        return played

    def compared(self, state: State, after: State, sheets: tuple[int, ...]) -> tuple[Played, list[Finding]]:
        """Whether a later state may stand in an earlier one's place, and the findings that speak against it."""
        paid = {check for call in after.tape[len(state.tape) :] for check in find_mend(call.mend).leaves}
        clears, brings, against = 0, list[str](), list[Finding]()
        for k in sheets:
            was, now = state.judged[k], after.judged[k]
            if blind := set(now.unlooked) - set(was.unlooked):
                return Played(None, f"{', '.join(sorted(blind))} could not be looked at then."), []
            by_id = {finding.id: finding for finding in now.findings}
            clears += len(self.states.cleared(state, after, (k,)))
            for finding in new_or_worse(was, now):
                if finding.check in paid or own_result(finding, by_id) == "note":
                    brings.append(str(finding.title))
                else:
                    against.append(finding)
        if against:
            return Played(None, f"it would bring: {against[0].title}.", conflict=True), against
        if not clears:
            return Played(None, "its finding stays."), []
        return Played(after, "", clears, tuple(dict.fromkeys(brings))), []
