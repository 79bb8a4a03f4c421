"""Rule sheets: reading them, a team's own with their versions, what an edit would change, and bringing one in."""

from __future__ import annotations

import json
from typing import Any

import msgspec
from flask import Response
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ..core.declare.check import OURS, origin_of
from ..core.limits import InputError
from ..core.measures import Measures
from ..core.pipeline.learning import SURE, Example, as_changes, learn
from ..core.present.report import with_waivers
from ..core.present.sheet_page import sheet_changes, sheet_values
from ..core.route.stations import all_checks
from ..core.rules import RuleSheet, shipped
from ..core.rules.inherited import OWN, changes_between, with_changes
from ..core.rules.sheet import sheet_from_json
from ..store import sheets as store
from ..store import shelf
from ..store.database import session
from ..store.models import Inspection, Model, OwnSheet
from . import schemas
from .find import refuse, row

blueprint = Blueprint("sheets", __name__, url_prefix="/api/sheets", description="Rule sheets")
#: Models that an edit is tried on: those that were touched last.
_TRIED = 60
#: Models that one request tries an edit on.
_AT_ONCE = 5


@blueprint.route("")
class Sheets(MethodView):
    @blueprint.response(200, schemas.Sheets)
    def get(self) -> dict[str, Any]:
        """All sheets, and every value that one may have."""
        with session() as db:
            own = {row.slug: row.inherits for row in db.scalars(select(OwnSheet))}
            listed = [
                {"slug": x.slug, "name": x.name, "code": x.code, "version": x.version, "inherits": own.get(x.slug)}
                for x in store.all_sheets(db)
            ]
        return {"sheets": listed, "values": sheet_values()}

    @blueprint.arguments(schemas.SheetBegun)
    @blueprint.response(201, schemas.SheetPage)
    def post(self, wish: dict[str, Any]) -> dict[str, Any]:
        """A sheet of one's own that begins from a shipped one, with some of its values otherwise."""
        with session() as db:
            return _page(db, store.begin(db, wish["inherits"], _named(wish["name"]), wish["changes"], wish["note"]).slug)


@blueprint.post("/bring-in")
@blueprint.arguments(schemas.SheetText)
@blueprint.response(201, schemas.SheetPage)
def bring_in(wish: dict[str, Any]) -> dict[str, Any]:
    """A sheet from its JSON: it is kept as what it says otherwise than the shipped sheet that is nearest to it."""
    sheet = sheet_from_json(wish["text"], "The rule sheet")
    base = min(shipped(), key=lambda one: len(sheet_changes(one, sheet)))
    with session() as db:
        taken = {x.name.casefold() for x in store.all_sheets(db)}
        name = next(
            x for k in range(1, len(taken) + 3) if (x := sheet.name if k == 1 else f"{sheet.name} {k}").casefold() not in taken
        )
        return _page(db, store.begin(db, base.slug, name, changes_between(base, sheet), "Brought in").slug)


@blueprint.post("/learn")
@blueprint.arguments(schemas.SheetExamples)
@blueprint.response(200, schemas.SheetLesson)
def learn_from(wish: dict[str, Any]) -> dict[str, Any]:
    """What models of the shelf that were accepted, and some that were refused, imply; nothing of it is kept."""
    if any(origin_of(declared.run) != OURS for declared in all_checks()):
        # The house's code runs in no process that serves pages; on the command line it is locked in.
        refuse(409, "With house checks a sheet is learnt on the command line: `handlens learn-sheet`.")
    if not wish["fit"]:
        refuse(422, "A sheet is learnt from accepted models: choose at least one.")
    if len(wish["fit"]) + len(wish["unfit"]) > _TRIED:
        refuse(422, f"At most {_TRIED} models are learnt from at once; choose fewer.")
    with session() as db:
        beside = _there(db, wish["beside"])
        fit, unfit = ([_example(db, number) for number in wish[which]] for which in ("fit", "unfit"))
    lesson = learn(fit, unfit, beside)
    values = {value.path: value.field for value in sheet_values()}
    checks = {declared.id: declared.title for declared in all_checks()}
    lines = []
    for line in lesson.lines:
        field = values.get(line.path)
        title = field.title if field is not None else checks.get(line.path.removeprefix("results."), line.path)
        change = sheet_changes(beside, with_changes(beside, as_changes([line]), "The line"))
        words = next(((x.before, x.after) for x in change if x.path == line.path), ("", ""))
        lines.append(
            {
                "path": line.path,
                "title": title,
                "before": words[0],
                "after": words[1],
                "models": line.models,
                "says": line.says,
                "sure": line.sure,
                "sure_words": SURE[line.sure],
                "changes": as_changes([line]),
            }
        )
    return {"lines": lines, "untold": lesson.untold}


