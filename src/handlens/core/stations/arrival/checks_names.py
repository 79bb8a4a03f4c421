"""Arrival: names."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, Elements, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import seen_from
from ...kit.roles import proposals
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...rules.intent import ROLES
from ...rules.sheet import Names
from ...words.calls import Call
from ...words.patterns import compiled
from .messages import say

Found = Iterator[Finding | Skipped]

#: A bare word for a kind of thing, with or without a number: says nothing about what the part is.
NUMBERED = re.compile(
    r"^(mesh|node|object|part|group|geometry|default|untitled|shape|solid|surface|polygon|cube|box|sphere|cylinder|cone|"
    r"plane|circle|item|model)?[ _.\-]*\d*$",
    re.IGNORECASE,
)


def normalised(name: str, rules: Names) -> str:
    """A name as the destination would keep it: forbidden characters become underscores, cut to length, case folded."""
    text = re.sub(f"[^{rules.allowed}]", "_", name) if rules.allowed else name
    text = text[: rules.longest] if rules.longest else text
    return text if rules.case_matters else text.casefold()


@check("arrival.roles", title="Parts that may not belong to the model", result="note")
def roles(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that seem to be something else than the thing itself: a figure for scale, a stand-in, a coarser level, a shell inside.

    Why: until somebody says what they are, they count towards the size and the budget, and are exported with the model.
    Measured: words in names; parts all of which looks inward inside the box of another. What is said of a part already is not asked again.
    Source: common practice, no published source.
    """
    unsaid = [
        proposal
        for proposal in proposals(measures)
        if intent.of_part(proposal.name).role is None
        and (proposal.role != "inner" or seen_from(intent, proposal.name) in ("outside", "both"))
    ]
    for role in dict.fromkeys(p.role for p in unsaid):
        some = [p for p in unsaid if p.role == role]
        names = ", ".join(p.name for p in some[:3]) + (" …" if len(some) > 3 else "")
        yield Finding(
            say("arrival.roles", parts=len(some), roles=ROLES[role], names=names, because=some[0].because),
            value(len(some), "count"),
            value(0, "count"),
            len(some),
            elements=nodes([p.node for p in some]),
            key=role,
        )


