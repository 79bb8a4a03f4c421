"""What the web server and the jobs both ask of the database: revisions, tapes, judgements."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Collection, Mapping
from typing import Any

import msgspec
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.display import VERSION as DISPLAY_VERSION
from ..core.judge import Judgement as Judged
from ..core.measures import Measures
from ..core.present.in_child import judged_in_child
from ..core.present.stored import SHAPE, StoredJudgement, judgement_of, needed_evidence, opened
from ..core.route.house import fingerprint
from ..core.route.stations import measures_key, route_key
from ..core.rules import Intent, RuleSheet, shipped
from ..core.rules.intent import intent_from_json
from ..core.words.lengths import WISH
from .models import Evidence, Inspection, Judgement, Model, Revision, TapeState
from .sheets import sheet_of


def tape_key(slips: list[dict[str, Any]]) -> str:
    """Digest of the slips that are on, in order: one inspection for each."""
    on = [[x["mend"], x["params"]] for x in slips if x.get("on", True)]
    return hashlib.sha256(json.dumps([measures_key(), DISPLAY_VERSION, fingerprint(), on], sort_keys=True).encode()).hexdigest()


def slips_of(db: Session, revision: Revision) -> list[dict[str, Any]]:
    """The tape as it stands: [{mend, params, on}]."""
    state = db.scalar(select(TapeState).where(TapeState.revision_id == revision.id, TapeState.number == revision.tape_at))
    return list(state.slips) if state else []


def tape_version(db: Session, revision: Revision) -> int:
    """A number that no other state of any tape ever has; 0 for the empty tape that a revision begins with."""
    wanted = (TapeState.revision_id == revision.id, TapeState.number == revision.tape_at)
    return db.scalar(select(TapeState.id).where(*wanted)) or 0


def change_tape(db: Session, revision: Revision, slips: list[dict[str, Any]]) -> None:
    """A new state of the tape; states that were undone are given up for it."""
    for state in [tape for tape in revision.tapes if tape.number > revision.tape_at]:
        revision.tapes.remove(state)
    db.flush()
    revision.tape_at += 1
    revision.tapes.append(TapeState(number=revision.tape_at, slips=slips))
    revision.model.touched = func.now()
    db.flush()


def can_undo(revision: Revision) -> bool:
    """Whether there is a step of the tape before this one: the bare model, or one that was not swept away since."""
    before = revision.tape_at - 1
    first = min((tape.number for tape in revision.tapes), default=1)
    return before >= first or (before == 0 and first == 1)


def inspection_of(db: Session, revision: Revision, slips: list[dict[str, Any]]) -> Inspection | None:
    """The inspection of a revision under a tape; None where there is none."""
    return db.scalar(select(Inspection).where(Inspection.revision_id == revision.id, Inspection.tape_key == tape_key(slips)))


def latest_done(db: Session, revision: Revision) -> Inspection | None:
    """The newest inspection of a revision that is done and was made by this version: older ones hold other records."""
    done = (
        select(Inspection)
        .where(Inspection.revision_id == revision.id, Inspection.state == "done")
        .order_by(Inspection.id.desc())
        # A job may have ended since this session first saw the row: its measures must be as new as its state.
        .execution_options(populate_existing=True)
    )
    return next((x for x in db.scalars(done) if x.tape_key == tape_key(x.tape)), None)


def all_done(db: Session, model: Model, but_not: int | None = None) -> dict[int, Inspection]:
    """The newest inspection that is done and of this version of each of a model's revisions, by revision, in one question.

    but_not: one that was not done when it was looked at, and may be by now.
    """
    done = (
        select(Inspection)
        .join(Revision, Revision.id == Inspection.revision_id)
        .where(Revision.model_id == model.id, Inspection.state == "done", Inspection.id != (but_not or 0))
        .order_by(Inspection.id)
        .execution_options(populate_existing=True)
    )
    return {x.revision_id: x for x in db.scalars(done) if x.tape_key == tape_key(x.tape)}


#: Mended scenes that are kept of a revision.
_SCENES = 3


def played_before(db: Session, revision: Revision, tape: list[dict[str, Any]]) -> Inspection | None:
    """The inspection of this version that keeps the scene of the longest beginning of a tape; None where there is none."""
    calls = [(x["mend"], x["params"]) for x in tape]
    kept = db.scalars(select(Inspection).where(Inspection.revision_id == revision.id, Inspection.scene_id.is_not(None)))
    begins = [
        x for x in kept if x.tape_key == tape_key(x.tape) and [(y["mend"], y["params"]) for y in x.tape] == calls[: len(x.tape)]
    ]
    return max(begins, key=lambda x: len(x.tape), default=None)


def keep_scene(db: Session, inspection: Inspection, content: int) -> None:
    """Keep a mended scene; of a revision's earlier ones the oldest go."""
    inspection.scene_id = content
    db.flush()
    kept = select(Inspection).where(Inspection.revision_id == inspection.revision_id, Inspection.scene_id.is_not(None))
    for old in db.scalars(kept.order_by(Inspection.id.desc()).offset(_SCENES)):
        old.scene_id = None