def _example(db: Session, number: int) -> Example:
    """A model of the shelf as it came."""
    model = row(db, Model, number, "model")
    revision = model.revisions[-1] if model.revisions else None
    bare = None if revision is None else shelf.inspection_of(db, revision, [])
    if revision is None or bare is None or bare.state != "done" or bare.measures is None:
        refuse(409, f"{model.name} is still being read, or cannot be read; leave it out.")
    ending = revision.main.rpartition(".")[2].lower()
    return Example(model.name, Measures.from_bytes(bare.measures), shelf.intent_of(model), ending)


@blueprint.route("/<slug>")
class OneSheet(MethodView):
    @blueprint.response(200, schemas.SheetPage)
    def get(self, slug: str) -> dict[str, Any]:
        """One sheet with its versions, who uses it, and where the shelf falls short of it."""
        with session() as db:
            return _page(db, slug)

    @blueprint.arguments(schemas.SheetKept)
    @blueprint.response(200, schemas.SheetPage)
    def put(self, wish: dict[str, Any], slug: str) -> dict[str, Any]:
        """Keep a new version of a sheet of one's own."""
        with session() as db:
            version = store.keep(db, _own(db, slug), wish["seen"], wish["changes"], wish["note"])
            if version is None:
                refuse(409, "Another version was kept meanwhile, in another window or by someone else. Look at it as it is now.")
            return _page(db, slug)

    @blueprint.response(204)
    def delete(self, slug: str) -> None:
        """Take a sheet of one's own away; models that were held against it are held against the one that it inherits from."""
        with session() as db:
            store.delete(db, _own(db, slug))


@blueprint.get("/<slug>/file")
@blueprint.response(200)
def file(slug: str) -> Response:
    """The whole sheet as JSON, to be handed on."""
    with session() as db:
        sheet = _there(db, slug)
    text = json.dumps(msgspec.to_builtins(sheet), indent=2, ensure_ascii=False) + "\n"
    answer = Response(text, mimetype="application/json")
    answer.headers["Content-Disposition"] = f"attachment; filename={slug}.json"
    return answer


@blueprint.post("/<slug>/try")
@blueprint.arguments(schemas.SheetTried)
@blueprint.response(200, schemas.SheetEffect)
def try_edit(wish: dict[str, Any], slug: str) -> dict[str, Any]:
    """What an edit would change on the shelf, before it is kept: a few models at a time, so that whoever waits sees how far it is and can
    stop. Of many models those that were touched last are tried."""
    with session() as db:
        sheet = _there(db, slug)
        own = store.own_of(db, slug)
        base = next(x for x in shipped() if x.slug == (own.inherits if own else slug))
        edited = with_changes(
            base, {"name": sheet.name, "code": sheet.code, **wish["changes"], "slug": slug, "version": sheet.version}, "The edit"
        )
        of = min(db.scalar(select(func.count(Model.id)).where(Model.taken_off.is_(None))) or 0, _TRIED)
        some = (
            select(Model)
            .where(Model.taken_off.is_(None))
            .order_by(Model.touched.desc(), Model.id)
            .offset(wish["first"])
            .limit(min(_AT_ONCE, of - wish["first"]))
        )
        models = list(db.scalars(some)) if wish["first"] < of else []
        changed = []
        tried = 0
        for model in models:
            done = _read(db, model)
            if done is None:
                continue
            tried += 1
            intent, reasons = shelf.intent_of(model), shelf.reasons_of(model)
            before = with_waivers(shelf.judgement(db, done, sheet, intent).report, reasons)["findings"]
            after = with_waivers(shelf.judged_now(done, edited, intent).report, reasons)["findings"]
            words = _differences(before, after)
            if words:
                changed.append({"model": model.id, "name": model.name, "says": words})
    return {
        "of": of,
        "next": wish["first"] + _AT_ONCE if wish["first"] + _AT_ONCE < of else None,
        "tried": tried,
        "changed": changed,
        "differs": sheet_changes(sheet, edited),
    }


