"""Images that a model's lost references may mean, among its own files and those of earlier uploads."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.formats.files import role_of
from ..core.measures import Measures
from ..core.scene import Neighbour
from ..core.stations.textures.services import Candidate, candidates
from .models import Inspection, Revision, RevisionFile
from .shelf import tape_key

#: Most files of earlier uploads that are looked through, the newest first.
_MOST = 5_000


class Found(NamedTuple):
    """A file that may be meant. own: it came with the model itself."""

    candidate: Candidate
    content_id: int
    own: bool


def lost_images(db: Session, revision: Revision) -> dict[str, list[Found]]:
    """For each reference of a revision, as it came, that leads nowhere: files that may be meant, the likeliest first."""
    first = db.scalar(select(Inspection).where(Inspection.revision_id == revision.id, Inspection.tape_key == tape_key([])))
    if first is None or first.measures is None:
        return {}
    lost = [
        i.reference
        for i in Measures.from_bytes(first.measures).images
        if i.found_at is None and i.status in ("missing", "absolute")
    ]
    if not lost:
        return {}
    files: dict[str, tuple[int, bool]] = {}
    for f in revision.files:
        files.setdefault(f.path, (f.content_id, True))
    earlier = select(RevisionFile).where(RevisionFile.revision_id != revision.id).order_by(RevisionFile.id.desc()).limit(_MOST)
    for f in db.scalars(earlier):
        files.setdefault(f.path, (f.content_id, False))
    offered = [Neighbour(file, "image", "package", 0, bytes) for file in files if role_of(file) == "image"]
    return {r: [Found(candidate, *files[candidate.path]) for candidate in candidates(r, offered)] for r in dict.fromkeys(lost)}


def from_earlier(db: Session, revision: Revision) -> dict[str, int]:
    """Path and content of each file of an earlier upload that a lost reference may mean."""
    return {f.candidate.path: f.content_id for found in lost_images(db, revision).values() for f in found if not f.own}
