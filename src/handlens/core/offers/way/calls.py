"""Calls of mends compared, put together and placed in order."""

from __future__ import annotations

from collections.abc import Sequence

from ...route.stations import find_mend, mends_by_id
from ...words.calls import Call, call_text

#: Parameters by which a call is kept to some things.
ABOUT = ("parts", "materials")


def kind(call: Call) -> str:
    """What a call does, whatever it is kept to."""
    return call_text(call.mend, {k: v for k, v in call.params.items() if k not in ABOUT})


def merged(calls: Sequence[Call]) -> Call:
    """Calls of one kind as one, for all that each is kept to. One that is kept to nothing is for all."""
    params = dict(calls[0].params)
    for name in ABOUT:
        if any(name not in call.params for call in calls):
            params.pop(name, None)
            continue
        params[name] = list(dict.fromkeys(x for call in calls for x in find_mend(call.mend).read(call.params)[name]))
    return Call(calls[0].mend, params)


def about(call: Call) -> list[str]:
    """What a call is kept to."""
    values = find_mend(call.mend).read(call.params)
    return [str(x) for name in ABOUT if name in call.params for x in values[name]]


def depth(mend: str, below: frozenset[str] = frozenset()) -> int:
    """How many mends one rests on, one on the other, at most."""
    declared = mends_by_id().get(mend)
    rests_on = () if declared is None or mend in below else declared.after
    return max((1 + depth(other, below | {mend}) for other in rests_on), default=0)


def title(call: Call) -> str:
    """What a call will do to what, as a button says it."""
    return find_mend(call.mend).says_of(call.params)
