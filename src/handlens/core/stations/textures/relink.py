"""Files that a reference that leads nowhere may mean, each with the reason."""

from __future__ import annotations

from collections.abc import Iterable
from difflib import SequenceMatcher
from pathlib import PurePosixPath
from typing import NamedTuple

from ...scene import Neighbour

#: Names count as near from this share of letters in common on (Ratcliff and Metzener 1988).
NEAR = 0.8
#: Most candidates that are told for one reference.
MOST = 5


class Candidate(NamedTuple):
    """A file that may be meant. reason: the same name elsewhere, other letter case, another ending, or near name; sure: whether
    it may be taken without asking.
    """

    path: str
    reason: str
    sure: bool


def candidates(reference: str, files: Iterable[Neighbour]) -> list[Candidate]:
    """Files ranked by how well their names fit a reference: exactly, but for letter case, but for the ending, nearly.

    Two that fit equally well are both told, and then neither is sure. A near name never is.
    """
    wanted = PurePosixPath(reference.strip().replace("\\", "/"))
    scored = []
    for file in files:
        if file.role != "image":
            continue
        rank, reason = _fit(wanted, PurePosixPath(file.path))
        if rank:
            scored.append((-rank, -_common_tail(wanted, PurePosixPath(file.path)), file.path, reason))
    scored.sort()
    best = scored[0][:2] if scored else None
    alone = sum(s[:2] == best for s in scored) == 1
    return [Candidate(path, reason, alone and k == 0 and rank <= -2) for k, (rank, _, path, reason) in enumerate(scored[:MOST])]


def _fit(wanted: PurePosixPath, there: PurePosixPath) -> tuple[float, str]:
    if wanted.name == there.name:
        return 5.0, "same name"
    if wanted.name.casefold() == there.name.casefold():
        return 4.0, "same name in other letter case"
    if wanted.stem.casefold() == there.stem.casefold():
        return 3.0, "same name with another ending"
    share = SequenceMatcher(None, wanted.stem.casefold(), there.stem.casefold()).ratio()
    return (share, f"near name, {100 * share:.0f} % alike") if share >= NEAR else (0.0, "")


def _common_tail(a: PurePosixPath, b: PurePosixPath) -> int:
    """How many folders before the name the two have in common."""
    count = 0
    for one, other in zip(reversed(a.parts[:-1]), reversed(b.parts[:-1]), strict=False):
        if one.casefold() != other.casefold():
            break
        count += 1
    return count
