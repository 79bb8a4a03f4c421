"""What is told of a way: each slip with what it does and costs, how each destination ends, and what is left."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from ... import formats
from ...declare.check import Finding
from ...limits import InputError
from ...measures.drawing import drawing
from ...route.stations import checks_by_id, find_mend
from ...scene import Scene
from ...stations.arrival.services import used_names
from ...words.calls import call_text
from ..as_written import own_format
from ..trials import new_or_worse
from .calls import title
from .questions import ASKED, unsaid
from .records import Branch, Cost, Figured, Left, Option, Slip, Verdict
from .states import TOO_LONG, State, States
from .wish import RANK


class Account:
    """Tells of states of a model. options: by the text of a call what there was to choose. promises: by tape, up to and with each slip,
    what that slip was measured to have kept."""

    def __init__(
        self, states: States, options: Mapping[str, list[Option]], promises: Mapping[tuple[str, ...], tuple[str, ...]]
    ) -> None:
        self.states, self.options, self.promises = states, options, promises

    def slips(self, base: State, state: State, sheets: Sequence[int]) -> list[Slip]:
        """The slips of a tape from a base on, each with what it does and costs."""
        out = []
        before = base
        for k in range(len(base.tape), len(state.tape)):
            after = self.states.after(before, state.tape[k])
            call, run, mend = state.tape[k], after.runs[k], find_mend(state.tape[k].mend)
            gone = [
                (s, finding)
                for s in sheets
                for finding in before.judged[s].findings
                if (s, finding.id) in self.states.cleared(before, after, (s,))
            ]
            # What goes of what only follows is no reason for a slip, and is told where there is no other.
            brings = [str(f.title) for s in sheets for f in new_or_worse(before.judged[s], after.judged[s])]
            out.append(
                Slip(
                    call.mend,
                    call.params,
                    title(call),
                    mend.safe,
                    list(dict.fromkeys(str(finding.title) for _, finding in gone)),
                    list(dict.fromkeys(brings)),
                    list(dict.fromkeys(finding.check for _, finding in gone)),
                    list(dict.fromkeys(self.states.sheets[s].slug for s, _ in gone)),
                    [Figured(f.what, f.before, f.after) for f in run.figures],
                    list(run.remarks),
                    list(self.promises.get(tuple(call_text(*x) for x in after.tape), ())),
                    cost(before, after, list(run.remarks)),
                    self.options.get(call_text(*call), []),
                )
            )
            before = after
        return out

    def branch(self, common: State, state: State, k: int) -> Branch:
        """How one destination ends."""
        own = self.slips(common, state, [k]) if state is not common else []
        was, now = self.states.start.judged[k], state.judged[k]
        left = {finding.id for finding in now.findings}
        goes = [str(f.title) for f in was.findings if f.id not in left]
        return Branch(
            self.states.sheets[k].slug,
            self.states.sheets[k].name,
            own,
            self.verdict(self.states.start, k),
            self.verdict(state, k),
            list(dict.fromkeys(goes)),
            list(dict.fromkeys(str(f.title) for f in new_or_worse(was, now))),
            list(self.left(state, k)),
            self.states.formats.get(k),
        )

    def verdict(self, state: State, k: int) -> Verdict:
        """Findings that count, by their result."""
        counts = {"stop": 0, "caution": 0, "note": 0}
        for finding in state.judged[k].findings:
            if finding.id not in self.states.wish.waived:
                counts[finding.result] += 1
        return Verdict(**counts, unlooked=list(state.judged[k].unlooked))

    def left(self, state: State, k: int) -> Iterator[Left]:
        """What stays, the gravest first, with who is wanted for it."""
        by_id = {finding.id: finding for finding in state.judged[k].findings}
        wanted = {id for _, id in self.states.wanted(state, (k,))}
        for finding in sorted((f for f in by_id.values() if f.id in wanted), key=lambda f: -RANK[f.result]):
            needs, because = self.why(finding, state, k)
            yield Left(finding.id, finding.check, str(finding.title), finding.result, finding.part, finding.node, needs, because)

    def why(self, finding: Finding, state: State, k: int) -> tuple[str, str]:
        """Who or what is wanted for a finding that stays, and why."""
        asks = unsaid(finding, state.intent, self.states.asked)
        if finding.mends and asks:
            what = " or ".join(ASKED[key][:1].lower() + ASKED[key][1:] for key in asks)
            return "intent", f"Say first {what}: its mends would guess it."
        if (k, finding.id) in self.states.refused:
            if self.states.refused[k, finding.id].endswith(TOO_LONG):
                return "time", self.states.refused[k, finding.id]
            return "person", f"Tried and left off. {self.states.refused[k, finding.id]}"
        if finding.mends and self.states.ended:
            return "time", "Its mends were not tried any more."
        if finding.mends:
            return "person", f"{title(finding.mends[0])} is offered and did not help together with the rest."
        if checks_by_id()[finding.check].mends:
            return "person", "None of its mends applies to this model."
        return "person", "No mend can know what is right here."


def cost(before: State, after: State, remarks: Sequence[str]) -> Cost:
    """What lies between two states."""
    a, b = drawing(before.measures), drawing(after.measures)
    had, has = names_of(before.scene), names_of(after.scene)
    gone = [name for name in had if name not in has]
    used = used_names(before.measures)
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
        list(dict.fromkeys(remarks)),
    )


def more_bytes(before: Scene, after: Scene) -> int | None:
    """Bytes of the files of a scene after less before, in its own format; None where one cannot be written so."""
    try:
        sizes = [sum(map(len, formats.write(s, own_format(s), "model").values())) for s in (before, after)]
    except InputError:
        return None
    return sizes[1] - sizes[0]


def words(state: State | None) -> list[str]:
    """What the last mend of a state says of itself."""
    return [] if state is None or not state.runs else list(state.runs[-1].remarks)


def names_of(scene: Scene) -> list[str]:
    """Names by which something outside may go: of nodes, materials, images, clips."""
    names = [
        *(node.name for node in scene.nodes),
        *(material.name for material in scene.materials),
        *(image.name for image in scene.images),
        *(clip.name for clip in scene.clips),
    ]
    return list(dict.fromkeys(name for name in names if name))
