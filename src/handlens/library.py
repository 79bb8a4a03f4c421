"""Hand Lens as a library: open, judge, mend, write, prove.

    from handlens.library import open_model

    model = open_model("crab_pot.glb")
    for finding in model.judge("creator-platform-strict").findings:
        print(finding.result, finding.title, finding.measured)
    written = model.mend("size.scale", factor=0.01).write("glb")
    assert written.prove().proved
    written.save("out")

Errors that a user can mend are `InputError` and `MendError`, each one sentence. Files from outside are parsed in this process, or in a
child of it where a native library does the work: for files that nobody trusts, run it in a process that has nothing to lose.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from .core.declare.check import Elements, Finding
from .core.declare.mend import Figure
from .core.judge import Judgement, judge
from .core.limits import InputError, MendError
from .core.measures import Measures
from .core.offers.way import Wish, find_way, read_rules, recipe
from .core.offers.way.records import Way
from .core.packages import FolderPackage
from .core.pipeline.inspecting import inspect
from .core.pipeline.opening import open_scene
from .core.pipeline.saving import Outputs
from .core.pipeline.writing import Written as Made
from .core.pipeline.writing import write_as
from .core.proof import Proof
from .core.route.measuring import measure
from .core.route.tape import apply_as_promised
from .core.rules import Intent, RuleSheet, load_sheet
from .core.rules.intent import intent_from_json
from .core.scene import Scene

__all__ = [
    "Elements",
    "Figure",
    "Finding",
    "InputError",
    "Intent",
    "Judgement",
    "Measures",
    "MendError",
    "Model",
    "Proof",
    "RuleSheet",
    "Scene",
    "Way",
    "Written",
    "intent_from_json",
    "load_sheet",
    "open_model",
]


def open_model(path: str | Path, search: Sequence[str] = ()) -> Model:
    """The main model of a file, a folder or a zip. search: folders to look in for references that lead nowhere. Raises InputError."""
    _, main, scene = open_scene(path, search)
    return Model(scene, Path(main).stem)


@dataclass(frozen=True)
class Model:
    """A model at one moment; mending it makes another. stem: name for files without an ending. figures: what mends did so far."""

    scene: Scene
    stem: str
    figures: tuple[Figure, ...] = ()
    remarks: tuple[str, ...] = field(default=())

    @cached_property
    def measures(self) -> Measures:
        """Everything that checks look at; measured once."""
        return measure(self.scene)

    def judge(self, sheet: str | RuleSheet | None = None, intent: Intent | None = None, *, try_offers: bool = False) -> Judgement:
        """Findings by a rule sheet and an intent. sheet: its slug, its name, a file or the sheet itself; the first shipped one by default.

        try_offers: play every mend that is offered on a copy first, so that only those stay that take their finding away and
        bring no other; that takes as long as measuring does, some times over. Raises InputError for a sheet that there is not.
        """
        rules = sheet if isinstance(sheet, RuleSheet) else load_sheet(sheet)
        meant = intent or Intent()
        measures = inspect(self.scene, [rules], meant, trying="all").measures if try_offers else self.measures
        return judge(measures, rules, meant)

    def mend(self, id: str, **params: Any) -> Model:
        """The model with a mend applied. Raises InputError for a wrong call and MendError where the mend does not apply
        or would break what it promises to keep."""
        made, _ = apply_as_promised(self.scene, id, params)
        return replace(
            self, scene=made.scene, figures=(*self.figures, *made.all_figures()), remarks=(*self.remarks, *made.remarks)
        )

    def way(
        self,
        *sheets: str | RuleSheet,
        intent: Intent | None = None,
        goal: str = "caution",
        rules: Mapping[str, str] | None = None,
        look: bool = True,
    ) -> Way:
        """The way to Fit for one destination or several: which mends, in which order, what they cost, and what is left for a person.

        sheets: as for `judge`. goal: from which result on findings are mended. rules: by check the mend that is preferred where there is
        a choice. look: whether it is drawn from twelve sides before and after. `played` plays it. Raises InputError.
        """
        known = [sheet if isinstance(sheet, RuleSheet) else load_sheet(sheet) for sheet in sheets or (None,)]
        wish = Wish(goal, read_rules(rules or {}), look=look)
        return find_way(self.scene, known, intent or Intent(), wish).way

    def played(self, way: Way, sheet: str | None = None) -> Model:
        """The model with the mends of a way applied, and those of the branch of a sheet where its slug is named."""
        model = self
        for call in recipe(way, sheet):
            model = model.mend(call.mend, **call.params)
        return model

    def write(self, format_name: str, sheet: str | RuleSheet | None = None, intent: Intent | None = None) -> Written:
        """The model in a format, as a rule sheet's destination wants it, without what the intent calls aside. Nothing is stored yet.
        Raises InputError."""
        rules = sheet if isinstance(sheet, RuleSheet) else load_sheet(sheet)
        return Written(write_as(self.scene, format_name, self.stem, rules.writes, rules.meant(intent or Intent())))


@dataclass(frozen=True)
class Written:
    """Files of a model in memory."""

    made: Made

    @property
    def files(self) -> Mapping[str, bytes]:
        """Bytes by relative path, the main file first."""
        return self.made.files

    @property
    def lost(self) -> list[str]:
        """One sentence for each thing that the format cannot hold, or that is written otherwise."""
        return self.made.lost

    def save(self, folder: str | Path) -> list[Path]:
        """Write the files below a folder, which is made where it is not there. Files of their names are replaced, each whole or not
        at all. Raises InputError.
        """
        placed = {Path(folder) / path: data for path, data in self.files.items()}
        Outputs(replace=True).write(placed)
        return list(placed)

    def prove(self) -> Proof:
        """Open the files afresh and compare them with what was written, in every aspect that a scene has. Raises InputError."""
        with tempfile.TemporaryDirectory(prefix="handlens-") as folder:
            self.save(folder)
            return self.made.proof(FolderPackage(Path(folder)), next(iter(self.files)))
