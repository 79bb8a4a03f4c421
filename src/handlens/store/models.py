"""Tables. Originals are immutable: a revision's files are never changed, only new rows are added."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

#: JSON of which it is asked whether there is any: None is no JSON, and not the word null in it.
_OrNull = JSONB(none_as_null=True)


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB, datetime: DateTime(timezone=True)}  # noqa: RUF012


def now() -> datetime:
    """The time now, in UTC."""
    return datetime.now(UTC)


class Content(Base):
    """Bytes by SHA-256, once. sha256 is empty only while an upload is under way. stored: they lie in the object store, not in chunks."""

    __tablename__ = "content"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    sha256: Mapped[str | None] = mapped_column(String(64), unique=True)
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    stored: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=now)


class GoneObject(Base):
    """An object that no content is read from any more, and that is still to be taken out of the store."""

    __tablename__ = "gone_object"
    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)


class Chunk(Base):
    __tablename__ = "content_chunk"
    content_id: Mapped[int] = mapped_column(ForeignKey("content.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Drop(Base):
    """Files on their way in, until they become models."""

    __tablename__ = "drop"
    id: Mapped[int] = mapped_column(primary_key=True)
    model_id: Mapped[int | None] = mapped_column(ForeignKey("model.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)
    files: Mapped[list[DropFile]] = relationship(cascade="all, delete-orphan", order_by="DropFile.path")


class DropFile(Base):
    __tablename__ = "drop_file"
    __table_args__ = (UniqueConstraint("drop_id", "path"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    drop_id: Mapped[int] = mapped_column(ForeignKey("drop.id", ondelete="CASCADE"))
    path: Mapped[str] = mapped_column(Text)
    content_id: Mapped[int] = mapped_column(ForeignKey("content.id"), index=True)


class Model(Base):
    """One thing on the Shelf, over all its revisions. sheet: slug of the rule sheet on its Bench. folder: the package, or the folder in it,
    that it came from; empty for one that came as a file. taken_off: when it was taken off the shelf; it can be brought back for a while.
    """

    __tablename__ = "model"
    __table_args__ = (Index("model_touched", "touched", "id"), Index("model_folder", "folder"))
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    sheet: Mapped[str] = mapped_column(Text, default="realtime-engine")
    intent: Mapped[dict[str, Any]] = mapped_column(default=dict)
    demo: Mapped[bool] = mapped_column(default=False)
    folder: Mapped[str] = mapped_column(Text, default="")
    tags: Mapped[list[Any]] = mapped_column(default=list)
    taken_off: Mapped[datetime | None]
    created: Mapped[datetime] = mapped_column(default=now)
    touched: Mapped[datetime] = mapped_column(default=now)
    revisions: Mapped[list[Revision]] = relationship(
        cascade="all, delete-orphan", order_by="Revision.number", back_populates="model"
    )
    waivers: Mapped[list[Waiver]] = relationship(cascade="all, delete-orphan", order_by="Waiver.id")


class Card(Base):
    """What the Shelf says of a model, as it was last judged. version: of the records and the sheets; inspection: the one that it is of;
    verdicts: [{"sheet", "counts", "not_looked_at"}]; held: some sheet stops it; fit: every sheet lets it pass, and all was looked at.
    words: names of its parts and materials and titles of its findings, a line each after a letter that says which.
    """

    __tablename__ = "card"
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), primary_key=True)
    version: Mapped[str] = mapped_column(String(64))
    inspection_id: Mapped[int | None]
    triangles: Mapped[int | None] = mapped_column(BigInteger)
    longest_m: Mapped[float | None]
    unit_stated: Mapped[bool] = mapped_column(default=False)
    held: Mapped[bool] = mapped_column(default=False)
    fit: Mapped[bool] = mapped_column(default=False)
    verdicts: Mapped[list[Any]] = mapped_column(default=list)
    words: Mapped[str] = mapped_column(Text, default="")


class Waiver(Base):
    """A finding that somebody accepts, with the reason. It holds for the model's later revisions too, while the finding is there.

    number: of the revision that it was said of. by: who says so, as they call themselves.
    """

    __tablename__ = "waiver"
    __table_args__ = (UniqueConstraint("model_id", "finding"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"))
    finding: Mapped[str] = mapped_column(Text)
    reason: Mapped[str] = mapped_column(Text)
    by: Mapped[str] = mapped_column(Text, default="")
    number: Mapped[int]
    created: Mapped[datetime] = mapped_column(default=now)


class Watch(Base):
    """A folder of this machine whose models are set on the shelf whenever they are saved. models: by path below it, the model that each
    became and a digest of what it was made of; error: why it cannot be looked into now.
    """

    __tablename__ = "watch"
    id: Mapped[int] = mapped_column(primary_key=True)
    path: Mapped[str] = mapped_column(Text, unique=True)
    models: Mapped[dict[str, Any]] = mapped_column(default=dict)
    error: Mapped[str | None] = mapped_column(Text)
    #: The batch that what is saved there becomes part of.
    batch_id: Mapped[int | None] = mapped_column(ForeignKey("batch.id", ondelete="SET NULL"))
    created: Mapped[datetime] = mapped_column(default=now)


class Recipe(Base):
    """A tape kept by name, to be played on other models."""

    __tablename__ = "recipe"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Text, unique=True)
    slips: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(default=now)


class Revision(Base):
    """One state of a model's files, and the mend tape on it: tape_at says which state of the tape holds."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("model_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    main: Mapped[str] = mapped_column(Text)
    tape_at: Mapped[int] = mapped_column(default=0)
    #: By sheet the slips that only its destination needs: they are played where the model is exported for it.
    branches: Mapped[dict[str, Any]] = mapped_column(default=dict)
    thumbnail_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)
    model: Mapped[Model] = relationship(back_populates="revisions")
    files: Mapped[list[RevisionFile]] = relationship(cascade="all, delete-orphan", order_by="RevisionFile.path")
    tapes: Mapped[list[TapeState]] = relationship(cascade="all, delete-orphan", order_by="TapeState.number")


