"""Request and response schemas; the OpenAPI document and the front end's types come from these."""

from __future__ import annotations

from typing import Any

from marshmallow import Schema, fields, validate

from ..core.declare.panel import Figure as PanelFigure
from ..core.declare.panel import Row
from ..core.display.pulled import PulledPart
from ..core.pipeline.learning import SURE
from ..core.present.catalogue import CheckEntry, FormatEntry, MendEntry, ParameterEntry, StationEntry
from ..core.present.gauges import Gauge
from ..core.present.ledger import Counts as CoreCounts
from ..core.present.ledger import Entry
from ..core.present.sheet_page import SheetChange, SheetValue
from ..core.present.symptoms import SYMPTOMS, SymptomEntry
from ..core.proof.in_place import InPlace
from ..core.receivers.answer import VARIANTS, Line
from ..core.rules.export import ExportOptions as CoreOptions
from ..core.rules.fields import Field
from ..core.rules.intent import Intent as CoreIntent
from ..core.rules.sheet import Names as SheetNames
from ..core.rules.sheet import RuleSheet
from ..core.stations.budget.services import CurvePoint
from ..core.words.calls import Call
from ..core.words.lengths import WISHES
from .structs import Strict, schema_of

RESULTS = ["stop", "caution", "note"]
STATES = ["waiting", "running", "done", "failed", "cancelled"]


Counts = schema_of(CoreCounts)


Intent = schema_of(CoreIntent)


class ModelChange(Strict):
    name = fields.String(validate=validate.Length(1, 120))
    sheet = fields.String()
    intent = fields.Nested(Intent)
    intent_seen = fields.Nested(
        Intent, metadata={"description": "the intent that was changed: fields that are the same in both are left as they are now"}
    )


class WaiverWish(Strict):
    finding = fields.String(required=True, validate=validate.Length(1, 400))
    reason = fields.String(required=True, validate=validate.Length(1, 400))
    by = fields.String(
        load_default="", validate=validate.Length(max=80), metadata={"description": "who says so, as they call themselves"}
    )


class WaiverQuery(Strict):
    finding = fields.String(required=True)


class Slip(Strict):
    mend = fields.String(required=True)
    params = fields.Dict(required=True)
    on = fields.Boolean(required=True)


class Tape(Strict):
    slips = fields.List(fields.Nested(Slip), required=True, validate=validate.Length(max=200))
    version = fields.Integer(
        load_default=None,
        allow_none=True,
        metadata={"description": "of the tape that is changed; another one meanwhile is a 409"},
    )


class TapeStep(Strict):
    version = fields.Integer(load_default=None, allow_none=True)


class Figure(Schema):
    what = fields.String(required=True)
    before = fields.String(required=True)
    after = fields.String(required=True)


class Run(Schema):
    mend = fields.String(required=True)
    applied = fields.Boolean(required=True)
    because = fields.String(required=True, allow_none=True)
    figures = fields.List(fields.Nested(Figure), required=True)
    remarks = fields.List(fields.String(), required=True)
    kept = fields.List(
        fields.String(),
        load_default=[],
        dump_default=[],
        metadata={"description": "what it promises to keep, as measured on this play"},
    )
    before = fields.Integer(
        load_default=None, allow_none=True, metadata={"description": "the played slip before which it would have applied"}
    )


class TapeSlip(Slip):
    title = fields.String(required=True)
    run = fields.Nested(Run, required=True, allow_none=True)
    before = fields.Integer(
        required=True, allow_none=True, metadata={"description": "the slip of this tape before which it would have applied"}
    )


class Value(Schema):
    value = fields.Raw(required=True)
    unit = fields.String(required=True)


class Elements(Schema):
    kind = fields.String(required=True)
    total = fields.Integer(required=True)
    uv_set = fields.Integer(metadata={"description": "UV set that faces or parts are told of, where it is about one"})
    skin = fields.Integer(metadata={"description": "skin whose joints they are, of joints"})


class Offer(Schema):
    mend = fields.String(required=True)
    params = fields.Dict(required=True)
    tried = fields.Boolean(required=True)
    costs = fields.List(fields.String(), required=True)
    needs_format = fields.String(metadata={"description": "the format that holds what it does, where the model's own does not"})
    choice = fields.String(metadata={"description": "offers of one choice exclude each other"})


