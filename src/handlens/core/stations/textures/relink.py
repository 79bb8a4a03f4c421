"""Files that a reference that leads nowhere may mean, each with the reason."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
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
    scored = _scored(reference, (file.path for file in files if file.role == "image"))
    best = scored[0][:2] if scored else None
    alone = sum(s[:2] == best for s in scored) == 1
    return [Candidate(path, reason, alone and k == 0 and rank <= -2) for k, (rank, _, path, reason) in enumerate(scored[:MOST])]


def near_names(references: Iterable[str], paths: Sequence[str]) -> list[str]:
    """Of many files those that any of some references may mean, in their order: what `candidates` would tell of all of them."""
    chosen = {path for reference in references for _, _, path, _ in _scored(reference, paths)[:MOST]}
    return [path for path in paths if path in chosen]


def _scored(reference: str, paths: Iterable[str]) -> list[tuple[float, int, str, str]]:
    """Files whose names fit a reference at all, the best first: by rank and folders in common, both below 0, path and reason."""
    wanted = PurePosixPath(reference.strip().replace("\\", "/"))
    # It keeps what it has worked out of its second word: the one that all the others are held against.
    matcher = SequenceMatcher(None, "", wanted.stem.casefold())
    scored = []
    for path in paths:
        rank, reason = _fit(wanted, path.rpartition("/")[2], matcher)
        if rank:
            scored.append((-rank, -_common_tail(wanted, PurePosixPath(path)), path, reason))
    return sorted(scored)


def _fit(wanted: PurePosixPath, name: str, matcher: SequenceMatcher[str]) -> tuple[float, str]:
    if wanted.name == name:
        return 5.0, "same name"
    if wanted.name.casefold() == name.casefold():
        return 4.0, "same name in other letter case"
    stem = PurePosixPath(name).stem.casefold()
    if wanted.stem.casefold() == stem:
        return 3.0, "same name with another ending"
    matcher.set_seq1(stem)
    # Two bounds from above that cost next to nothing: most names of a library lie far off.
    if matcher.real_quick_ratio() < NEAR or matcher.quick_ratio() < NEAR:
        return 0.0, ""
    share = matcher.ratio()
    return (share, f"near name, {100 * share:.0f} % alike") if share >= NEAR else (0.0, "")


def _common_tail(a: PurePosixPath, b: PurePosixPath) -> int:
    """How many folders before the name the two have in common."""
    count = 0
    for one, other in zip(reversed(a.parts[:-1]), reversed(b.parts[:-1]), strict=False):
        if one.casefold() != other.casefold():
            break
        count += 1
    return count
