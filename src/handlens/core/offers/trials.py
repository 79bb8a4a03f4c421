"""Every mend that is offered is played on a copy first: it is offered only where its finding goes and no other comes, in memory and
in the model's own format, written and read back. What that format cannot hold is offered with one that can.

What a mend does hangs on the model alone, what it is worth on the sheet: the figures say, sheet by sheet, what came. Mends of one
kind for several parts are played together; only where that is not clean is each played by itself.
"""

from __future__ import annotations

import logging
import math
import time
from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace

from .. import formats
from ..declare.check import Finding
from ..declare.mend import Outcome, Touches
from ..formats.conform import export_losses
from ..judge import Judgement, judge
from ..judge.causes import own_result
from ..limits import InputError, MendError, plural
from ..measures import Measures
from ..measures.known import Known
from ..measures.records import TrialFigures
from ..route.measuring import measure
from ..route.stations import all_checks, checks_by_id, mends_by_id
from ..route.tape import apply_as_promised
from ..rules import Intent, RuleSheet
from ..scene import Scene
from ..words.calls import Call, call_text
from .as_written import AsWritten, as_written, is_gone, other_formats, own_format

#: What trying may cost, in triangles that are measured anew over all plays: some seconds. Offers that are left over are tried
#: when somebody looks at them.
WORK = 1_000_000
#: Pixels of all pictures together from which on none is painted anew to try a mend.
_PIXELS = 16 << 20
#: Parameters by which a call is kept to some things.
_APART = {"parts", "materials"}
#: What a play costs beside, and what looking at the model from all round does.
_PLAY, _LOOK = 1_000, 20_000
#: Findings that are gone, and titles of those that came, by sheet.
_Told = tuple[list[str], dict[str, list[str]]]
_RANK = {"note": 0, "caution": 1, "stop": 2}

Progress = Callable[[float], None]
Arrived = Callable[[Measures], None]


def with_trials(
    scene: Scene,
    measures: Measures,
    sheets: Sequence[RuleSheet],
    intent: Intent,
    work: float = WORK,
    progress: Progress = lambda _: None,
    seconds: float = math.inf,
    pace: float = 0.0,
    arrived: Arrived = lambda _: None,
    longest: float = math.inf,
) -> Measures:
    """The measures with what came of each offer that was tried. measures: with digests, as `collect` takes them with `known`.

    work: how much trying may cost; more for trying everything. seconds: how long it may take; none is begun that is
    reckoned to take longer than what is left. pace: seconds that measuring a triangle took. longest: seconds that one play may be reckoned to
    take. arrived: told what has come of the offers so
    far, whenever more of them were tried.
    """
    tries = _Tries(scene, measures, sheets, intent, work, progress, seconds, pace, longest)
    return replace(measures, trials=tries.all(lambda done: arrived(replace(measures, trials=done))))