class Waived(Schema):
    by = fields.String(required=True)
    created = fields.DateTime(required=True)
    number = fields.Integer(required=True, metadata={"description": "of the revision that it was said of"})


class Finding(Schema):
    id = fields.String(required=True)
    check = fields.String(required=True)
    station = fields.String(required=True)
    result = fields.String(required=True, validate=validate.OneOf(RESULTS))
    part = fields.String(required=True, allow_none=True)
    node = fields.Integer(required=True, allow_none=True)
    title = fields.String(required=True)
    message = fields.String(required=True, metadata={"description": "the title with the part and its figures taken out"})
    args = fields.Dict(required=True)
    message_id = fields.String(
        required=True, allow_none=True, metadata={"description": "name of the message, null where a house check wrote a sentence"}
    )
    values = fields.Dict(required=True, metadata={"description": "what stands in the message, as numbers, truths and names"})
    measured = fields.Nested(Value, required=True, allow_none=True)
    wanted = fields.Nested(Value, required=True, allow_none=True)
    why = fields.String(required=True)
    count = fields.Integer(required=True, allow_none=True)
    elements = fields.Nested(Elements, required=True, allow_none=True)
    mends = fields.List(fields.Nested(Offer), required=True)
    waived = fields.String(required=True, allow_none=True)
    waiver = fields.Nested(Waived, load_default=None, dump_default=None, allow_none=True)
    under = fields.String(required=True, allow_none=True)
    samples = fields.Integer()
    confidence = fields.Float()


_NAMES: dict[Any, str] = {
    Entry: "Station",
    PanelFigure: "HeadFigure",
    Row: "TableRow",
    Call: "MendCall",
    RuleSheet: "SheetFacts",
    MendEntry: "MendFacts",
    CheckEntry: "CheckFacts",
    FormatEntry: "FormatFacts",
    ParameterEntry: "Parameter",
    StationEntry: "StationFacts",
    SheetNames: "SheetNames",
}
CheckFacts = schema_of(CheckEntry, _NAMES)
MendCall = schema_of(Call, _NAMES)
schema_of(Row, _NAMES, without=frozenset({"weight"}))
schema_of(CoreOptions, _NAMES, without=frozenset({"unstated_unit", "unstated_axis"}))
Station = schema_of(Entry, _NAMES)


class Skipped(Schema):
    check = fields.String(required=True)
    because = fields.String(required=True)


class Measured(Schema):
    meshes = fields.Integer(required=True)
    fresh = fields.Integer(required=True)


class Kind(Schema):
    findings = fields.List(fields.String(), required=True)
    mends = fields.List(fields.Nested(MendCall), required=True)


class Reading(Schema):
    inspection = fields.Integer(required=True)
    stations = fields.List(fields.Nested(Station), required=True)
    findings = fields.List(fields.Nested(Finding), required=True)
    kinds = fields.List(fields.Nested(Kind), required=True)
    clear = fields.List(fields.String(), required=True)
    skipped = fields.List(fields.Nested(Skipped), required=True)
    verdict = fields.Nested(Counts, required=True)
    not_looked_at = fields.List(fields.String(), required=True)
    lost = fields.Dict(keys=fields.String(), values=fields.List(fields.String()), required=True)
    measured = fields.Nested(Measured, required=True, allow_none=True)
    offers = fields.String(
        required=True,
        validate=validate.OneOf(["none", *STATES]),
        metadata={"description": "whether the mends that are offered were tried on copies; none where nobody asked for that"},
    )


class Since(Schema):
    number = fields.Integer(required=True)
    fixed = fields.List(fields.String(), required=True)
    fresh = fields.List(fields.String(), required=True)
    back = fields.List(fields.String(), required=True)


class Moves(Schema):
    fixed = fields.Integer(required=True)
    fresh = fields.Integer(required=True)
    eased = fields.Integer(required=True)
    worse = fields.Integer(required=True)


class ByMends(Schema):
    fixed = fields.List(fields.String(), required=True)
    fresh = fields.List(fields.String(), required=True)
    stations = fields.Dict(keys=fields.String(), values=fields.Nested(Moves), required=True)


