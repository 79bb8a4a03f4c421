"""What Placement says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "placement.scale.any": "{sheet} takes any node scale",
        "placement.scale": "{nodes:# node is|nodes are} scaled: {names}",
        "placement.uneven-scale": "{nodes:# node is|nodes are} scaled unevenly: {names}",
        "placement.mirrored": "{nodes:# node is|nodes are} mirrored: {names}",
        "placement.rotation.any": "{sheet} takes any node rotation",
        "placement.rotation": "{nodes:# node is|nodes are} turned: {names}",
        "placement.collapsed": "{collapsed:,} of {parts:# part} {collapsed:is|are} scaled to {flat:?no thickness|nothing}: {names}",
        "placement.inverse-pair": "{group} × {scale:plain} is undone by {node} × {inverse:plain}",
        "placement.shear": "{parts:# part is|parts are} sheared: {names}",
        "placement.far": "{where}, where positions jump by {step:metres}{more}",
        "placement.ground.not-asked": "{sheet} does not ask for it, and the intent does not say that it stands on its base",
        "placement.ground.hangs": "the intent says that it does not stand on its base",
        "placement.ground": "Its lowest point is {distance:metres} {side} the ground",
        "placement.double-move.behind": "{part} stays behind when {group} is moved: none of its {joints} joints is below it",
        "placement.double-move.partly": "{part} moves {low:plain} to {high:plain} times as far as {group}: {within} of its {joints} joints are below it",
        "placement.double-move": "{part} moves {factor:plain} times as far as {group} where its own node is applied as well as its joints",
        "placement.bake.already": "{chosen:?These nodes have|Every node has} scale 1 and rotation 0 already.",
        "placement.one-drive.no-skin": "None of these parts is skinned.",
        "placement.by-node.collapsed": "The node of {part} is scaled to zero, so its geometry cannot follow the node alone.",
        "placement.restore-scale.none": "None of these nodes has a scale of 0, or a clip drives it.",
        "placement.home.nothing": "The model has no geometry to move.",
        "placement.home.already": "The model and its pivots are at the origin already.",
        "placement.restore-offset.none": "The file records no offset to put back.",
        "placement.choose": "Choose one or more nodes.",
        "placement.ungroup.moved": "A clip moves children of these groups, which would move otherwise without them.",
        "placement.hang.below-itself": "{under} is below one of these nodes itself; choose another parent.",
        "placement.hang.already": "These nodes have that parent already.",
        "placement.remove-below.carried": "{part} is bound to {joint}, which is below that node; remove {part} too.",
        "placement.remove-below.everything": "Nothing would be left of the model.",
        "placement.to-origin.joints-too": "{part} is bound to joints that are not chosen; choose the topmost of them too.",
        "placement.to-origin.part-too": "{part} is bound to joints that are chosen; choose it too.",
        "placement.to-origin.nothing": "These nodes have no geometry to move.",
        "placement.to-origin.already": "These nodes are there already.",
        "placement.to-origin.moved": "A clip moves {part} itself; group it first and move the group.",
        "placement.to-origin.collapsed": "The parent of {part} is scaled to zero, so no move of it shows in the world.",
        "placement.ungroup.no-group-chosen": "None of these is a group that can be removed: a clip moves it, or it has a mesh.",
        "placement.ungroup.none": "The model has no group to remove.",
        "placement.one-drive.left": "{parts:# part was|parts were} left as found: {reason}",
        "placement.ungroup.stayed": "{groups:# group was|groups were} kept: a clip moves a child of it.",
    }
)
