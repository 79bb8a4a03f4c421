"""What the ledger shows for Motion."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, Result, Table, count, distance, number, row, table, worst_first
from ...kit.parts import unit_of
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.figures import about, plain
from .checks import clip_name, measured
from .records import ChannelFigures, ClipOfModel, MotionMeasures

_ABOUT = "clips, and what they drive"


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Motion, by measures, sheet and intent."""
    own = measured(measures)
    wanted = list(dict.fromkeys([*sheet.motion.clips, *intent.clips]))
    if own is None or (not own.clips and not wanted):
        joints = sum(n.is_joint for n in measures.nodes)
        words = "joint" if joints == 1 else "joints"
        return Panel(
            _ABOUT,
            "no clips: nothing moves by itself",
            None,
            None,
            [Figure("0", "", "clips", None), Figure(f"{joints:,}", "", f"{words} that clips could move", None)],
            [],
            nothing=True,
        )
    there = {clip.name for clip in own.clips}
    lost = [w for w in wanted if w not in there]
    keys, needs = sum(clip.keys for clip in own.clips), sum(clip.needs for clip in own.clips)
    held = sum(clip.held for clip in own.clips)
    longest = max((clip.seconds for clip in own.clips), default=0.0)
    return Panel(
        about=_ABOUT,
        line=f"{len(own.clips):,} {'clip' if len(own.clips) == 1 else 'clips'}, {plain(longest)} s at most",
        limit=f"{len(wanted):,} wanted" if wanted else None,
        meter=None,
        headline=[
            Figure(
                f"{len(own.clips):,}",
                f"of {len(wanted):,}" if wanted else "",
                f"clips · {len(lost):,} missing" if wanted else "clips",
                "caution" if lost else "clear" if wanted else None,
            ),
            Figure(f"{held:,}", "", "only hold a pose", "caution" if held else "clear"),
            Figure(f"{keys:,}", "", f"keys · {needs:,} are enough within 0.5 mm"),
        ],
        tables=[_clips(measures, own, lost), _channels(measures, own)],
    )


def _result(clip: ClipOfModel) -> Result:
    if any(x.not_finite or x.backward or x.equal for x in clip.channels):
        return "stop"
    if (
        (clip.held and clip.moved)
        or any(x.off_unit or x.role in ("stray", "nothing") for x in clip.channels)
        or not clip.channels
    ):
        return "caution"
    return "note" if any(x.constant for x in clip.channels) else "clear"


def _clips(measures: Measures, motion: MotionMeasures, lost: list[str]) -> Table:
    unit = unit_of(measures)
    rows = []
    for k, clip in enumerate(motion.clips):
        x = clip.loop
        rows.append(
            row(
                {
                    "clip": clip_name(k, clip),
                    "seconds": number(clip.seconds, f"{plain(clip.seconds)} s", "s"),
                    "channels": count(len(clip.channels)),
                    "keys": count(clip.keys),
                    "needs": count(clip.needs),
                    "travels": distance(x.drift * unit) if x is not None and x.drift * unit > 1e-5 else "",
                    "seam": "holds a pose"
                    if clip.held
                    else number(x.seam * unit, about(x.seam * unit), "m")
                    if x is not None and x.seam * unit > 1e-7
                    else number(0, "0 mm", "m"),
                },
                result=_result(clip),
            )
        )
    rows += [row({"clip": name, "seconds": "missing"}, result="caution") for name in lost]
    columns = [
        ("clip", "Clip", False),
        ("seconds", "Length", True),
        ("channels", "Channels", True),
        ("keys", "Keys", True),
        ("needs", "Needs", True),
        ("travels", "Travels", True),
        ("seam", "Seam", True),
    ]
    return table("clips", "By clip", columns, rows)


def _channels(measures: Measures, motion: MotionMeasures) -> Table:
    called = {n.index: n.name for n in measures.nodes}
    rows = []
    for k, clip in enumerate(motion.clips):
        for x in clip.channels:
            rows.append(
                row(
                    {
                        "clip": clip_name(k, clip),
                        "node": called.get(x.node, "nothing") if x.node is not None else "nothing",
                        "path": x.path,
                        "keys": count(x.keys),
                        "says": _says(x),
                    },
                    node=x.node if x.node in called else None,
                    result=_of_channel(x),
                )
            )
    columns = [
        ("clip", "Clip", False),
        ("node", "Drives", False),
        ("path", "What of it", False),
        ("keys", "Keys", True),
        ("says", "Found", False),
    ]
    return table("channels", "By channel", columns, worst_first(rows))


def _of_channel(x: ChannelFigures) -> Result:
    if x.not_finite or x.backward or x.equal:
        return "stop"
    if x.off_unit or x.role in ("stray", "nothing") or not x.keys:
        return "caution"
    return "note" if x.constant or x.flips else "clear"


def _says(x: ChannelFigures) -> str:
    told = [
        (x.not_finite, "no numbers"),
        (x.backward or x.equal, "out of order"),
        (x.off_unit, f"length {plain(x.worst_length)}"),
        (x.role in ("stray", "nothing"), "moves nothing"),
        (x.flips, "changes sign"),
        (x.constant, "never changes"),
    ]
    return ", ".join(words for yes, words in told if yes)
