"""Images that a model's lost references may mean, among its own files and those of earlier uploads: by name, by their bytes, by their look."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.formats.files import role_of
from ..core.measures import Measures
from ..core.scene import Neighbour
from ..core.stations.textures.services import Candidate, candidates
from ..core.surface.alike import BITS
from .models import Content, Inspection, Likeness, Revision, RevisionFile
from .shelf import tape_key

#: Most files of earlier uploads that are looked through by name, the newest first.
_MOST = 100_000
#: Most images that are looked at for their look, and their bytes together.
LOOKED_AT, LOOKED_BYTES = 2_000, 1 << 30


class Found(NamedTuple):
    """A file that may be meant. own: it came with the model itself."""

    candidate: Candidate
    content_id: int
    own: bool


class Lost(NamedTuple):
    """A reference that leads nowhere. found: files that may be meant, the likeliest first. before: the content that it led to in an earlier
    revision, and the number of that, None where it never led anywhere."""

    found: list[Found]
    before: tuple[int, int] | None


def lost_images(db: Session, revision: Revision) -> dict[str, Lost]:
    """What each reference of a revision, as it came, that leads nowhere may mean."""
    lost = _references(db, revision)
    if not lost:
        return {}
    files: dict[str, tuple[int, bool]] = {}
    for stored in revision.files:
        files.setdefault(stored.path, (stored.content_id, True))
    columns = (RevisionFile.path, RevisionFile.content_id)
    earlier = select(*columns).where(RevisionFile.revision_id != revision.id).order_by(RevisionFile.id.desc()).limit(_MOST)
    for path, content in db.execute(earlier):
        files.setdefault(path, (content, False))
    offered = [Neighbour(file, "image", "package", 0, bytes) for file in files if role_of(file) == "image"]
    before = _before(db, revision, lost)
    alike = db.scalar(select(Likeness).where(Likeness.revision_id == revision.id, Likeness.state == "done"))
    out = {}
    for reference in lost:
        named = [Found(candidate, *files[candidate.path]) for candidate in candidates(reference, offered)]
        known = before.get(reference)
        same = [] if known is None else _same(files, known)
        rows = [row for row in (alike.rows if alike is not None else []) if row["reference"] == reference]
        looks = [
            Found(Candidate(row["path"], _looks(row["bits"]), False), row["content"], files.get(row["path"], (0, False))[1])
            for row in rows
        ]
        # One file may be meant for several reasons: the surest is told.
        by_path = {found.candidate.path: found for found in (*looks, *named, *same)}
        order = sorted(by_path.values(), key=lambda found: (not found.candidate.sure, found in looks))
        out[reference] = Lost(order, known)
    return out


def _looks(bits: int) -> str:
    return f"looks like it, {100 * (1 - bits / BITS):.0f} % alike"


def _same(files: dict[str, tuple[int, bool]], known: tuple[int, int]) -> list[Found]:
    """Files of the model itself that hold the very bytes."""
    content, number = known
    return [
        Found(Candidate(path, f"the same bytes as in rev {number}", True), content, True)
        for path, (other, own) in files.items()
        if own and other == content
    ]


def _references(db: Session, revision: Revision) -> list[str]:
    first = db.scalar(select(Inspection).where(Inspection.revision_id == revision.id, Inspection.tape_key == tape_key([])))
    if first is None or first.measures is None:
        return []
    images = Measures.from_bytes(first.measures).images
    lost = [i.reference for i in images if i.found_at is None and i.status in ("missing", "absolute")]
    return list(dict.fromkeys(lost))


def _before(db: Session, revision: Revision, lost: list[str]) -> dict[str, tuple[int, int]]:
    """What lost references led to in the newest earlier revision in which they did: content, and its number."""
    out: dict[str, tuple[int, int]] = {}
    for earlier in reversed([r for r in revision.model.revisions if r.number < revision.number]):
        first = db.scalar(select(Inspection).where(Inspection.revision_id == earlier.id, Inspection.tape_key == tape_key([])))
        if first is None or first.measures is None:
            continue
        there = {file.path: file.content_id for file in earlier.files}
        for image in Measures.from_bytes(first.measures).images:
            if image.reference in lost and image.found_at in there:
                out.setdefault(image.reference, (there[image.found_at], earlier.number))
        if len(out) == len(lost):
            break
    return out


def looked_at(db: Session, revision: Revision) -> tuple[dict[str, int], dict[str, int]]:
    """What is compared by its look: contents that lost references led to before, by reference; and images that may be meant, by path, the
    model's own first, as many as are looked at."""
    before = {reference: content for reference, (content, _) in _before(db, revision, _references(db, revision)).items()}
    if not before:
        return {}, {}
    rows = select(RevisionFile.path, RevisionFile.content_id, Content.bytes).join(Content)
    own = db.execute(rows.where(RevisionFile.revision_id == revision.id)).all()
    others = db.execute(rows.where(RevisionFile.revision_id != revision.id).order_by(RevisionFile.id.desc()).limit(_MOST)).all()
    out: dict[str, int] = {}
    total = 0
    for path, content, size in (*own, *others):
        if role_of(path) == "image" and path not in out and content not in before.values():
            total += size
            if len(out) >= LOOKED_AT or total > LOOKED_BYTES:
                break
            out[path] = content
    return before, out


def from_earlier(db: Session, revision: Revision) -> dict[str, int]:
    """Path and content of each file of an earlier upload that a lost reference may mean."""
    return {f.candidate.path: f.content_id for lost in lost_images(db, revision).values() for f in lost.found if not f.own}
