"""The node tree as the Bench shows it: each node with its transform, what it carries, and what is said of it."""

from __future__ import annotations

from collections import Counter

import msgspec

from ..declare.check import node_key
from ..kit.roles import in_intended_unit, proposals, with_declared_roles
from ..measures import Measures
from ..rules import Intent

#: Nodes that are listed; the answer says how many there are.
MOST_NODES = 20_000


class TreeNode(msgspec.Struct, frozen=True):
    """One node, parents before what hangs on them. key: as mends name it. parent: -1 for none. depth: nodes above it.

    place: of its origin, in metres. scale: its own, angle: degrees of its own turn. mesh: number of the mesh that it shows, slots: names of
    that one's materials. role, seen_from: what is said of the part. proposed: a role that it may have, because of what.
    named: whether it has a name of its own. tags: layers and tags that its source gave it.
    """

    node: int
    key: str
    name: str
    parent: int
    depth: int
    kind: str
    place: list[float]
    scale: list[float]
    angle: float
    mirrored: bool
    hidden: bool
    joint: bool
    driven: bool
    mesh: int | None
    triangles: int
    slots: list[str]
    skinned: bool
    role: str | None
    seen_from: str | None
    proposed: str | None
    because: str
    named: bool
    tags: list[str]


class Tree(msgspec.Struct, frozen=True):
    """total: nodes in all, of which `nodes` may be the first. materials, clips: names by which mends know them, all that have one."""

    total: int
    nodes: list[TreeNode]
    materials: list[str]
    clips: list[str]


def tree(measures: Measures, intent: Intent) -> Tree:
    """The nodes of the default scene, in the order of the tree."""
    intent = with_declared_roles(intent, measures)
    measures = in_intended_unit(measures, intent)
    parts = {part.node: part for part in measures.parts}
    unit = measures.unit_metres or 1.0
    may_be = {proposal.node: proposal for proposal in proposals(measures)}
    depth: Counter[int] = Counter()
    out = []
    for n in measures.nodes[:MOST_NODES]:
        depth[n.index] = depth[n.parent] + 1 if n.parent >= 0 else 0
        part = parts.get(n.index)
        mesh = None if part is None else measures.meshes[part.mesh]
        said = intent.of_part(n.name)
        proposal = may_be.get(n.index)
        out.append(
            TreeNode(
                n.index,
                node_key(measures, n.index),
                n.name,
                n.parent,
                depth[n.index],
                n.kind,
                [x * unit for x in n.place],
                n.scale,
                n.angle,
                n.mirrored,
                n.hidden,
                n.is_joint,
                n.driven,
                None if part is None else part.mesh,
                0 if mesh is None else mesh.triangles,
                [] if mesh is None else [measures.materials[k].name if k >= 0 else "" for k in mesh.slot_materials],
                part is not None and part.skinned,
                said.role,
                said.seen_from,
                None if proposal is None or said.role else proposal.role,
                "" if proposal is None else proposal.because,
                n.named,
                n.tags,
            )
        )
    # Mends name materials: one without a name cannot be chosen.
    materials = list(dict.fromkeys(material.name for material in measures.materials if material.name))
    shared = Counter(clip.name for clip in measures.clips)
    # By its number where a name does not tell a clip from the others.
    clips = [clip.name if clip.name and shared[clip.name] == 1 else f"#{k}" for k, clip in enumerate(measures.clips)]
    return Tree(len(measures.nodes), out, materials, clips)
