"""Motion: clips, their channels and their keys."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, value
from ...declare.station_measures import reading
from ...kit.parts import unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import plain
from .channels import AT_ONCE
from .measures import OWN
from .messages import say
from .records import ChannelFigures, ClipOfModel, MotionMeasures

Found = Iterator[Finding | Skipped]
#: A loop closes where its ends are this near, of the skeleton's size, and is one at all where they are nearer than the second.
CLOSED, ALMOST = 1e-3, 0.1
CLOSED_DEGREES, ALMOST_DEGREES = 0.5, 15.0
#: A root that goes this far, of the skeleton's size, travels.
TRAVELS = 0.05
#: A foot that slides by less than this share of the skeleton's size stands.
SLIDES = 0.02
#: A gap is one where it is so many times the usual and as long as that in seconds.
GAP, GAP_SECONDS = 10.0, 0.5
#: A clip whose first key stands later than this in seconds begins late; one frame is how some number them.
LATE = 0.05
#: Keys are too many where there are so many of them, and so many times those that are needed.
MANY, TIMES = 100, 3.0


def measured(measures: Measures) -> MotionMeasures | None:
    """What was measured; None where there is something to measure, and that fell."""
    return OWN.of(measures) if measures.clips else MotionMeasures([])


#: A check that reads them.
of_clips = reading(measured, "the clips could not be measured")


def clip_name(k: int, clip: ClipOfModel) -> str:
    """A clip's name, its number where it has none."""
    return clip.name or f"clip {k}"


def _clip(measures: Measures, k: int) -> Elements:
    """A clip, drawn as the nodes that it drives."""
    return Elements("clips", np.array([k], np.int32), drawn=measures.array(f"motion:{k}:nodes"))


def _key(k: int, clip: ClipOfModel) -> str:
    return f"{clip_name(k, clip)}~{k}"


#: How often each name was found among the clips that were asked for last: a check asks for each of its findings.
_asked: tuple[list[ClipOfModel], Counter[str]] = ([], Counter())


def _word(k: int, clip: ClipOfModel, all_of: MotionMeasures) -> str:
    """What a mend calls a clip: its name, its number where the name does not tell it from the others."""
    global _asked
    asked = _asked
    if asked[0] is not all_of.clips:
        _asked = asked = (all_of.clips, Counter(x.name for x in all_of.clips))
    return clip.name if clip.name and asked[1][clip.name] == 1 else f"#{k}"


def _of(mend: str, k: int, clip: ClipOfModel, all_of: MotionMeasures, **params: object) -> tuple[Call, ...]:
    """A mend for one clip."""
    return (Call(mend, {**params, "clips": [_word(k, clip, all_of)]}),)


def _which(measures: Measures, channels: Sequence[ChannelFigures]) -> str:
    called = {n.index: n.name for n in measures.nodes}
    words = [
        f"{channel.path} of {called.get(channel.node, f'node {channel.node}') if channel.node is not None else 'nothing'}"
        for channel in channels[:2]
    ]
    return ", ".join(words) + (" …" if len(channels) > 2 else "")


def _unwatched(motion: MotionMeasures) -> Found:
    """Says how many clips were too many to be watched from beginning to end."""
    rest = sum(not clip.watched for clip in motion.clips)
    if rest:
        yield Skipped(say("motion.unwatched", unwatched=rest, clips=len(motion.clips)), unseen=True)


def _finding(
    measures: Measures, motion: MotionMeasures, k: int, title: str, count: int, mends: tuple[Call, ...] = (), result: str = ""
) -> Finding:
    return Finding(
        title,
        value(count, "count"),
        value(0, "count"),
        count,
        elements=_clip(measures, k),
        mends=mends,
        key=_key(k, motion.clips[k]),
        result=result,
    )


