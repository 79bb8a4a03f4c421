"""What Slots says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "slots.no-material": "{faces:# face} of {part} {faces:has|have} no material",
        "slots.undefined": "{materials:# material is|materials are} named but defined nowhere: {names}",
        "slots.unused": "{materials:# material is|materials are} used by no face: {names}",
        "slots.equal": "{materials:# material is|materials are} the same as another: {pairs}{more:? …|}",
        "slots.unnamed": "{materials:# material has|materials have} a default name: {names}",
        "slots.empty-input": "{inputs:# input is|inputs are} switched on without an image: {names}",
        "slots.no-uv-set": "{inputs:# input needs|inputs need} a UV set that is not there: {role} of {material} needs set {uv_set}",
        "slots.flat-normal-map": "{maps:# normal map is|normal maps are} at strength 0: {names}",
        "slots.black-tint": "{material} multiplies its {what} by black",
        "slots.out-of-range": "{material} has {values}",
        "slots.no-limit": "{sheet} sets no limit",
        "slots.too-many": "{part} has faces in {slots:,} slots",
        "slots.pattern.none": "{sheet} asks for no pattern",
        "slots.pattern": "{materials:# material name does|material names do} not follow the pattern: {names}",
        "slots.model.all": "{sheet} knows them",
        "slots.model": "{material} would lose {what}",
        "slots.shine": "{material} {mirror:?shines like a mirror|is glossy all over}: {values}",
        "slots.two-faced": "{faces:# face} of {part} {faces:has|have} another material on the back",
        "slots.family": "{count:,} materials are called {stem} with a number: {names}",
        "slots.merge-equal.none": "No two materials are the same.",
        "slots.remove-unused.none": "No material is unused.",
        "slots.assign.no-such-material": "The model has no material {material:quoted}; give it a colour to make a plain one.",
        "slots.assign.none": "Every face has a material.",
        "slots.give.already": "These faces have this material already.",
        "slots.give.no-uvs": "{parts:# part has|parts have} no UVs for its images to be laid on by; make some under Textures.",
        "slots.switch-off.none": "Every input has an image.",
        "slots.first-uvs.none": "Every input names a UV set that exists, or its meshes have none.",
        "slots.set.no-value": "No value is given.",
        "slots.set.already": "These materials have these values already.",
        "slots.set.no-such-material": "The model has no material {material}, or it has these values already.",
        "slots.clamp.none": "Every value is in its range.",
        "slots.library": "{what}",
        "slots.no-name": "The new material needs a name.",
        "slots.no-colour": "A colour is six digits as in #B8A88A, not {colour:quoted}.",
    }
)