class _Tries:
    def __init__(
        self,
        scene: Scene,
        measures: Measures,
        sheets: Sequence[RuleSheet],
        intent: Intent,
        work: float,
        progress: Progress,
        seconds: float,
        pace: float,
        longest: float,
    ) -> None:
        self.until, self.longest = time.perf_counter() + seconds, longest
        self.whole = pace * sum(measures.meshes[part.mesh].triangles for part in measures.parts)
        self.scene, self.measures, self.sheets, self.intent = scene, measures, sheets, intent
        self.work, self.progress = work, progress
        self.before = [judge(measures, sheet, intent) for sheet in sheets]
        self.findings: dict[str, list[tuple[int, Finding]]] = {}
        self.calls: dict[str, Call] = {}
        for k, judged in enumerate(self.before):
            for finding in judged.findings:
                for call in finding.mends:
                    text = call_text(*call)
                    self.calls.setdefault(text, call)
                    self.findings.setdefault(text, []).append((k, finding))
        self.left = work
        self.large = 2 * sum(measures.meshes[part.mesh].triangles for part in measures.parts) > work
        self.files: dict[str, AsWritten | None] = {}

    def all(self, arrived: Callable[[list[TrialFigures]], None]) -> list[TrialFigures]:
        """First each mend for all parts that it is offered for, then what was not clean there, part by part."""
        kinds: dict[tuple[str, int], list[str]] = {}
        asked: Counter[tuple[str, str]] = Counter()
        for text in sorted(self.calls, key=self.urgency):
            mend, params = self.calls[text]
            # Only what is kept to some parts or materials can be played after another without getting in its way, and each of them once:
            # what one sheet wants of a part is no test of what another does.
            about = [str(x) for key in _APART & params.keys() for x in _listed(params[key])]
            turn = max((asked[mend, x] for x in about), default=0)
            asked.update((mend, x) for x in about)
            kinds.setdefault((mend, turn) if about else (text, 0), []).append(text)
        # What mends a stop first, then what costs next to nothing, then what mends most.
        light = lambda texts: _touches(self.calls[texts[0]][0]) == "neither"
        order = sorted(kinds.values(), key=lambda texts: (self.urgency(texts[0]), not light(texts), -len(texts)))
        done: list[TrialFigures] = []
        alone: dict[str, TrialFigures] = {}
        full = sum((i.width or 0) * (i.height or 0) for i in self.measures.images) > _PIXELS
        for n, together in enumerate(order):
            self.progress(0.5 * n / len(kinds))
            if self.out_of_time():
                break
            mend = self.calls[together[0]][0]
            touches = _touches(mend)
            if (self.large and touches != "neither") or (full and touches == "images"):
                continue
            if self.reckoned(mend) > self.longest or time.perf_counter() + self.reckoned(mend) > self.until:
                continue
            told = self.figures(together, *self.play(together))
            clean = [t for t in told if len(together) == 1 or (t.refused is None and t.gone and not t.came)]
            done += clean
            if clean:
                arrived(list(done))
            alone |= {t.call: t for t in told if t not in clean}
        for n, (text, among_others) in enumerate(alone.items()):
            self.progress(0.5 + 0.5 * n / len(alone))
            # Where there is no time to play it by itself, what it was seen to do among others speaks against it.
            done += self.figures([text], *self.play([text])) if not self.out_of_time() else [among_others]
            arrived(list(done))
        return done

    def out_of_time(self) -> bool:
        """Whether no further play is begun."""
        return self.left <= 0 or time.perf_counter() >= self.until

    def reckoned(self, mend: str) -> float:
        """Seconds that a play may take: to make it, and to measure anew what it touched."""
        return 0.0 if _touches(mend) == "neither" else self.whole * (1 + _work_per_triangle(mend))

    def urgency(self, text: str) -> int:
        return -max(_RANK[f.result] for _, f in self.findings[text])

    def charge(self, after: Measures, before: Measures) -> None:
        """Take what a play did cost off what is left: meshes that it did not touch cost nothing."""
        held = {x.content for x in before.meshes}
        self.left -= _PLAY + sum(x.triangles for x in after.meshes if x.content not in held)
        if after.facing_key != before.facing_key:
            self.left -= _LOOK + sum(after.meshes[part.mesh].triangles for part in after.parts)

    def play(self, texts: list[str]) -> tuple[Scene, dict[str, tuple[Outcome, Scene]], dict[str, str]]:
        """The scene after calls in order, the outcome of each with the scene that it was played on, and why others do not apply."""
        scene = self.scene
        outcomes: dict[str, tuple[Outcome, Scene]] = {}
        refused: dict[str, str] = {}
        for text in texts:
            self.left -= _work_per_triangle(self.calls[text][0]) * sum(mesh.triangle_count for mesh in scene.meshes)
            try:
                made, _ = apply_as_promised(scene, *self.calls[text])
            except (MendError, InputError) as error:
                refused[text] = str(error)
            except Exception as error:
                # A mend that falls must not take the inspection along; it is not offered.
                logging.getLogger(__name__).exception("trying %s failed", text)
                refused[text] = f"The mend itself failed: {type(error).__name__}."
            else:
                outcomes[text] = made, scene
                scene = made.scene
        return scene, outcomes, refused

    def figures(
        self, texts: list[str], scene: Scene, outcomes: dict[str, tuple[Outcome, Scene]], refused: dict[str, str]
    ) -> list[TrialFigures]:
        """What came of calls that were played together, as the model's own format tells it; where none can be written, as memory does."""
        done = [TrialFigures(t, because, [], {}, []) for t, because in refused.items()]
        if not outcomes:
            return done
        played = list(outcomes)
        told = None if self.large else self.in_file(played, scene, own_format(self.scene))
        if told is None:
            told = self.in_memory(played, scene)
            return done + [self.trial(t, told, outcomes) for t in played]
        lost = self.newly_lost(scene) if len(played) == 1 else []
        if len(played) == 1 and not told[played[0]][0] and not self.out_of_time():
            # What its own format cannot hold may be held by another: then that one is said beside the offer.
            other = self.format_that_helps(played[0], scene)
            if other is not None:
                return [self.trial(played[0], other[1], outcomes, needs_format=other[0])]
        made = [self.trial(t, told, outcomes, written=bool(told[t][0])) for t in played]
        return done + [replace(t, costs=[*t.costs, *lost]) for t in made]

    def trial(
        self,
        text: str,
        changes: dict[str, _Told],
        outcomes: dict[str, tuple[Outcome, Scene]],
        written: bool = False,
        needs_format: str | None = None,
    ) -> TrialFigures:
        outcome, on = outcomes[text]
        return TrialFigures(
            text, None, *changes[text], [*_costs(on, outcome.scene), *map(str, outcome.remarks)], written, needs_format
        )

    def newly_lost(self, scene: Scene) -> list[str]:
        """Sentences on what the model's own format cannot hold of a scene and could hold of it before."""
        target = formats.target(self.scene, own_format(self.scene))
        before, after = (export_losses(s, target) for s in (self.scene, scene))
        # How numbers are rounded is the format's own and told by the proof: it is no price of the mend.
        known = {x.text for x in before} | {x.text for x in after if x.what == "Rounding"}
        return list(dict.fromkeys(str(x.text) for x in after if x.text not in known))

    def in_memory(self, texts: list[str], scene: Scene) -> dict[str, _Told]:
        measures = measure(scene, known=Known(self.measures))
        self.charge(measures, self.measures)
        return self.compared(texts, self.before, [judge(measures, sheet, self.intent) for sheet in self.sheets])

    def format_that_helps(self, text: str, scene: Scene) -> tuple[str, dict[str, _Told]] | None:
        """The first format beside the model's own in which a mend takes its finding away and brings none, where it does in memory."""
        gone, worse = self.in_memory([text], scene)[text]
        for name in other_formats(self.scene) if gone and not worse else ():
            told = self.in_file([text], scene, name)
            if told is not None and told[text][0] and not told[text][1]:
                return name, told
        return None

    def in_file(self, texts: list[str], scene: Scene, name: str) -> dict[str, _Told] | None:
        """What came of calls once the scene was written in a format and read back; None where it, or the model, cannot be."""
        if name not in self.files:
            self.files[name] = self.written(self.scene, name, self.intent, self.measures)
        before = self.files[name]
        if before is None:
            return None
        intent = self.intent
        for text in texts:
            intent = intent_with_unit(self.calls[text], intent)
        after = self.written(scene, name, intent, before.measures)
        return None if after is None else self.compared(texts, before.judged, after.judged)

    def written(self, scene: Scene, name: str, intent: Intent, known: Measures) -> AsWritten | None:
        """The scene as a file of a format tells of it; None where it cannot be written so."""
        try:
            made = as_written(scene, name, self.sheets, intent, known)
        except InputError:
            return None
        except Exception:
            logging.getLogger(__name__).exception("what is offered could not be tried in %s", name)
            return None
        self.charge(made.measures, known)
        return made

    def compared(self, texts: list[str], before: list[Judgement], after: list[Judgement]) -> dict[str, _Told]:
        """By call the findings that are gone, and what came, by sheet."""
        new = [new_or_worse(b, a) for b, a in zip(before, after, strict=True)]
        nodes_of = lambda text: {x.node for k, f in self.findings[text] for x in before[k].findings if x.id == f.id}
        everyone = {node for text in texts for node in nodes_of(text)}
        out = {}
        for text in texts:
            own = self.findings[text]
            stays = {f.id for k, f in own if not is_gone(f, before[k], after[k])}
            # What came to another part is another call's doing, where several were played and one of them was for that part.
            nodes = nodes_of(text)
            declared = mends_by_id().get(self.calls[text].mend)
            paid = declared.leaves if declared is not None else ()
            mine = lambda f, nodes=nodes: len(texts) == 1 or bool(_parts_of(f) & nodes) or not _parts_of(f) & everyone
            blamed = {
                sheet.slug: titles
                for sheet, found in zip(self.sheets, new, strict=True)
                if (titles := [str(f.title) for f in found if mine(f) and f.check not in paid])
            }
            out[text] = sorted({f.id for _, f in own} - stays), blamed
        return out