def measured_before(db: Session, revision: Revision) -> bytes | None:
    """The newest measures of a revision, else of the one before it: meshes that are still the same need no measuring."""
    earlier = [r for r in revision.model.revisions if r.number <= revision.number]
    done = (latest_done(db, r) for r in reversed(earlier[-2:]))
    return next((x.measures for x in done if x is not None), None)


def names_before(db: Session, revision: Revision) -> list[str]:
    """Names of the revision before, which side files may still use."""
    before = next((r for r in reversed(revision.model.revisions) if r.number < revision.number), None)
    done = latest_done(db, before) if before is not None else None
    return sorted(set(Measures.from_bytes(done.measures).names())) if done is not None and done.measures else []


def intent_of(model: Model) -> Intent:
    """What a model is meant to be, as it is stored with it."""
    return intent_from_json(json.dumps(model.intent))


def aside_of(db: Session, model: Model, slug: str | None = None) -> list[str]:
    """Keys by which the intent and the sheet say that parts are aside, and stay behind when the model is written. slug: of the sheet, where
    it is not the model's own."""
    meant = sheet_of(db, slug or model.sheet).meant(intent_of(model))
    return sorted(key for key, part in meant.parts.items() if part.role == "aside")


def judgement(db: Session, inspection: Inspection, sheet: RuleSheet, intent: Intent) -> StoredJudgement:
    """What is kept of a done inspection's judgement under a sheet and an intent; made anew when either changed."""
    kept = judged_before(db, inspection, sheet, intent)
    if kept is not None:
        return kept
    assert inspection.measures is not None
    made, evidence = judged_in_child(inspection.source or {}, inspection.measures, sheet, intent)
    _keep(db, inspection, {sheet.slug: made}, {sheet.slug: _judged_by(sheet, intent)})
    keep_evidence(db, inspection, evidence)
    return made


def judged_before(db: Session, inspection: Inspection, sheet: RuleSheet, intent: Intent) -> StoredJudgement | None:
    """What is kept of an inspection's judgement under a sheet and an intent; None where it was not judged by them."""
    wanted = (Judgement.inspection_id == inspection.id, Judgement.sheet == sheet.slug, Judgement.key == _judged_by(sheet, intent))
    kept = db.scalar(select(Judgement).where(*wanted))
    return None if kept is None else opened({"report": kept.report, "ledger": kept.ledger, "marks": kept.marks})


def judged_now(inspection: Inspection, sheet: RuleSheet, intent: Intent) -> StoredJudgement:
    """The judgement of a done inspection under a sheet that is only tried, of which nothing is kept."""
    assert inspection.measures is not None
    return judged_in_child(inspection.source or {}, inspection.measures, sheet, intent)[0]


def _keep(db: Session, inspection: Inspection, judgements: Mapping[str, StoredJudgement], digests: Mapping[str, str]) -> None:
    rows = [
        {"inspection_id": inspection.id, "sheet": slug, "key": digests[slug], **msgspec.to_builtins(kept)}
        for slug, kept in judgements.items()
    ]
    # Two requests may judge the same at once; either's report will do.
    db.execute(insert(Judgement).values(rows).on_conflict_do_nothing())


def keep_evidence(db: Session, inspection: Inspection, evidence: Mapping[str, bytes]) -> None:
    """Keep indices of elements by their digests; what is there already stays."""
    rows = [{"inspection_id": inspection.id, "digest": digest, "indices": indices} for digest, indices in evidence.items()]
    if rows:
        db.execute(insert(Evidence).on_conflict_do_nothing(), rows)


def evidence_of(db: Session, inspection: Inspection, digests: Collection[str]) -> dict[str, bytes]:
    """Kept indices by digest."""
    wanted = select(Evidence).where(Evidence.inspection_id == inspection.id, Evidence.digest.in_(digests))
    return {x.digest: x.indices for x in db.scalars(wanted)}


def full_judgement(db: Session, inspection: Inspection, sheet: RuleSheet, intent: Intent) -> Judged:
    """The judgement of a done inspection, its findings with elements but for those of meshes."""
    kept = judgement(db, inspection, sheet, intent)
    return judgement_of(kept, evidence_of(db, inspection, needed_evidence(kept)))