class RecipeWish(Strict):
    name = fields.String(required=True, validate=validate.Length(1, 80))
    slips = fields.List(fields.Nested(Slip), required=True, validate=validate.Length(1, 200))


class Recipe(Schema):
    id = fields.Integer(required=True)
    name = fields.String(required=True)
    slips = fields.List(fields.Nested(Slip), required=True)


class Recipes(Schema):
    recipes = fields.List(fields.Nested(Recipe), required=True)


class Trial(Schema):
    """An inspection that is looked at before its tape is kept."""

    inspection = fields.Integer(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    job = fields.Integer(required=True, allow_none=True)
    run = fields.Nested(Run, required=True, allow_none=True)
    verdict = fields.Nested(Counts, required=True, allow_none=True)
    price = fields.List(fields.Nested(Figure), required=True, metadata={"description": "drawing figures that the mend changes"})
    goes = fields.List(
        fields.String(), required=True, metadata={"description": "findings that are there now and not with the mend"}
    )
    comes = fields.List(
        fields.String(), required=True, metadata={"description": "findings that come with the mend, or get worse"}
    )


class Difference(Schema):
    group = fields.String(required=True)
    what = fields.String(required=True)
    earlier = fields.String(required=True)
    later = fields.String(required=True)
    change = fields.String(required=True)
    part = fields.Integer(required=True, allow_none=True)
    faces = fields.List(fields.Integer(), required=True)


class CompareWish(Strict):
    earlier = fields.Integer(required=True, metadata={"description": "id of the earlier revision"})


class Comparison(Schema):
    earlier = fields.Integer(required=True, metadata={"description": "number of the earlier revision"})
    later = fields.Integer(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    rows = fields.List(fields.Nested(Difference), required=True)
    place = fields.Nested(
        schema_of(InPlace, _NAMES),
        required=True,
        allow_none=True,
        metadata={"description": "whether the later one fits in the earlier one's place"},
    )


class CurveWish(Strict):
    parts = fields.List(fields.String(validate=validate.Length(0, 1000)), load_default=list, validate=validate.Length(0, 20_000))
    again = fields.Boolean(load_default=False, metadata={"description": "try once more where the last try failed or was stopped"})


class Curve(Schema):
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    job = fields.Integer(required=True, allow_none=True)
    points = fields.List(fields.Nested(schema_of(CurvePoint)), required=True)


class LogEntry(Schema):
    what = fields.String(required=True)
    says = fields.String(required=True)
    result = fields.String(required=True)


class ReceiverLog(Schema):
    entries = fields.List(fields.Nested(LogEntry), required=True)


class Side(Schema):
    toward = fields.List(fields.Float(), required=True, metadata={"description": "direction towards the viewer, Y up"})
    share = fields.Float(
        required=True,
        allow_none=True,
        metadata={"description": "of the rays that meet both parts, those that are wrong; null where none does"},
    )
    words = fields.String(required=True)


class Sides(Schema):
    sides = fields.List(fields.Nested(Side), required=True)
    nodes = fields.List(
        fields.Integer(), required=True, metadata={"description": "the two parts; the same twice for pieces of one"}
    )
    right = fields.List(
        fields.List(fields.Float(), validate=validate.Length(equal=2)),
        required=True,
        metadata={"description": "headings from which the order is right, degrees to the right from the front"},
    )
    numbered = fields.List(
        fields.List(fields.Float(), validate=validate.Length(equal=2)),
        required=True,
        allow_none=True,
        metadata={"description": "the same by the numbers that the parts carry; null where they carry none"},
    )


class PullQuery(Strict):
    joint = fields.Integer(required=True, metadata={"description": "its node"})
    x, y, z, w = (fields.Float(required=True, validate=validate.Range(-1, 1)) for _ in range(4))


class Pull(Schema):
    parts = fields.List(fields.Nested(schema_of(PulledPart, _NAMES)), required=True)


class CausesQuery(Strict):
    symptom = fields.String(load_default=None, validate=validate.OneOf([symptom.key for symptom in SYMPTOMS]))
    node = fields.Integer(load_default=None, metadata={"description": "the part that was pointed at"})
    face = fields.Integer(load_default=None, metadata={"description": "the face of it"})


class ReceiverQuery(Strict):
    sheet = fields.String(required=True)


class RevisionRef(Schema):
    id = fields.Integer(required=True)
    number = fields.Integer(required=True)
    created = fields.DateTime(required=True)
    stage = fields.Integer(required=True, allow_none=True, metadata={"description": "inspection whose display copy can be drawn"})


class Picture(Schema):
    inspection = fields.Integer(required=True)
    content = fields.Integer(required=True, metadata={"description": "another number for each picture of one inspection"})
    coarse = fields.Boolean(required=True, metadata={"description": "a first picture, on which nothing can be marked"})


class Bench(Schema):
    model = fields.Integer(required=True)
    name = fields.String(required=True)
    revision = fields.Nested(RevisionRef, required=True)
    revisions = fields.List(fields.Nested(RevisionRef), required=True)
    main = fields.String(required=True)
    file_count = fields.Integer(required=True)
    format = fields.String(required=True)
    unit_metres = fields.Float(required=True, allow_none=True)
    up_axis = fields.String(required=True, allow_none=True)
    sheet = fields.String(required=True)
    intent = fields.Nested(Intent, required=True)
    state = fields.String(
        required=True,
        validate=validate.OneOf([*STATES, "unread"]),
        metadata={"description": "of the inspection that the tape asks for; unread where nobody asked for it yet"},
    )
    error = fields.String(required=True, allow_none=True)
    job = fields.Integer(required=True, allow_none=True)
    reading = fields.Nested(Reading, required=True, allow_none=True)
    picture = fields.Nested(Picture, required=True, allow_none=True)
    stale = fields.Boolean(required=True, metadata={"description": "the reading is of an earlier state of the tape"})
    since = fields.Nested(Since, required=True, allow_none=True)
    by_mends = fields.Nested(ByMends, required=True, allow_none=True)
    tape = fields.List(fields.Nested(TapeSlip), required=True)
    gauges = fields.List(fields.Nested(schema_of(Gauge)), required=True)
    branch = fields.List(
        fields.Nested(Slip),
        required=True,
        metadata={"description": "what this destination alone needs: played where it is exported"},
    )
    version = fields.Integer(required=True, metadata={"description": "of the tape, to be sent with a change to it"})
    can_undo = fields.Boolean(required=True)
    can_redo = fields.Boolean(required=True)
    last_export = fields.Integer(required=True, allow_none=True)
    proved = fields.Boolean(required=True)


class Names(Strict):
    search = fields.String(required=True, validate=validate.Length(1, 200))
    replace = fields.String(load_default="", validate=validate.Length(0, 200))
    pattern = fields.Boolean(load_default=False)


class NameChange(Schema):
    old = fields.String(required=True)
    new = fields.String(required=True)


class NamePreview(Schema):
    changes = fields.List(fields.Nested(NameChange), required=True)


class ExportWish(Strict):
    format = fields.String(required=True)
    branch = fields.Boolean(
        load_default=True, metadata={"description": "with what this destination alone needs beyond the tape, where that was kept"}
    )
    whole = fields.Boolean(
        load_default=False,
        metadata={
            "description": "the package that it came in with what was mended in its place; format and options do not count then"
        },
    )
    options = fields.Dict(
        keys=fields.String(), load_default=dict, metadata={"description": "keys of a sheet's export, for this one export"}
    )


class ProofPlace(Schema):
    part = fields.String(required=True)
    sent = fields.Integer(required=True, allow_none=True)
    read_back = fields.Integer(required=True, allow_none=True)
    total = fields.Integer(required=True)


class ProofRow(Schema):
    group = fields.String(required=True)
    what = fields.String(required=True)
    sent = fields.String(required=True)
    read_back = fields.String(required=True)
    difference = fields.String(required=True)
    result = fields.String(required=True, validate=validate.OneOf(["clear", "caution", "stop"]))
    remark = fields.String(required=True)
    where = fields.String(required=True)
    places = fields.List(fields.Nested(ProofPlace), required=True)


class ProofCounts(Schema):
    stop = fields.Integer(required=True)
    caution = fields.Integer(required=True)
    clear = fields.Integer(required=True)


class Proof(Schema):
    proved = fields.Boolean(required=True)
    verdict = fields.Nested(ProofCounts, required=True)
    rows = fields.List(fields.Nested(ProofRow), required=True)


class ExportFile(Schema):
    path = fields.String(required=True)
    bytes = fields.Integer(required=True)


class AskingWish(Strict):
    format = fields.String(required=True)
    options = fields.Dict(
        keys=fields.String(), load_default=dict, metadata={"description": "keys of a sheet's export, for this one export"}
    )
    variant = fields.String(load_default="current", validate=validate.OneOf(list(VARIANTS)))
    begin = fields.Boolean(
        load_default=False, metadata={"description": "ask where nobody has; without it only an answer of before is told"}
    )


class SendingWish(Strict):
    sheet = fields.String(required=True)
    variant = fields.String(load_default="current", validate=validate.OneOf(list(VARIANTS)))


class GateAnswer(Schema):
    destination = fields.String(required=True)
    accepted = fields.Boolean(required=True)
    lines = fields.List(fields.Nested(schema_of(Line, {Line: "GateLine"})), required=True)


class FileToWrite(Schema):
    path = fields.String(required=True)
    bytes = fields.Integer(required=True)


class Asking(Schema):
    id = fields.Integer(required=True, allow_none=True, metadata={"description": "null where nobody asked yet"})
    state = fields.String(required=True, validate=validate.OneOf(["none", *STATES]))
    error = fields.String(required=True, allow_none=True)
    job = fields.Integer(required=True, allow_none=True)
    answer = fields.Nested(GateAnswer, required=True, allow_none=True)
    files = fields.List(fields.Nested(FileToWrite), required=True)
    picture = fields.Boolean(required=True)


class Sending(Schema):
    id = fields.Integer(required=True)
    sheet = fields.String(required=True)
    variant = fields.String(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    answer = fields.Nested(GateAnswer, required=True, allow_none=True)
    picture = fields.Boolean(required=True, metadata={"description": "whether the destination made a picture of it"})
    created = fields.DateTime(required=True)


class Export(Schema):
    id = fields.Integer(required=True)
    revision = fields.Integer(required=True)
    number = fields.Integer(required=True)
    model = fields.String(required=True)
    format = fields.String(required=True)
    sheet = fields.String(required=True)
    mends = fields.Integer(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    proof = fields.Nested(Proof, required=True, allow_none=True)
    lost = fields.List(fields.String(), required=True)
    files = fields.List(fields.Nested(ExportFile), required=True)
    download = fields.String(required=True, allow_none=True)
    stage = fields.Boolean(required=True, metadata={"description": "whether what was read back can be laid on the stage"})
    options = fields.Dict(required=True)
    created = fields.DateTime(required=True)
    sendings = fields.List(fields.Nested(Sending), required=True, metadata={"description": "the newest first"})


class Job(Schema):
    id = fields.Integer(required=True)
    kind = fields.String(required=True)
    title = fields.String(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    phase = fields.String(required=True)
    share = fields.Float(required=True)
    error = fields.String(required=True, allow_none=True)
    subject = fields.Dict(required=True)
    before = fields.Integer(dump_default=0, metadata={"description": "jobs that are begun before this one, while it waits"})


class Jobs(Schema):
    jobs = fields.List(fields.Nested(Job), required=True)


class Naming(Strict):
    pattern = fields.String(required=True, validate=validate.Length(1, 400))
    start = fields.Integer(load_default=1)
    parts = fields.List(fields.String(), load_default=list)


class WatchWish(Strict):
    path = fields.String(required=True, validate=validate.Length(1, 4096))
    batch = fields.Boolean(load_default=False, metadata={"description": "what is saved there becomes part of one batch"})


class Watch(Schema):
    id = fields.Integer(required=True)
    path = fields.String(required=True)
    models = fields.Integer(required=True)
    error = fields.String(required=True, allow_none=True)
    batch = fields.Integer(required=True, allow_none=True, metadata={"description": "the batch that they become part of"})


class Watches(Schema):
    watches = fields.List(fields.Nested(Watch), required=True)


class DropWish(Strict):
    model = fields.Integer(load_default=None, allow_none=True)


class Drop(Schema):
    id = fields.Integer(required=True)


class DropFileQuery(Strict):
    path = fields.String(required=True, validate=validate.Length(1, 1024))


class StoredFile(Schema):
    path = fields.String(required=True)
    bytes = fields.Integer(required=True)
    sha256 = fields.String(required=True)


class Catalogue(Schema):
    lengths = fields.String(required=True, validate=validate.OneOf(WISHES), metadata={"description": "in which lengths are told"})
    stations = fields.List(fields.Nested(schema_of(StationEntry, _NAMES)), required=True)
    formats = fields.List(fields.Nested(schema_of(FormatEntry, _NAMES)), required=True)
    sheets = fields.List(fields.Nested(schema_of(RuleSheet, _NAMES)), required=True)
    mends = fields.List(fields.Nested(schema_of(MendEntry, _NAMES)), required=True)
    symptoms = fields.List(
        fields.Nested(schema_of(SymptomEntry)), required=True, metadata={"description": "how it can have looked wrong"}
    )
    intent = fields.List(fields.Nested(schema_of(Field)), required=True, metadata={"description": "what can be said of a thing"})
    parts = fields.List(fields.Nested(schema_of(Field)), required=True, metadata={"description": "what can be said of a part"})
    sizes = fields.List(fields.Nested(schema_of(Field)), required=True, metadata={"description": "sizes that can be expected"})


class PackedFile(Schema):
    path = fields.String(required=True)
    bytes = fields.Integer(required=True)
    state = fields.String(required=True, validate=validate.OneOf(["same", "changed", "new", "left-behind"]))


class SentExport(Schema):
    export = fields.Integer(required=True)
    number = fields.Integer(required=True)
    format = fields.String(required=True)
    sheet = fields.String(required=True)
    created = fields.DateTime(required=True)
    proved = fields.Boolean(required=True)
    changed = fields.List(fields.String(), required=True, metadata={"description": "why it is not what would be written now"})
    answered = fields.String(
        required=True, allow_none=True, metadata={"description": "the sheet whose destination answered; null where none did"}
    )
    accepted = fields.Boolean(required=True, allow_none=True)
    files = fields.List(fields.Nested(PackedFile), required=True)


class Handoff(Schema):
    sent = fields.List(
        fields.Nested(SentExport), required=True, metadata={"description": "exports of the model, the newest first"}
    )


class KnownFile(Schema):
    path = fields.String(required=True)
    sha256 = fields.String(required=True)


class EarlierFile(Schema):
    path = fields.String(required=True)
    sha256 = fields.String(required=True)
    number = fields.Integer(required=True, metadata={"description": "of the revision"})


class KnownFiles(Schema):
    files = fields.List(fields.Nested(KnownFile), required=True)
    earlier = fields.List(fields.Nested(EarlierFile), required=True)


class PatternWish(Strict):
    pattern = fields.String(required=True, validate=validate.Length(1, 200))
    of = fields.String(load_default="all", validate=validate.OneOf(["all", "materials"]))


class NamesMet(Schema):
    names = fields.Integer(required=True)
    missed = fields.List(fields.String(), required=True)


class SheetEntry(Schema):
    slug = fields.String(required=True)
    name = fields.String(required=True)
    code = fields.String(required=True)
    version = fields.Integer(required=True)
    inherits = fields.String(required=True, allow_none=True, metadata={"description": "null for a shipped one"})


class Sheets(Schema):
    sheets = fields.List(fields.Nested(SheetEntry), required=True)
    values = fields.List(fields.Nested(schema_of(SheetValue)), required=True)


class SheetBegun(Strict):
    inherits = fields.String(required=True)
    name = fields.String(required=True, validate=validate.Length(1, 80))
    changes = fields.Dict(keys=fields.String(), load_default=dict)
    note = fields.String(load_default="", validate=validate.Length(0, 400))


class SheetExamples(Strict):
    fit = fields.List(fields.Integer(), required=True, metadata={"description": "models that were accepted"})
    unfit = fields.List(fields.Integer(), load_default=list, metadata={"description": "models that were refused"})
    beside = fields.String(required=True, metadata={"description": "the sheet that the draft is laid beside"})


class SheetLine(Schema):
    path = fields.String(required=True)
    title = fields.String(required=True)
    before = fields.String(required=True)
    after = fields.String(required=True)
    models = fields.List(fields.String(), required=True, metadata={"description": "names of those that set it"})
    says = fields.String(required=True)
    sure = fields.String(required=True, validate=validate.OneOf(list(SURE)))
    sure_words = fields.String(required=True)
    changes = fields.Dict(required=True)


class SheetLesson(Schema):
    lines = fields.List(fields.Nested(SheetLine), required=True)
    untold = fields.List(fields.String(), required=True)


class SheetText(Strict):
    text = fields.String(required=True, validate=validate.Length(1, 1 << 20))


class SheetKept(Strict):
    seen = fields.Integer(required=True, metadata={"description": "the version that was edited"})
    changes = fields.Dict(
        keys=fields.String(), required=True, metadata={"description": "all that it says otherwise: a merge patch"}
    )
    note = fields.String(load_default="", validate=validate.Length(0, 400))


class SheetTried(Strict):
    changes = fields.Dict(keys=fields.String(), required=True)
    first = fields.Integer(
        load_default=0, validate=validate.Range(0, 10_000), metadata={"description": "how many models were tried before"}
    )


class SheetVersion(Schema):
    number = fields.Integer(required=True)
    note = fields.String(required=True)
    created = fields.DateTime(required=True)
    changed = fields.List(fields.Nested(schema_of(SheetChange)), required=True)


class ModelReference(Schema):
    model = fields.Integer(required=True)
    name = fields.String(required=True)


class SheetInherited(Schema):
    slug = fields.String(required=True)
    name = fields.String(required=True)


class FallsShort(Schema):
    check = fields.String(required=True)
    result = fields.String(required=True)
    models = fields.Integer(required=True)
    of = fields.Integer(required=True)


class SheetPage(Schema):
    sheet = fields.Nested(schema_of(RuleSheet, _NAMES), required=True)
    inherits = fields.Nested(SheetInherited, required=True, allow_none=True)
    changes = fields.Dict(required=True)
    differs = fields.List(fields.Nested(schema_of(SheetChange)), required=True)
    versions = fields.List(fields.Nested(SheetVersion), required=True)
    used_by = fields.List(fields.Nested(ModelReference), required=True)
    falls_short = fields.List(fields.Nested(FallsShort), required=True)


class SheetModelEffect(Schema):
    model = fields.Integer(required=True)
    name = fields.String(required=True)
    says = fields.List(fields.String(), required=True)


class SheetEffect(Schema):
    of = fields.Integer(required=True, metadata={"description": "how many models are tried in all"})
    next = fields.Integer(required=True, allow_none=True, metadata={"description": "where to go on; null at the end"})
    tried = fields.Integer(required=True, metadata={"description": "how many of these were read and could be tried"})
    changed = fields.List(fields.Nested(SheetModelEffect), required=True)
    differs = fields.List(fields.Nested(schema_of(SheetChange)), required=True)


class LostCandidate(Schema):
    path = fields.String(required=True)
    reason = fields.String(required=True)
    sure = fields.Boolean(required=True, metadata={"description": "whether the mend takes it without being told"})
    own = fields.Boolean(required=True, metadata={"description": "whether it came with the model itself"})
    content = fields.Integer(required=True)


class LostBefore(Schema):
    content = fields.Integer(required=True)
    number = fields.Integer(required=True, metadata={"description": "of the earlier revision that had it"})


class LostImage(Schema):
    reference = fields.String(required=True)
    candidates = fields.List(fields.Nested(LostCandidate), required=True)
    before = fields.Nested(LostBefore, required=True, allow_none=True)


class Looked(Schema):
    state = fields.String(required=True, validate=validate.OneOf(["none", *STATES]))
    error = fields.String(required=True, allow_none=True)


class LostImages(Schema):
    images = fields.List(fields.Nested(LostImage), required=True)
    looked = fields.Nested(Looked, required=True, metadata={"description": "whether images were compared by their look"})
