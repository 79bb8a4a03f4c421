"""What is done for lanterns."""

from __future__ import annotations

from dataclasses import replace

from handlens.core.declare.mend import Figure, Outcome, mend
from handlens.core.scene import Scene


@mend("lanterns.number", title="Number the lanterns", keeps="all but the names", costs="nothing", safe=True)
def number(scene: Scene) -> Outcome:
    """Gives every lantern without a number one of its own."""
    named = [i for i, n in enumerate(scene.nodes) if n.name == "lantern"]
    new = {i: f"lantern {k}" for k, i in enumerate(named, 1)}
    nodes = tuple(replace(n, name=new.get(i, n.name)) for i, n in enumerate(scene.nodes))
    return Outcome(scene.with_(nodes=nodes), (Figure("lanterns without a number", f"{len(named)}", "0"),))