def _judged_by(sheet: RuleSheet, intent: Intent) -> str:
    return hashlib.sha256(
        msgspec.json.encode([measures_key(), SHAPE, route_key(), sheet, intent, os.environ.get(WISH)])
    ).hexdigest()


def keep_judgements(db: Session, inspection: Inspection, answer: dict[str, Any]) -> None:
    """Keep judgements that were made beside a reading. answer: {"intent": the one that was held to, "made": by sheet}."""
    intent = intent_from_json(json.dumps(answer["intent"]))
    _keep(
        db,
        inspection,
        {slug: opened(tree) for slug, tree in answer["made"].items()},
        {x.slug: _judged_by(x, intent) for x in shipped()},
    )


def reasons_of(model: Model) -> dict[str, str]:
    """Finding id -> reason, for what the user waived on this model."""
    return {waiver.finding: waiver.reason for waiver in model.waivers}


def changes_since(
    db: Session, revision: Revision, done: Mapping[int, Inspection], now: dict[str, Any], sheet: RuleSheet, intent: Intent
) -> dict[str, Any] | None:
    """What differs from the revision before under the same sheet and intent; None where there is none that was read.

    done: the newest finished inspection of each revision. fixed: findings that are gone. fresh: findings never seen before. back:
    findings that were gone and are there again. The revision before is judged where it was not; of older ones what was kept counts.
    """
    read = [(r, done[r.id]) for r in revision.model.revisions if r.number < revision.number and r.id in done]
    if not read:
        return None
    digest, ids = _judged_by(sheet, intent), [x.id for _, x in read]
    judgement(db, read[-1][1], sheet, intent)
    found = select(Judgement.inspection_id, Judgement.report["findings"]).where(
        Judgement.inspection_id.in_(ids), Judgement.sheet == sheet.slug, Judgement.key == digest
    )
    told = {number: {finding["id"]: finding["title"] for finding in findings} for number, findings in db.execute(found).all()}
    seen = [told.get(number, {}) for number in ids]
    last, older = seen[-1], {k for one in seen[:-1] for k in one}
    present = {f["id"]: f["title"] for f in now["findings"]}
    return {
        "number": read[-1][0].number,
        "fixed": [title for k, title in last.items() if k not in present],
        "fresh": [title for k, title in present.items() if k not in last and k not in older],
        "back": [title for k, title in present.items() if k not in last and k in older],
    }


def changes_by_mends(
    db: Session, revision: Revision, now: dict[str, Any], sheet: RuleSheet, intent: Intent
) -> dict[str, Any] | None:
    """What the tape's mends fixed and what they brought, against the revision without them; None where that was not read."""
    bare = inspection_of(db, revision, [])
    if bare is None or bare.state != "done":
        return None
    before = {f["id"]: f for f in judgement(db, bare, sheet, intent).report["findings"]}
    present = {f["id"]: f for f in now["findings"]}
    return {
        "fixed": [f["title"] for k, f in before.items() if k not in present],
        "fresh": [f["title"] for k, f in present.items() if k not in before],
        "stations": _by_station(before, present),
    }


def _by_station(before: dict[str, Any], present: dict[str, Any]) -> dict[str, dict[str, int]]:
    """How many findings each station lost and got, and how many it kept with less or more in them, by its slug."""
    out: dict[str, dict[str, int]] = {}
    for id in before.keys() | present.keys():
        kind = "fresh" if id not in before else "fixed" if id not in present else _moved(before[id], present[id])
        if kind:
            out.setdefault(id.partition(".")[0], dict.fromkeys(("fixed", "fresh", "eased", "worse"), 0))[kind] += 1
    return out


def _moved(before: dict[str, Any], now: dict[str, Any]) -> str:
    """Whether a finding that stayed is milder or of fewer things than before, or the other way."""
    weight = lambda f: (("note", "caution", "stop").index(f["result"]), f["count"] or 0)
    return "eased" if weight(now) < weight(before) else "worse" if weight(now) > weight(before) else ""


def take_off(db: Session, model: Model) -> None:
    """Take a model off the shelf: for a while it can be brought back, then it goes with everything that belongs to it alone."""
    model.taken_off = func.now()
    db.flush()


def bring_back(db: Session, model: Model) -> None:
    """Set a model on the shelf again that was taken off."""
    model.taken_off = None
    db.flush()


def throw_away(db: Session, model: Model) -> None:
    """Throw a model away for good; what belonged to it alone is swept."""
    db.delete(model)
    db.flush()