def _differences(before: list[dict[str, Any]], after: list[dict[str, Any]]) -> list[str]:
    """What findings come, go, or are another result, in words."""
    one = {f["id"]: f for f in before if f["waived"] is None}
    other = {f["id"]: f for f in after if f["waived"] is None}
    out = [f"{f['result']} gone: {f['title']}" for id, f in one.items() if id not in other]
    out += [f"new {f['result']}: {f['title']}" for id, f in other.items() if id not in one]
    out += [
        f"{f['result']} becomes {other[id]['result']}: {f['title']}"
        for id, f in one.items()
        if id in other and other[id]["result"] != f["result"]
    ]
    return out


def _read(db: Session, model: Model) -> Inspection | None:
    """The newest reading of a model as its tape stands."""
    revision = model.revisions[-1] if model.revisions else None
    if revision is None:
        return None
    wanted = shelf.inspection_of(db, revision, shelf.slips_of(db, revision))
    return wanted if wanted is not None and wanted.state == "done" else shelf.latest_done(db, revision)


def _page(db: Session, slug: str) -> dict[str, Any]:
    sheet, own = _there(db, slug), store.own_of(db, slug)
    base = next((x for x in shipped() if x.slug == own.inherits), None) if own is not None else None
    return {
        "sheet": sheet,
        "inherits": None if base is None else {"slug": base.slug, "name": base.name},
        "changes": {} if own is None else {k: v for k, v in own.versions[-1].changes.items() if k not in ("name", "code")},
        "differs": [] if base is None else [x for x in sheet_changes(base, sheet) if x.path not in OWN],
        "versions": [] if own is None else _versions(own),
        "used_by": [{"model": number, "name": name} for number, name in store.used_by(db, slug)],
        "falls_short": _falls_short(db, sheet),
    }


def _versions(own: OwnSheet) -> list[dict[str, Any]]:
    """The versions of a sheet, the newest first, each with what it changed."""
    out = []
    base = next((x for x in shipped() if x.slug == own.inherits), shipped()[0])
    last: RuleSheet = base
    for version in own.versions:
        try:
            sheet = store.read_version(own, version.number)
        except InputError as error:
            out.append({"number": version.number, "note": str(error), "created": version.created, "changed": []})
            continue
        changed = [x for x in sheet_changes(last, sheet) if version.number > 1 or x.path not in OWN]
        out.append({"number": version.number, "note": version.note, "created": version.created, "changed": changed})
        last = sheet
    return out[::-1]


def _falls_short(db: Session, sheet: RuleSheet) -> list[dict[str, Any]]:
    """How many models on the shelf each check stops or warns of under a sheet, by what was judged already."""
    found: dict[str, dict[str, Any]] = {}
    of = 0
    for model in db.scalars(select(Model).where(Model.taken_off.is_(None)).order_by(Model.touched.desc()).limit(_TRIED)):
        done = _read(db, model)
        kept = None if done is None else shelf.judged_before(db, done, sheet, shelf.intent_of(model))
        if kept is None:
            continue
        of += 1
        reasons = shelf.reasons_of(model)
        worst: dict[str, str] = {}
        for finding in with_waivers(kept.report, reasons)["findings"]:
            if finding["waived"] is None and finding["result"] in ("stop", "caution"):
                worst[finding["check"]] = "stop" if finding["result"] == "stop" else worst.get(finding["check"], "caution")
        for check, result in worst.items():
            entry = found.setdefault(check, {"check": check, "result": result, "models": 0})
            entry["models"] += 1
            if result == "stop":
                entry["result"] = "stop"
    rows = sorted(found.values(), key=lambda entry: (entry["result"] != "stop", -entry["models"], entry["check"]))
    return [{**entry, "of": of} for entry in rows]


def _there(db: Session, slug: str) -> RuleSheet:
    sheet = next((x for x in store.all_sheets(db) if x.slug == slug), None)
    if sheet is None:
        refuse(404, f"There is no rule sheet {slug}.")
    return sheet


def _own(db: Session, slug: str) -> OwnSheet:
    own = store.own_of(db, slug)
    if own is None:
        _there(db, slug)
        refuse(409, "A shipped sheet stays as it is; begin a sheet of your own from it.")
    return own


def _named(name: str) -> str:
    if not name.strip():
        refuse(422, "A rule sheet needs a name.")
    return name.strip()