def new_or_worse(before: Judgement, after: Judgement) -> list[Finding]:
    """Findings that were not there before, or are worse: of another severity, or of more elements.

    One that is told of the same node, or in the same words, is the same under another name.
    """
    known = {finding.id: finding for finding in before.findings}
    same = {(finding.check, finding.node): finding for finding in before.findings if finding.node is not None}
    words = {(finding.check, finding.title): finding for finding in before.findings}
    things = {_subject(finding): finding for finding in before.findings}
    out = []
    now_by_id = {finding.id: finding for finding in after.findings}
    checks = checks_by_id()
    rest, silent = _rest(before, after), {check for check, _ in before.skipped}
    for finding in after.findings:
        # What could not be told before is not new because it can be now.
        declared = checks[finding.check]
        if finding.check in rest or declared.revealed or (declared.masked and finding.check in silent):
            continue
        was = (
            known.get(finding.id)
            or (None if finding.node is None else same.get((finding.check, finding.node)))
            or words.get((finding.check, finding.title))
            or things.get(_subject(finding))
        )
        if was is None or _RANK[own_result(finding, now_by_id)] > _RANK[own_result(was, known)] or _grew(was, finding):
            out.append(finding)
    return out


def _touches(mend: str) -> Touches:
    """What a mend makes anew; of one that is not there, everything."""
    declared = mends_by_id().get(mend)
    return "meshes" if declared is None else declared.touches