@check("arrival.names-alike", title="Duplicate part names", result="note", mends=("arrival.name-by-pattern",))
def names_alike(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Several parts under exactly the same name.

    Why: scripts, animations and side files that ask for the name get any one of them.
    Measured: names of the nodes that hold meshes.
    Source: common practice, no published source.
    """
    groups: dict[str, list[int]] = {}
    named = {n.index for n in measures.nodes if n.named}
    for part in measures.parts:
        if part.node in named:
            groups.setdefault(part.name, []).append(part.node)
    for name, indices in groups.items():
        if len(indices) > 1:
            yield Finding(
                say("arrival.names-alike", parts=len(indices), name=name),
                value(len(indices), "count"),
                value(1, "count"),
                len(indices),
                name,
                indices[0],
                nodes(indices),
                # The first keeps its name: whoever asks for it gets that one now too.
                (
                    Call(
                        "arrival.name-by-pattern",
                        {"pattern": "{name}_{counter:2}", "start": 2, "parts": [node_key(measures, i) for i in indices[1:]]},
                    ),
                ),
                key=name,
            )


@check("arrival.numbered-names", title="Meaningless names", result="note", mends=("arrival.rename",))
def numbered_names(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Three or more parts, most of them named by a bare word or a number.

    Why: nobody can find a part there, and the next export gives it another number.
    Measured: part names against a list of bare words, with or without a number.
    Source: common practice, no published source.
    """
    plain = [part for part in measures.parts if NUMBERED.match(part.name)]
    if len(measures.parts) >= 3 and len(plain) * 2 > len(measures.parts):
        title = say("arrival.numbered-names", parts=len(plain), all=len(measures.parts), first=plain[0].name)
        yield Finding(title, value(len(plain), "count"), value(0, "count"), len(plain), elements=nodes([p.node for p in plain]))


@check(
    "arrival.name-clash",
    title="Names that collide at the destination",
    result="caution",
    mends=("arrival.rename",),
    explains={"refused": OFTEN},
)
def name_clash(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Different names that become the same once the destination has folded letter case, replaced characters and cut to length.

    Why: one of the two is renamed or overwritten on import, and whatever refers to it finds the other.
    Measured: part and material names, normalised as the rule sheet says.
    Source: common practice, no published source.
    """
    for what, names in (
        ("parts", [part.name for part in measures.parts]),
        ("materials", [x.name for x in measures.materials if x.name]),
    ):
        kept: dict[str, str] = {}
        for name in dict.fromkeys(names):
            short = normalised(name, sheet.names)
            if short in kept:
                title = say("arrival.name-clash", what=what, first=kept[short], second=name)
                both = (kept[short], name)
                where = (
                    nodes([part.node for part in measures.parts if part.name in both])
                    if what == "parts"
                    else Elements(
                        "materials", np.array([k for k, x in enumerate(measures.materials) if x.name in both], np.int32)
                    )
                )
                yield Finding(
                    title, value(f"{kept[short]} / {name}", "text"), value(short, "text"), 2, elements=where, key=f"{what}-{name}"
                )
            else:
                kept[short] = name


@check(
    "arrival.illegal-names",
    title="Names with forbidden characters",
    result="note",
    held_to=(
        "names.allowed",
        "names.longest",
    ),
    mends=("arrival.rename",),
    explains={"refused": BY_ITSELF},
)
def illegal_names(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Names with characters that the destination does not take, or longer than it allows.

    Why: the gate refuses them or replaces the characters, and then names no longer match.
    Measured: part and material names against the rule sheet's characters and length.
    Source: common practice, no published source.
    """
    rules = sheet.names
    if rules.allowed is None and rules.longest is None:
        yield Skipped(say("arrival.illegal-names.any-name", sheet=sheet.name))
        return
    names = dict.fromkeys([part.name for part in measures.parts] + [x.name for x in measures.materials if x.name])
    allowed = compiled(f"[{rules.allowed}]*", sheet.name) if rules.allowed else None
    bad = [n for n in names if (allowed and not allowed.fullmatch(n)) or (rules.longest and len(n) > rules.longest)]
    if bad:
        wanted = " and ".join(
            filter(
                None,
                [
                    f"characters {rules.allowed}" if rules.allowed else "",
                    f"at most {rules.longest} long" if rules.longest else "",
                ],
            )
        )
        wrong = set(bad)
        wrongly_named = [part.node for part in measures.parts if part.name in wrong]
        yield Finding(
            say("arrival.illegal-names", names=len(bad), first=bad[0]),
            value(bad[0], "text"),
            value(wanted, "text"),
            len(bad),
            elements=nodes(wrongly_named) if wrongly_named else None,
        )


@check("arrival.joint-prefix", title="A prefix on every joint", result="note", mends=("arrival.rename",))
def joint_prefix(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """All joints of a skin carry the same prefix before a colon.

    Why: animations made for the bare names do not find their joints.
    Measured: names of the joints of each skin.
    Source: common practice, no published source.
    """
    for k, skin in enumerate(measures.skins):
        heads = {name.rpartition(":")[0] for name in skin.joint_names}
        if len(skin.joint_names) > 1 and len(heads) == 1 and "" not in heads:
            prefix = heads.pop() + ":"
            yield Finding(
                say("arrival.joint-prefix", joints=len(skin.joint_names), prefix=prefix),
                value(prefix, "text"),
                value("no prefix", "text"),
                len(skin.joint_names),
                elements=nodes(skin.joints),
                mends=(Call("arrival.rename", {"search": prefix, "replace": ""}),),
                key=f"skin-{k}",
            )
