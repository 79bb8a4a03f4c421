"""What a mend is, and what it makes of a scene."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from string import Formatter
from typing import Any, Literal

from ..limits import InputError
from ..measures.draw_cost import DrawCost
from ..scene import Scene
from ..words.calls import Params, split_names
from ..words.figures import plain
from ..words.lengths import read_length
from .messages import say
from .promises import Promise

#: What a mend makes anew.
Touches = Literal["meshes", "images", "neither"]
#: Where a mend has a button of its own: on its station, for the nodes picked in the tree, or for ticked rows of every station's tables.
Menu = Literal["station", "tree", "tables", "faces"]


def as_share(text: str) -> float | None:
    """A share from 0 to 1 of "50%", "50" or "0.5": no share is more than the whole, so that a number over 1 is one of per cent. None for
    anything else."""
    bare = text.strip()
    percent = bare.endswith("%")
    try:
        number = float(bare.removesuffix("%"))
    except ValueError:
        return None
    found = number / 100 if percent or number > 1 else number
    return found if 0 <= found <= 1 else None


#: How many of what a parameter counts make a metre, by how its name ends.
_LENGTHS = {"_mm": 1000.0, "_m": 1.0}


@dataclass(frozen=True)
class Parameter:
    """One parameter: name, kind, what it means, choices, default (None: required).

    Kinds: number, share, text, choice, flag, parts, names; and of things that are pointed at: faces (as in 0-11;40), face and vertex (a number),
    rim (a vertex of a face, or 4-7:0.5 for a place on a side), material (its name), colour (as in #B8A88A).

    kind "share" takes a part of a whole as "50%", 50 or 0.5, and gives it as 0.5.

    kind "parts" takes the keys of nodes as findings name them, as a list or as one text with semicolons between (one that is part
    of a name is written \\;); no key at all means the whole model. Kind "names" takes names of other things in the same way.
    """

    name: str
    kind: str
    says: str
    choices: tuple[str, ...] = ()
    default: Any = None
    #: Whether a number may be 0: a factor or a distance may not.
    zero: bool = True

    def read(self, raw: Any, mend: str) -> Any:
        """The value in its own type. Raises InputError with one sentence."""
        if self.kind in ("number", "face", "vertex"):
            # A length may be said with its units, whatever the parameter counts in.
            scale = next((k for ending, k in _LENGTHS.items() if self.name.endswith(ending)), None)
            if scale is not None and isinstance(raw, str) and (said := read_length(raw)) is not None:
                raw = said * scale
            try:
                number = float(raw)
            except (TypeError, ValueError):
                raise InputError(say("parameter.no-number", mend=mend, name=self.name, raw=raw)) from None
            if not abs(number) < 1e12:
                raise InputError(say("parameter.not-finite", mend=mend, name=self.name, raw=raw))
            if number == 0 and not self.zero:
                raise InputError(say("parameter.zero", mend=mend, name=self.name))
            return number
        if self.kind == "share":
            found = as_share(str(raw))
            if found is None:
                raise InputError(say("parameter.no-share", mend=mend, name=self.name, raw=raw))
            return found
        if self.kind == "flag":
            if str(raw).lower() not in ("true", "false", "yes", "no", "1", "0"):
                raise InputError(say("parameter.no-truth", mend=mend, name=self.name, raw=raw))
            return str(raw).lower() in ("true", "yes", "1")
        if self.kind == "choice":
            match = next((choice for choice in self.choices if choice.casefold() == str(raw).casefold()), None)
            if match is None:
                raise InputError(say("parameter.no-choice", mend=mend, name=self.name, choices=", ".join(self.choices), raw=raw))
            return match
        if self.kind in ("parts", "names"):
            listed = raw if isinstance(raw, list | tuple) else split_names(str(raw))
            return list(dict.fromkeys(str(x) for x in listed if str(x)))
        return str(raw)


@dataclass(frozen=True)
class Figure:
    """One before → after figure, already in words."""

    what: str
    before: str
    after: str


@dataclass(frozen=True)
class Outcome:
    """What a mend did: the new scene, its figures, and sentences on what it could not do or had to pay."""

    scene: Scene
    figures: tuple[Figure, ...]
    remarks: tuple[str, ...] = ()
    #: Further figures, which take their time: worked out only where somebody reads them, and not for an offer that is tried.
    price: Callable[[], tuple[Figure, ...]] | None = None

    def all_figures(self) -> tuple[Figure, ...]:
        """All figures."""
        return self.figures if self.price is None else (*self.figures, *self.price())


@dataclass(frozen=True)
class Mend:
    id: str
    title: str
    says: str
    keeps: str
    costs: str
    safe: bool
    parameters: tuple[Parameter, ...]
    run: Callable[..., Outcome]
    #: Mends on whose ground it rests: where one of them is wanted too, it is played first, or this one does not hold.
    after: tuple[str, ...] = ()
    #: What of `keeps` is measured each time it is played on a tape; None where it is all in what it does not touch.
    promise: Promise | None = None
    #: What it makes anew, which is what playing it costs: meshes, images (painted pixel by pixel), or neither.
    touches: Touches = "meshes"
    #: What it costs to play beside, for each triangle of the model, in triangles that are measured anew.
    work_per_triangle: float = 0.0
    #: Where it has a button of its own, beside being offered by findings and listed among all mends, and what that says.
    #: A button that ends in "…" asks for the parameters first.
    menu: tuple[Menu, str] | None = None
    #: What a button says that knows the parameters, each in braces by its name: what will happen to what. Where one of them is not
    #: given, or empty, it is the title.
    button: str = ""
    #: Checks whose findings are part of what it costs: that they come is no reason not to offer it.
    leaves: tuple[str, ...] = ()

    def says_of(self, params: Params) -> str:
        """What it will do to what: as its button says, or by its title, and to which parts."""
        listed = lambda value: ", ".join(map(str, value[:2])) + (" …" if len(value) > 2 else "")
        words = {
            name: listed(value) if isinstance(value, list | tuple) else plain(value) if isinstance(value, float) else str(value)
            for name, value in params.items()
        }
        known = {name for _, name, *_ in Formatter().parse(self.button) if name}
        text = self.button.format(**words) if self.button and all(words.get(name) for name in known) else self.title
        named: Any = params.get("parts") or []
        parts: list[str] = split_names(named) if isinstance(named, str) else list(named)
        whose = f", {parts[0]}" if len(parts) == 1 else f", {len(parts)} parts" if parts else ""
        return text if "parts" in known else text + whose

    def read(self, params: Params) -> Params:
        """Check and convert parameters. Raises InputError."""
        known = {parameter.name: parameter for parameter in self.parameters}
        for name in params:
            if name not in known:
                raise InputError(say("parameter.no-such-parameter", id=self.id, name=name, known=", ".join(known) or "none"))
        out = {}
        for parameter in self.parameters:
            if parameter.name in params:
                out[parameter.name] = parameter.read(params[parameter.name], self.id)
            elif parameter.default is None:
                raise InputError(say("parameter.missing", id=self.id, name=parameter.name))
            else:
                out[parameter.name] = parameter.default
        return out


@dataclass(frozen=True)
class MendRun:
    """One slip of the tape after it was played: applied, or not with the reason."""

    mend: str
    params: dict[str, Any]
    applied: bool
    figures: tuple[Figure, ...] = ()
    remarks: tuple[str, ...] = ()
    because: str | None = None
    #: The slip before which it would have applied where it did not, or before which it would hold better where it did, as a position
    #: among those that were played.
    before: int | None = None
    #: What it promises to keep and was measured to have kept, each in a sentence.
    kept: tuple[str, ...] = ()
    #: What the scene cost to draw before it and after it; None where it did not apply.
    draw_cost: tuple[DrawCost, DrawCost] | None = None


def mend(
    id: str,
    *,
    title: str,
    keeps: str,
    costs: str,
    safe: bool,
    parameters: Sequence[Parameter] = (),
    after: tuple[str, ...] = (),
    promise: Promise | None = None,
    touches: Touches = "meshes",
    work_per_triangle: float = 0.0,
    menu: tuple[Menu, str] | None = None,
    button: str = "",
    leaves: tuple[str, ...] = (),
) -> Callable[[Callable[..., Outcome]], Mend]:
    """Make a mend of a function; the first paragraph of its docstring says what it does. The parameters are those of `Mend`."""

    def declare(run: Callable[..., Outcome]) -> Mend:
        says = " ".join((run.__doc__ or "").split("\n\n")[0].split())
        return Mend(
            id,
            title,
            says,
            keeps,
            costs,
            safe,
            tuple(parameters),
            run,
            after,
            promise,
            touches,
            work_per_triangle,
            menu,
            button,
            leaves,
        )

    return declare