def _work_per_triangle(mend: str) -> float:
    declared = mends_by_id().get(mend)
    return 0.0 if declared is None else declared.work_per_triangle


def intent_with_unit(call: Call, intent: Intent) -> Intent:
    """The intent once a call was kept: what one unit is has been said then, whether the file can state it or not."""
    unit = call.params.get("unit") if call.mend == "size.scale" else None
    return intent if unit in (None, "as-it-is") else replace(intent, unit=unit)


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [value]


def _parts_of(finding: Finding) -> set[int | None]:
    """Nodes that a finding is told of."""
    listed = finding.elements.indices.tolist() if finding.elements is not None and finding.elements.kind == "nodes" else []
    return {finding.node, *listed} - {None} if finding.node is not None or listed else set()


def _rest(before: Judgement, after: Judgement) -> set[str]:
    """Checks of which what is left is the rest of what was there, under other names: less than half of it by measure and count. What goes by
    the name that it had is neither."""
    stays = {finding.id for finding in before.findings} & {finding.id for finding in after.findings}
    weight = lambda judged, check: sum(
        float(finding.measured["value"] or 0.0) * (finding.count or 1)
        for finding in judged.findings
        if finding.check == check and finding.measured is not None and finding.id not in stays
    )
    return {check.id for check in all_checks() if check.of_pairs and 2 * weight(after, check.id) < weight(before, check.id)}


def _grew(was: Finding, now: Finding) -> bool:
    """Whether there is more of a finding than before. Where rays tell, by its measure: how many meet it hangs on the model's box."""
    tolerance = checks_by_id()[now.check].tolerance
    if tolerance is not None:
        a, b = (float((f.measured or {}).get("value") or 0.0) for f in (was, now))
        return b > 1.1 * a + tolerance
    return (now.count or 0) > (was.count or 0)


def _subject(finding: Finding) -> tuple[str, str, bytes]:
    """What a finding without a part is told of: the same images, materials or files, whatever they are called."""
    if finding.node is not None or finding.elements is None or finding.elements.kind in ("faces", "vertices", "edges", "nodes"):
        return finding.id, "", b""
    return finding.check, finding.elements.kind, finding.elements.indices.tobytes()


def _costs(before: Scene, after: Scene) -> list[str]:
    """What a mend takes away or adds, in words."""
    faces = lambda s: sum(s.meshes[n.mesh].face_count for n in s.nodes if n.mesh is not None)
    parts = lambda s: sum(n.mesh is not None for n in s.nodes)
    told = []
    bound = lambda s: sum(n.mesh is not None and n.skin is not None for n in s.nodes)
    counted = (
        ("face", "faces", faces),
        ("part", "parts", parts),
        ("stored mesh", "stored meshes", lambda s: len(s.meshes)),
        ("skinned part", "skinned parts", bound),
        ("clip", "clips", lambda s: len(s.clips)),
        ("colour set", "colour sets", lambda s: sum(len(mesh.colours) for mesh in s.meshes)),
    )
    for one, several, count in counted:
        change = count(after) - count(before)
        if change:
            told.append(f"{plural(abs(change), one, several)} {'fewer' if change < 0 else 'more'}")
    return told


def changes(before: Judgement, after: Judgement) -> tuple[list[str], list[str]]:
    """Titles of the findings that a mend takes away, and of those that come with it or get worse."""
    new = new_or_worse(before, after)
    left = {finding.id for finding in after.findings}
    return [str(finding.title) for finding in before.findings if finding.id not in left], [str(f.title) for f in new]


__all__ = ["WORK", "changes", "new_or_worse", "with_trials"]
