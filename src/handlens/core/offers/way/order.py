"""A tape put in order: without slips that others made needless, in the order of the trade, and only with what outlives being written."""

from __future__ import annotations

from ...formats.table import BY_NAME
from ...limits import InputError
from ...route.stations import checks_by_id
from ..as_written import as_written, other_formats, own_format
from .calls import title
from .states import State, States


class Order:
    """Puts tapes in order over the states of a model."""

    def __init__(self, states: States) -> None:
        self.states = states

    def settled(self, state: State, base: State, sheets: tuple[int, ...]) -> State:
        """The state without slips that others made needless, in an order that holds, without those that do not outlive being written."""
        state = self.ordered(self.pruned(state, base, sheets), base, sheets)
        return self.lasting(state, base, sheets)

    def pruned(self, state: State, base: State, sheets: tuple[int, ...]) -> State:
        """Without each slip but for which as little is left, the last ones first. Only slips are tried whose findings another slip may have
        cleared as well: by what their checks declare, or by taking away what they are about."""
        for k in range(len(state.tape) - 1, len(base.tape) - 1, -1):
            if self.states.out_of_work():
                break
            if not self.may_be_needless(state, base, k, sheets):
                continue
            calls = [*state.tape[len(base.tape) : k], *state.tape[k + 1 :]]
            without = self.states.replayed(base, calls)
            if without is not None and self.states.score(without, sheets) <= self.states.score(state, sheets):
                state = without
        return state

    def may_be_needless(self, state: State, base: State, k: int, sheets: tuple[int, ...]) -> bool:
        """Whether another slip of a tape may clear what one of it does."""
        others = [call for n, call in enumerate(state.tape) if n >= len(base.tape) and n != k]
        clearing = {mend for _, id in self.cleared(base, state, k, sheets) for mend in checks_by_id()[id.partition(":")[0]].mends}
        if any(call.mend in clearing for call in others):
            return True
        had, has = (len(s.scene.nodes) + sum(mesh.face_count for mesh in s.scene.meshes) for s in (base, state))
        return has < had

    def ordered(self, state: State, base: State, sheets: tuple[int, ...]) -> State:
        """In the order of the stations, and after what each rests on, where that ends as well."""
        calls = list(state.tape[len(base.tape) :])
        wanted = sorted(calls, key=lambda call: self.states.place(call.mend))
        if wanted == calls or self.states.out_of_work():
            return state
        other = self.states.replayed(base, wanted)
        return other if other is not None and self.states.score(other, sheets) <= self.states.score(state, sheets) else state

    def lasting(self, state: State, base: State, sheets: tuple[int, ...]) -> State:
        """Without slips of which nothing is left in the written file. Where another format that the destination takes holds them all, they
        stay, and it is said which."""
        if len(state.tape) == len(base.tape):
            return state
        self.states.progress("writing and reading back", 0.87)
        own = own_format(state.scene)
        names = [own, *(name for name in other_formats(state.scene) if all(self.takes(k, name) for k in sheets))]
        back = {name: self.come_back(state, base, sheets, name) for name in names[:1]}
        if back[own]:
            for name in names[1:]:
                back[name] = self.come_back(state, base, sheets, name)
                if back[name] is not None and not back[name]:
                    self.states.formats |= dict.fromkeys(sheets, name)
                    return state
        lost = back[own]
        if not lost:
            return state
        # A slip all of whose findings come back helps nobody.
        for k in range(len(state.tape) - 1, len(base.tape) - 1, -1):
            cleared = self.cleared(base, state, k, sheets)
            if cleared and cleared <= lost:
                self.states.refused |= {at: f"{title(state.tape[k])}: its file (.{own}) cannot hold it." for at in cleared}
                without = self.states.replayed(base, [*state.tape[len(base.tape) : k], *state.tape[k + 1 :]])
                state = without if without is not None else state
        return state

    def takes(self, k: int, name: str) -> bool:
        """Whether a destination takes a format."""
        return name in self.states.sheets[k].formats and bool(BY_NAME[name].written)

    def come_back(self, state: State, base: State, sheets: tuple[int, ...], name: str) -> set[tuple[int, str]] | None:
        """Findings that the tape cleared and that a file of a format shows again; None where it cannot be written so."""
        try:
            made = as_written(state.scene, name, self.states.sheets, state.intent, state.measures)
        except InputError:
            return None
        self.states.charge(made.measures, state.measures)
        out = set()
        for k in sheets:
            there = {finding.id for finding in made.judged[k].findings}
            gone = self.states.cleared(base, state, (k,)) - self.states.wanted(state, (k,))
            out |= {(k, id) for _, id in gone if id in there}
        return out

    def cleared(self, base: State, state: State, k: int, sheets: tuple[int, ...]) -> set[tuple[int, str]]:
        """What one slip of a tape cleared."""
        before, after = (self.states.replayed(base, state.tape[len(base.tape) : n]) for n in (k, k + 1))
        if before is None or after is None:
            return set()
        return self.states.cleared(before, after, sheets)
