"""Handoff: names, number and size of the files that are sent."""

from __future__ import annotations

from collections.abc import Iterator

from ...declare.check import OFTEN, SELDOM, Finding, Skipped, check, value
from ...declare.station_measures import reading
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from .measures import OWN
from .messages import say
from .records import HandoffMeasures

Found = Iterator[Finding | Skipped]
#: A check that reads the files that are sent.
of_files = reading(OWN.of, "the files could not be listed")
_MIB = 2**20


@check(
    "handoff.case-clash",
    title="Files that differ in letter case alone",
    result="caution",
    explains={"white": SELDOM, "refused": SELDOM},
)
@of_files
def case_clash(own: HandoffMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Two files whose paths are the same but for letter case.

    Why: on a system where case does not count one replaces the other as soon as the package is unpacked.
    Measured: paths of all files, with their letters folded.
    Source: The Unicode Standard 16.0, section 5.18 (caseless matching).
    """
    first: dict[str, str] = {}
    for file in own.files:
        other = first.setdefault(file.path.casefold(), file.path)
        if other != file.path:
            yield Finding(
                say("handoff.case-clash", first=other, second=file.path),
                value(file.path, "text"),
                value("a name of its own", "text"),
                2,
                key=file.path,
            )


@check("handoff.files", title="Too many files", result="caution", held_to=("limits.files",), explains={"refused": OFTEN})
@of_files
def files(own: HandoffMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """More files than the destination takes with one model.

    Why: an upload with more is refused, or the rest is left out.
    Measured: the model, what it names and what lies beside it as a side file, as they came.
    Source: common practice, no published source.
    """
    limit = sheet.limits.files
    if limit is None:
        yield Skipped(say("handoff.no-limit", sheet=sheet.name))
    elif len(own.files) > limit:
        count = len(own.files)
        yield Finding(say("handoff.files", files=count), value(count, "count"), value(limit, "count"), count)


@check(
    "handoff.file-size",
    title="File too large",
    result="caution",
    held_to=("limits.file_bytes",),
    explains={"refused": OFTEN, "slow": SELDOM},
)
@of_files
def file_size(own: HandoffMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """A file over the destination's limit.

    Why: an upload is refused for it.
    Measured: bytes of each file as it came; of images that a mend changed, as they are now.
    Source: common practice, no published source.
    """
    limit = sheet.limits.file_bytes
    if limit is None:
        yield Skipped(say("handoff.no-limit", sheet=sheet.name))
        return
    for file in own.files:
        if file.bytes is not None and file.bytes > limit:
            yield Finding(
                say("handoff.file-size", file=file.path, mebibytes=file.bytes / _MIB),
                value(file.bytes, "bytes"),
                value(limit, "bytes"),
                1,
                key=file.path,
            )


@check(
    "handoff.package-size",
    title="Package too large",
    result="caution",
    held_to=("limits.package_bytes",),
    explains={"refused": OFTEN, "slow": SELDOM},
)
@of_files
def package_size(own: HandoffMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """All files together over the destination's limit.

    Why: an upload is refused for it, and every visitor waits for it.
    Measured: the sum of the files' bytes, as for the size of a file.
    Source: common practice, no published source.
    """
    limit = sheet.limits.package_bytes
    if limit is None:
        yield Skipped(say("handoff.no-limit", sheet=sheet.name))
    elif own.bytes > limit:
        largest = max(own.files, key=lambda file: file.bytes or 0)
        yield Finding(
            say("handoff.package-size", mebibytes=own.bytes / _MIB, file=largest.path, largest=(largest.bytes or 0) / _MIB),
            value(own.bytes, "bytes"),
            value(limit, "bytes"),
            len(own.files),
        )


@check(
    "handoff.thumbnail",
    title="No thumbnail",
    result="stop",
    mends=("handoff.thumbnail",),
    held_to=("names.thumbnail",),
    explains={"refused": OFTEN},
)
@of_files
def thumbnail(own: HandoffMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The picture of the model that the destination wants beside it did not come.

    Why: an upload without one is refused, or a grey tile stands for the model in every list.
    Measured: paths of all files beside the model; letter case counts where the destination says so.
    Source: common practice, no published source.
    """
    wanted = sheet.names.thumbnail_of(own.main)
    if wanted is None:
        yield Skipped(say("handoff.no-thumbnail", sheet=sheet.name))
        return
    fold = (lambda path: path) if sheet.names.case_matters else str.casefold
    if fold(wanted) not in {fold(path) for path in own.pictures}:
        name = wanted.rpartition("/")[2]
        yield Finding(
            say("handoff.thumbnail"),
            value("none", "text"),
            value(name, "text"),
            1,
            mends=(Call("handoff.thumbnail", {"file": name}),),
        )
