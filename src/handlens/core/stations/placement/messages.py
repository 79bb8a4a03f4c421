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
        "placement.double-move.behind": "{part} stays behind when {group} is moved: none of its {joints} joints hangs below it",
        "placement.double-move.partly": "{part} moves {low:plain} to {high:plain} times as far as {group}: {within} of its {joints} joints hang below it",
        "placement.double-move": "{part} moves {factor:plain} times as far as {group} where its own node is applied as well as its joints",
        "placement.bake.already": "{chosen:?These nodes have|Every node has} scale 1 and rotation 0 already.",
        "placement.one-drive.no-skin": "None of these parts is skinned.",
        "placement.by-node.collapsed": "{part} has a node that is scaled to nothing: it could be moved by nothing.",
        "placement.restore-scale.none": "No scale of these nodes is 0, or a clip drives it.",
        "placement.home.nothing": "There is nothing to bring home.",
        "placement.home.already": "The model and its pivots are at home already.",
        "placement.restore-offset.none": "The file remembers no offset, so there is nothing to put back.",
        "placement.choose": "Choose which nodes.",
        "placement.ungroup.moved": "A clip moves what hangs on these groups in their frames; they stay.",
        "placement.hang.below-itself": "{under} hangs on one of these nodes itself; choose another.",
        "placement.hang.already": "They hang there already.",
        "placement.remove-below.carried": "{part} is carried by {joint}, which hangs there; take it out too.",
        "placement.remove-below.everything": "Nothing would be left of the model.",
        "placement.to-origin.joints-too": "{part} is carried by joints that are not chosen; choose the topmost of them too.",
        "placement.to-origin.part-too": "{part} is carried by joints that are chosen; choose it too.",
        "placement.to-origin.nothing": "These nodes show nothing that could be brought anywhere.",
        "placement.to-origin.already": "They stand there already.",
        "placement.to-origin.moved": "A clip moves {part} itself; group it first and bring the group.",
        "placement.to-origin.collapsed": "What {part} hangs on has no size, so it cannot be moved by a way in the world.",
        "placement.ungroup.no-group-chosen": "None of these is a group without a clip.",
        "placement.ungroup.none": "There is no group to take away.",
    }
)