@check("motion.broken", title="Incomplete clip", result="caution", explains={"refused": BY_ITSELF})
def broken(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Channels whose tables do not fit each other, that drive what does not exist, or that could not be read.

    Why: a strict importer refuses the file for it; a lenient one drops the channel, and that joint does not move.
    Measured: while reading: times against values, targets and samplers against the lists that they point into.
    Source: glTF 2.0 §3.11: each key has one value, three for a cubic spline; elsewhere common practice, no published source.
    """
    for k, broken_clip in enumerate(problem for problem in measures.problems if problem.kind == "clip"):
        yield Finding(
            say("motion.broken", what=broken_clip.text),
            value("too little", "text"),
            value("whole", "text"),
            1,
            key=f"{broken_clip.where}-{k}",
        )


@check(
    "motion.not-finite",
    title="Keys that are not numbers",
    result="stop",
    mends=("motion.repair-keys",),
    explains={"refused": OFTEN},
)
@of_clips
def not_finite(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Keys whose time or value is not a number or is infinite.

    Why: whatever the joint carries is gone from that moment on, and often the whole character with it.
    Measured: every time and value of every channel.
    Source: glTF 2.0 §3.6.2.2: accessor values must be finite.
    """
    for k, clip in enumerate(motion.clips):
        bad = [x for x in clip.channels if x.not_finite]
        if bad:
            keys = sum(x.not_finite for x in bad)
            title = say("motion.not-finite", keys=keys, clip=clip_name(k, clip), which=_which(measures, bad))
            yield _finding(measures, motion, k, title, keys, _of("motion.repair-keys", k, clip, motion))


@check(
    "motion.times",
    title="Times out of order",
    result="stop",
    mends=("motion.repair-keys", "motion.trim"),
    explains={"jumps": SELDOM, "refused": OFTEN},
)
@of_clips
def times(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Keys that stand at the time of the one before them, or earlier, or before 0.

    Why: a receiver that searches by bisection finds the wrong key, and the joint jumps; a strict one refuses the file.
    Measured: each key's time against the one before it, and the first against 0.
    Source: glTF 2.0 §3.11: the first time is at least 0, and times must be strictly increasing.
    """
    for k, clip in enumerate(motion.clips):
        bad = [x for x in clip.channels if x.backward or x.equal]
        if bad:
            backward, equal = sum(x.backward for x in bad), sum(x.equal for x in bad)
            words = [f"{backward:,} run backward"] * bool(backward) + [f"{equal:,} stand at one time"] * bool(equal)
            title = say("motion.times", clip=clip_name(k, clip), what=" and ".join(words), which=_which(measures, bad))
            yield _finding(measures, motion, k, title, backward + equal, _of("motion.repair-keys", k, clip, motion))
        early = [x for x in clip.channels if x.start < -AT_ONCE]
        if early and not bad:
            first = min(x.start for x in early)
            title = say("motion.times.negative", clip=clip_name(k, clip), first=first, which=_which(measures, early))
            yield _finding(measures, motion, k, title, len(early), _of("motion.trim", k, clip, motion))


@check(
    "motion.off-unit",
    title="Rotations that are not normalised",
    result="caution",
    mends=("motion.repair-keys",),
    explains={"jumps": SELDOM, "refused": SELDOM},
)
@of_clips
def off_unit(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Quaternions whose length is not 1.

    Why: one receiver normalises them, another scales or shears what the joint carries by the square of that length.
    Measured: the length of every rotation key, 1 within 0.001.
    Source: glTF 2.0 §3.11: rotation values are unit quaternions.
    """
    for k, clip in enumerate(motion.clips):
        bad = [x for x in clip.channels if x.off_unit]
        if bad:
            keys = sum(x.off_unit for x in bad)
            worst = max(bad, key=lambda x: abs(x.worst_length - 1)).worst_length
            yield Finding(
                say("motion.off-unit", rotations=keys, clip=clip_name(k, clip), worst=worst, which=_which(measures, bad)),
                value(worst, "factor"),
                value(1.0, "factor"),
                keys,
                elements=_clip(measures, k),
                mends=_of("motion.repair-keys", k, clip, motion),
                key=_key(k, clip),
            )


@check(
    "motion.flips", title="Rotations that change sign", result="note", mends=("motion.repair-keys",), explains={"jumps": OFTEN}
)
@of_clips
def flips(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Rotation keys that lie on the other side of the sphere from the one before them.

    Why: by the standard the short way is taken all the same. A receiver that interpolates each number by itself turns the joint
    the long way round.
    Measured: the product of each quaternion with the one before it, below 0; of a cubic spline it is a caution, since it goes the long way everywhere, of steps nothing.
    Source: glTF 2.0, appendix C.4 takes the shortest path, appendix C.5 does not for cubic splines; that others do not is common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        bad = [x for x in clip.channels if x.flips]
        if bad:
            keys = sum(x.flips for x in bad)
            curved = any(x.interpolation == "CUBICSPLINE" for x in bad)
            title = say("motion.flips", rotations=keys, clip=clip_name(k, clip), which=_which(measures, bad), curved=curved)
            yield _finding(
                measures, motion, k, title, keys, _of("motion.repair-keys", k, clip, motion), "caution" if curved else ""
            )


@check(
    "motion.aimless",
    title="Channels that move nothing",
    result="caution",
    mends=("motion.drop-stray",),
    follows_in_model=("motion.broken",),
    explains={"tears": SELDOM},
)
@of_clips
def aimless(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Channels aimed at nothing, at a node that neither shows nor carries anything and is no joint, or without any key.

    Why: what they moved in the scene that they come from is not in the file, or has another name: that part of the motion is
    lost.
    Measured: the target of every channel against the joints of all skins and the nodes that hold something.
    Source: glTF 2.0 §3.11: a channel without a node is to be ignored; elsewhere common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        bad = [x for x in clip.channels if x.role in ("nothing", "stray") or not x.keys]
        if bad:
            all_stray = len(bad) == len(clip.channels)
            title = say(
                "motion.aimless",
                all=all_stray,
                channels=len(clip.channels),
                clip=clip_name(k, clip),
                of_them="" if all_stray else f" {len(bad):,}",
                several=len(bad) > 1 or all_stray,
                which=_which(measures, bad),
            )
            yield _finding(measures, motion, k, title, len(bad), _of("motion.drop-stray", k, clip, motion))


@check("motion.empty", title="Clips without channels", result="caution", mends=("motion.drop-clips",))
@of_clips
def empty(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips that hold no channel at all.

    Why: it is listed and does nothing when it is played; a strict importer refuses the file.
    Measured: channels of every clip.
    Source: glTF 2.0 §5.2 (animation): at least one channel.
    """
    for k, clip in enumerate(motion.clips):
        if not clip.channels:
            yield _finding(
                measures, motion, k, say("motion.empty", clip=clip_name(k, clip)), 1, _of("motion.drop-clips", k, clip, motion)
            )


@check(
    "motion.held-pose",
    title="A clip that only holds a pose",
    result="caution",
    mends=("motion.drop-clips",),
    explains={"jumps": SELDOM, "beside": SELDOM, "lies": SELDOM},
)
@of_clips
def held_pose(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips of which every channel keeps one value, be it in one key or in several.

    Why: such a clip is often left over from an old pose: on reload it puts the character back into that pose, whatever was
    mended.
    Measured: every channel's keys are alike within a millionth; how far the pose is from that of the file. One that is the file's own pose, within a thousandth of the model's size, is a note.
    Source: common practice, no published source.
    """
    low, high = (np.array(x or [0.0] * 3) for x in (measures.bounds_min, measures.bounds_max))
    size = float(np.linalg.norm(high - low)) * unit_of(measures)
    for k, clip in enumerate(motion.clips):
        if not clip.held:
            continue
        most = max(x.keys for x in clip.channels)
        away = clip.moved * unit_of(measures)
        moved = away > 1e-5
        away = away if moved else 0.0
        title = say(
            "motion.held-pose",
            clip=clip_name(k, clip),
            keys=most,
            effect=say("motion.held-pose.moves", away=away) if moved else say("motion.held-pose.pose-file"),
        )
        yield Finding(
            title,
            value(away * 1000, "mm"),
            value(0.0, "mm"),
            len(clip.channels),
            elements=_clip(measures, k),
            mends=_of("motion.drop-clips", k, clip, motion),
            key=_key(k, clip),
            result="" if away > 1e-3 * size else "note",
        )


@check("motion.constant", title="Channels that never change", result="note", mends=("motion.drop-constant",))
@of_clips
def constant(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Channels all of whose keys are alike, in clips that do move something.

    Why: they cost time and space in every frame, and hold a joint against whatever else would move it.
    Measured: keys alike within a millionth; told apart are those that are as the node stands, which may go without a trace, and those that hold it elsewhere.
    Source: common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        if clip.held:
            continue
        still = [x for x in clip.channels if x.constant and x.role in ("joint", "part")]
        for rests, what in ((True, "as the node rests"), (False, "elsewhere than the node rests")):
            found = [x for x in still if x.at_rest == rests]
            if found:
                title = say(
                    "motion.constant",
                    constant=len(found),
                    channels=len(clip.channels),
                    clip=clip_name(k, clip),
                    what=what,
                    which=_which(measures, found),
                )
                yield replace(
                    _finding(
                        measures, motion, k, title, len(found), _of("motion.drop-constant", k, clip, motion, elsewhere=not rests)
                    ),
                    key=_key(k, clip) + ("" if rests else "-elsewhere"),
                )


@check("motion.scale-keys", title="Keys on scale", result="note", held_to=("motion.scale_keys",), mends=("motion.drop-scale",))
@of_clips
def scale_keys(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Channels that drive the scale of a joint or a part.

    Why: many destinations ignore scale, or pass it on differently to what hangs below: limbs then change their length.
    Measured: channels of the path scale. A caution where the sheet takes none; such as keep the scale that the node has are told by motion.constant.
    Source: common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        found = [x for x in clip.channels if x.path == "scale" and x.keys]
        lively = [x for x in found if not x.at_rest]
        if not lively or clip.held:
            continue
        words = f"{len(lively):,} of them change it"
        title = say("motion.scale-keys", channels=len(found), clip=clip_name(k, clip), how=words, which=_which(measures, lively))
        strict = not sheet.motion.scale_keys
        yield _finding(
            measures, motion, k, title, len(found), _of("motion.drop-scale", k, clip, motion), "caution" if strict else ""
        )


@check(
    "motion.missing",
    title="Missing clips",
    result="caution",
    held_to=("motion.clips",),
    mends=("motion.rename",),
    explains={"refused": BY_ITSELF},
)
@of_clips
def missing(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips that the destination or the intent names and that did not come.

    Why: the character then has no motion for that state.
    Measured: names of all clips against those that are wanted, to the letter; a name that differs in case or by a prefix is offered.
    Source: the sheet's list and the intent's.
    """
    wanted = list(dict.fromkeys([*sheet.motion.clips, *intent.clips]))
    if not wanted:
        yield Skipped(say("motion.missing.none-wanted"))
        return
    there = [clip.name for clip in motion.clips]
    lost = [w for w in wanted if w not in there]
    for name in lost:
        near = next((n for n in there if n and n not in wanted and _alike(n, name)), None)
        hint = f"; {near} may be it" if near else ""
        mends = (Call("motion.rename", {"clip": near, "to": name}),) if near and there.count(near) == 1 else ()
        yield Finding(
            say("motion.missing", name=name, hint=hint),
            value(", ".join(n for n in there[:4] if n) or "no clip", "text"),
            value(name, "text"),
            1,
            mends=mends,
            key=name,
        )


def _alike(name: str, wanted: str) -> bool:
    """Whether a name is the wanted one but for case, marks, and what stands before a bar or a colon."""
    bare = lambda s: "".join(x for x in s.rpartition("|")[2].rpartition(":")[2].casefold() if x.isalnum())
    return bool(bare(name)) and bare(name) == bare(wanted)


@check("motion.names", title="Clips with the same name, or none", result="caution", mends=("motion.rename",))
@of_clips
def names(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips without a name, or with one that another has too.

    Why: they are called by name: the first is played, the others never are.
    Measured: names of all clips, as the destination tells letters apart. One clip alone without a name is a note.
    Source: common practice, no published source.
    """
    word = (lambda x: x) if sheet.names.case_matters else str.casefold
    often = Counter(word(clip.name) for clip in motion.clips)
    found = [k for k, clip in enumerate(motion.clips) if not clip.name or often[word(clip.name)] > 1]
    if found:
        nameless = sum(not motion.clips[k].name for k in found)
        first = motion.clips[found[0]].name
        yield Finding(
            say("motion.names", clips=nameless) if nameless else say("motion.names.shared", clips=len(found), name=first),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=Elements("clips", np.array(found, np.int32)),
            result="note" if len(motion.clips) == 1 else "",
        )


@check("motion.copies", title="Duplicate clips", result="note", mends=("motion.drop-clips",))
@of_clips
def copies(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips that are alike in every key.

    Why: one of them is often a leftover; both are loaded.
    Measured: channels, times and values of all clips, bit by bit.
    Source: common practice, no published source.
    """
    found = [k for k, clip in enumerate(motion.clips) if clip.same is not None and clip.channels]
    if found:
        k, duplicate = found[0], motion.clips[found[0]]
        first = motion.clips[duplicate.same or 0]
        more = f", and {plural(len(found) - 1, 'more is a copy', 'more are copies')}" if len(found) > 1 else ""
        yield Finding(
            say("motion.copies", clip=clip_name(k, duplicate), same=clip_name(duplicate.same or 0, first), more=more),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=Elements("clips", np.array(found, np.int32), drawn=measures.array(f"motion:{k}:nodes")),
            mends=(Call("motion.drop-clips", {"clips": [_word(i, motion.clips[i], motion) for i in found]}),),
        )


@check("motion.late", title="Waits and gaps", result="note", mends=("motion.trim",), explains={"jumps": SELDOM})
@of_clips
def late(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips whose first key stands later than 0, and channels with a gap between keys.

    Why: until the first key the character does not move, so that a loop stutters by that time. In a gap the joint drifts where
    keys were lost.
    Measured: the earliest key of all channels, over a frame at 20 a second; the longest time between two keys, over half a second and ten times the usual.
    Source: common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        if clip.start > LATE and clip.channels and not clip.held:
            yield Finding(
                say("motion.late", clip=clip_name(k, clip), start=clip.start),
                value(clip.start, "seconds"),
                value(0.0, "seconds"),
                1,
                elements=_clip(measures, k),
                mends=_of("motion.trim", k, clip, motion),
                key=_key(k, clip),
            )
        gaps = [x for x in clip.channels if x.keys > 3 and x.longest_gap > GAP_SECONDS and x.longest_gap > GAP * x.usual_gap > 0]
        if gaps:
            worst = max(gaps, key=lambda x: x.longest_gap)
            yield Finding(
                say(
                    "motion.gaps",
                    clip=clip_name(k, clip),
                    channels=len(gaps),
                    longest_gap=worst.longest_gap,
                    usual_gap=worst.usual_gap,
                    which=_which(measures, gaps),
                ),
                value(worst.longest_gap, "seconds"),
                value(worst.usual_gap, "seconds"),
                len(gaps),
                elements=_clip(measures, k),
                key=f"{_key(k, clip)}-gap",
            )


@check("motion.loop", title="A loop that does not close", result="note", explains={"jumps": OFTEN})
@of_clips
def loop(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips whose end nearly meets their beginning, but not quite.

    Why: played again and again, it jumps once in each round.
    Measured: the farthest that any joint is off between the first moment and the last, once the level way of the root is taken away: over a thousandth of the skeleton's size or half a degree, and under a tenth of it and 15 degrees; past those it is no loop.
    Source: common practice, no published source.
    """
    yield from _unwatched(motion)
    called = {n.index: n.name for n in measures.nodes}
    for k, clip in enumerate(motion.clips):
        x = clip.loop
        if x is None or not x.size > 0:
            continue
        off = x.seam > CLOSED * x.size or x.seam_degrees > CLOSED_DEGREES
        if off and x.seam <= ALMOST * x.size and x.seam_degrees <= ALMOST_DEGREES:
            yield Finding(
                say(
                    "motion.loop",
                    clip=clip_name(k, clip),
                    node=called[x.seam_node],
                    jump=x.seam * unit_of(measures),
                    turn=x.seam_degrees,
                ),
                value(x.seam * unit_of(measures) * 1000, "mm"),
                value(0.0, "mm"),
                1,
                elements=_clip(measures, k),
                key=_key(k, clip),
            )


@check("motion.travel", title="The root travels", result="note", explains={"jumps": OFTEN, "beside": SELDOM})
@of_clips
def travel(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips that carry the whole skeleton away.

    Why: some destinations move the character themselves: then it goes twice as far, and snaps back at each loop.
    Measured: the level way of the topmost driven node from the first moment to the last, over a twentieth of the skeleton's size.
    Source: common practice, no published source.
    """
    yield from _unwatched(motion)
    called = {n.index: n.name for n in measures.nodes}
    for k, clip in enumerate(motion.clips):
        x = clip.loop
        if x is not None and x.drift > TRAVELS * x.size > 0:
            yield Finding(
                say("motion.travel", clip=clip_name(k, clip), node=called[x.root], distance=x.drift * unit_of(measures)),
                value(x.drift * unit_of(measures), "m"),
                value(0.0, "m"),
                1,
                elements=_clip(measures, k),
                key=_key(k, clip),
                samples=x.moments,
            )


@check("motion.slides", title="Feet that slide", result="note")
@of_clips
def slides(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints at the end of a chain that are lowest and move level meanwhile, in clips that do not travel.

    Why: a foot on the ground should stand still, or go back as fast as the character goes forward: otherwise it slides.
    Measured: a joint bears while it is within a fiftieth of the skeleton's height of the lowest that any comes, at three moments or more; its level way meanwhile, over a fiftieth of the skeleton's size. In a clip whose root stays, feet ought to go back evenly: that way is told all the same, as the speed at which to move the character.
    Source: common practice, no published source.
    """
    yield from _unwatched(motion)
    called = {n.index: n.name for n in measures.nodes}
    for k, clip in enumerate(motion.clips):
        x = clip.loop
        found = [slide for slide in clip.slides if x is not None and slide.way > SLIDES * x.size]
        if not found or x is None:
            continue
        worst = max(found, key=lambda s: s.way)
        in_place = x.drift <= TRAVELS * x.size
        speed = worst.way * unit_of(measures) / max(worst.ends - worst.begins, 1e-9)
        about_it = f": move the character at {plain(speed)} m/s, or it slides" if in_place else ""
        yield Finding(
            say(
                "motion.slides",
                node=called[worst.node],
                distance=worst.way * unit_of(measures),
                begins=worst.begins,
                ends=worst.ends,
                clip=clip_name(k, clip),
                more=about_it,
            ),
            value(worst.way * unit_of(measures), "m"),
            value(0.0, "m"),
            len(found),
            elements=Elements("clips", np.array([k], np.int32), drawn=np.array([s.node for s in found], np.int32)),
            key=_key(k, clip),
            samples=x.moments,
        )


@check("motion.dense", title="More keys than the curve needs", result="note", mends=("motion.thin",), explains={"slow": SELDOM})
@of_clips
def dense(motion: MotionMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Clips with several times the keys that their curves need.

    Why: they were baked frame by frame: each key costs space and time, and nobody can edit them.
    Measured: keys of a clip, over a hundred and three times those that stay when all go that move nothing by more than 0.5 mm.
    Source: common practice, no published source.
    """
    for k, clip in enumerate(motion.clips):
        if clip.keys > MANY and clip.keys > TIMES * max(clip.needs, 1) and not clip.held:
            yield Finding(
                say("motion.dense", clip=clip_name(k, clip), keys=clip.keys, enough=clip.needs),
                value(clip.keys, "count"),
                value(clip.needs, "count"),
                clip.keys,
                elements=_clip(measures, k),
                mends=_of("motion.thin", k, clip, motion, within_mm=0.5),
                key=_key(k, clip),
                samples=clip.looked if clip.looked < clip.keys else None,
            )