class RevisionFile(Base):
    __tablename__ = "revision_file"
    __table_args__ = (UniqueConstraint("revision_id", "path"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id", ondelete="CASCADE"))
    path: Mapped[str] = mapped_column(Text)
    content_id: Mapped[int] = mapped_column(ForeignKey("content.id"), index=True)
    content: Mapped[Content] = relationship()


class TapeState(Base):
    """The tape after one change to it; undo and redo move between these. slips: [{mend, params, on}]."""

    __tablename__ = "tape_state"
    __table_args__ = (UniqueConstraint("revision_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id", ondelete="CASCADE"))
    number: Mapped[int]
    slips: Mapped[list[Any]] = mapped_column(default=list)


class Inspection(Base):
    """A revision measured with a tape applied. `tape` holds the slips that were on; runs: what each of them did;
    lost: for each format that can be written, what it could not hold. stage: what is drawn; full_stage: the whole display
    copy where the drawn one is reduced. scene: the mended scene, where playing the tape took its time. measured: {"meshes", "fresh"}, how many of the meshes had to be measured anew.
    """

    __tablename__ = "inspection"
    __table_args__ = (UniqueConstraint("revision_id", "tape_key"), Index("inspection_state", "state"))
    id: Mapped[int] = mapped_column(primary_key=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id", ondelete="CASCADE"))
    tape_key: Mapped[str] = mapped_column(String(64))
    tape: Mapped[list[Any]] = mapped_column(default=list)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    source: Mapped[dict[str, Any] | None]
    runs: Mapped[list[Any]] = mapped_column(default=list)
    # Megabytes of it: loaded only where someone asks.
    measures: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    stage_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    full_stage_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    scene_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    #: Whether what is drawn is a first, coarse picture, on which nothing can be marked.
    coarse: Mapped[bool] = mapped_column(default=False)
    measured: Mapped[dict[str, Any] | None]
    #: Whether the mends that are offered were tried: none, waiting, running, done, failed or cancelled.
    offers: Mapped[str] = mapped_column(String(12), default="none")
    seconds: Mapped[dict[str, Any] | None]
    lost: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created: Mapped[datetime] = mapped_column(default=now)


class Comparison(Base):
    """What differs from an earlier inspection to a later one. rows: differences as JSON; place: whether it fits in the other's place,
    None until it was made."""

    __tablename__ = "comparison"
    __table_args__ = (UniqueConstraint("earlier_id", "later_id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    earlier_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"))
    later_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    rows: Mapped[list[Any]] = mapped_column(default=list)
    place: Mapped[dict[str, Any] | None]
    created: Mapped[datetime] = mapped_column(default=now)


class Curve(Base):
    """How far off an inspection's model lies at each count of triangles. key: digest of the parts; points: as the core has them."""

    __tablename__ = "curve"
    __table_args__ = (UniqueConstraint("inspection_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    inspection_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(64))
    parts: Mapped[list[Any]] = mapped_column(default=list)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    points: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(default=now)


class Likeness(Base):
    """Images that look like those that a revision misses, by how they looked in an earlier one. rows: [{"reference", "path", "content", "bits"}]."""

    __tablename__ = "likeness"
    id: Mapped[int] = mapped_column(primary_key=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id", ondelete="CASCADE"), unique=True)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    rows: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(default=now)


class Judgement(Base):
    """What is kept of an inspection's judgement under one sheet and intent. key: digest of both; ledger, marks: as `present.stored` has them."""

    __tablename__ = "judgement"
    __table_args__ = (UniqueConstraint("inspection_id", "sheet", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    inspection_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"))
    sheet: Mapped[str] = mapped_column(Text)
    key: Mapped[str] = mapped_column(String(64))
    report: Mapped[dict[str, Any]]
    ledger: Mapped[list[Any]] = mapped_column(default=list)
    marks: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Evidence(Base):
    """Indices of elements that findings of an inspection mark, as little-endian int32, each array once."""

    __tablename__ = "evidence"
    inspection_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    indices: Mapped[bytes] = mapped_column(LargeBinary)


class Asking(Base):
    """What the destination of a sheet would say to an inspection's model if it were written so. key: digest of the wish and of all that the
    writing goes by; wish: {"format", "options", "sheet", "variant"}; files: [{"path", "bytes"}] that would be written."""

    __tablename__ = "asking"
    __table_args__ = (UniqueConstraint("inspection_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    inspection_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(64))
    wish: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    answer: Mapped[dict[str, Any] | None]
    files: Mapped[list[Any]] = mapped_column(default=list)
    picture_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)


class SoughtWay(Base):
    """The way to Fit of an inspection's model. key: digest of the wish and of all that the search goes by; wish: {"sheets", "goal", "prefer"};
    way: as the core tells it, once it is found."""

    __tablename__ = "way"
    __table_args__ = (UniqueConstraint("inspection_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    inspection_id: Mapped[int] = mapped_column(ForeignKey("inspection.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(64))
    wish: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    way: Mapped[dict[str, Any] | None]
    picture_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)


class WayRule(Base):
    """Which mend is taken for a check's findings where there is a choice: what a person chose once, for the next model."""

    __tablename__ = "way_rule"
    check: Mapped[str] = mapped_column(String(120), primary_key=True)
    mend: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(default=now)


class Batch(Base):
    """Many models against one rule sheet. state: running (what waits is begun in its turn), paused or stopped. step: what is done with all of
    them now or was done last: judge, try or export. wish: what is tried or how it is exported. began: when that was begun."""

    __tablename__ = "batch"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    sheet: Mapped[str] = mapped_column(Text)
    state: Mapped[str] = mapped_column(String(12), default="running")
    step: Mapped[str] = mapped_column(String(12), default="judge")
    wish: Mapped[dict[str, Any]] = mapped_column(default=dict)
    began: Mapped[datetime] = mapped_column(default=now)
    created: Mapped[datetime] = mapped_column(default=now)


class BatchRow(Base):
    """One model of a batch. step, state, error: what is done with it, and how that went; turn: the lower, the sooner. inspection_id, way_id,
    export_id: what it waits for or had last. verdict, stations, findings: as it was judged last under the batch's sheet; first: the
    verdict when that was done for the first time. trial: what a mend, a recipe or a way did on a copy. laid: the version of the
    tape that was laid from here, for as long as it can be taken back from here."""

    __tablename__ = "batch_row"
    __table_args__ = (UniqueConstraint("batch_id", "model_id"), Index("batch_row_turn", "batch_id", "state", "turn"))
    id: Mapped[int] = mapped_column(primary_key=True)
    batch_id: Mapped[int] = mapped_column(ForeignKey("batch.id", ondelete="CASCADE"))
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id", ondelete="CASCADE"), index=True)
    step: Mapped[str] = mapped_column(String(12), default="judge")
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    turn: Mapped[float] = mapped_column(default=0.0)
    revision_id: Mapped[int | None]
    inspection_id: Mapped[int | None] = mapped_column(ForeignKey("inspection.id", ondelete="SET NULL"), index=True)
    way_id: Mapped[int | None] = mapped_column(ForeignKey("way.id", ondelete="SET NULL"), index=True)
    export_id: Mapped[int | None] = mapped_column(ForeignKey("export.id", ondelete="SET NULL"), index=True)
    verdict: Mapped[dict[str, Any] | None] = mapped_column(_OrNull)
    first: Mapped[dict[str, Any] | None] = mapped_column(_OrNull)
    stations: Mapped[dict[str, Any]] = mapped_column(default=dict)
    findings: Mapped[list[Any]] = mapped_column(default=list)
    trial: Mapped[dict[str, Any] | None] = mapped_column(_OrNull)
    laid: Mapped[int | None]
    ended: Mapped[datetime | None]


class OwnSheet(Base):
    """A rule sheet of one's own. inherits: slug of the shipped sheet that it begins from; what it says otherwise stands with its versions."""

    __tablename__ = "rule_sheet"
    id: Mapped[int] = mapped_column(primary_key=True)
    slug: Mapped[str] = mapped_column(String(64), unique=True)
    inherits: Mapped[str] = mapped_column(String(64))
    created: Mapped[datetime] = mapped_column(default=now)
    versions: Mapped[list[OwnSheetVersion]] = relationship(cascade="all, delete-orphan", order_by="OwnSheetVersion.number")


class OwnSheetVersion(Base):
    """One version of a sheet. changes: what it says otherwise than the one it inherits from, as a JSON merge patch (RFC 7396)."""

    __tablename__ = "rule_sheet_version"
    __table_args__ = (UniqueConstraint("sheet_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("rule_sheet.id", ondelete="CASCADE"))
    number: Mapped[int]
    changes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    note: Mapped[str] = mapped_column(Text, default="")
    created: Mapped[datetime] = mapped_column(default=now)


class Sending(Base):
    """An export on its way to a destination, or its answer. sheet, variant: which destination; picture: how that draws it. state: as of a job."""

    __tablename__ = "sending"
    id: Mapped[int] = mapped_column(primary_key=True)
    export_id: Mapped[int] = mapped_column(ForeignKey("export.id", ondelete="CASCADE"), index=True)
    sheet: Mapped[str] = mapped_column(Text)
    variant: Mapped[str] = mapped_column(String(12), default="current")
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    answer: Mapped[dict[str, Any] | None]
    picture_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)


class Export(Base):
    """A written file with its proof. options: how it was wished, where that is otherwise than the sheet says. aside: keys of the intent and the sheet that said what stays behind. lost: what the format could not
    hold, said before writing. stage: the display copy of what was read back, where it differs.
    """

    __tablename__ = "export"
    id: Mapped[int] = mapped_column(primary_key=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id", ondelete="CASCADE"), index=True)
    tape: Mapped[list[Any]] = mapped_column(default=list)
    format: Mapped[str] = mapped_column(String(12))
    sheet: Mapped[str] = mapped_column(Text)
    aside: Mapped[list[Any]] = mapped_column(default=list)
    options: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    error: Mapped[str | None] = mapped_column(Text)
    proof: Mapped[dict[str, Any] | None]
    lost: Mapped[list[Any]] = mapped_column(default=list)
    stage_id: Mapped[int | None] = mapped_column(ForeignKey("content.id"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)
    files: Mapped[list[ExportFile]] = relationship(cascade="all, delete-orphan", order_by="ExportFile.id")
    sendings: Mapped[list[Sending]] = relationship(cascade="all, delete-orphan", order_by="Sending.id")


class ExportFile(Base):
    __tablename__ = "export_file"
    id: Mapped[int] = mapped_column(primary_key=True)
    export_id: Mapped[int] = mapped_column(ForeignKey("export.id", ondelete="CASCADE"), index=True)
    path: Mapped[str] = mapped_column(Text)
    content_id: Mapped[int] = mapped_column(ForeignKey("content.id"), index=True)
    content: Mapped[Content] = relationship()


class About(Base):
    """What the database says of the Hand Lens that keeps it."""

    __tablename__ = "about"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(Text)


class Job(Base):
    """Work that a person can watch and stop. state: waiting, running, done, failed or cancelled."""

    __tablename__ = "job"
    __table_args__ = (
        Index("job_updated", "updated"),
        # What is under way of an inspection and of a revision is asked by every look at a Bench.
        Index("job_inspection", text("((subject ->> 'inspection')::integer)")),
        Index("job_revision", text("((subject ->> 'revision')::integer)")),
        # Asked whenever one of a batch's jobs ends.
        Index("job_under_way", "state", postgresql_where=text("state IN ('waiting', 'running')")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(16))
    title: Mapped[str] = mapped_column(Text)
    subject: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    phase: Mapped[str] = mapped_column(Text, default="waiting")
    share: Mapped[float] = mapped_column(default=0.0)
    error: Mapped[str | None] = mapped_column(Text)
    stop_wanted: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=now)
    updated: Mapped[datetime] = mapped_column(default=now, onupdate=now)
