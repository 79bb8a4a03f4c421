"""What Motion says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "motion.unwatched": "{unwatched:,} of {clips:,} clips were too many to be watched from beginning to end",
        "motion.not-finite": "{keys:# key} of {clip} {keys:is|are} not a number: {which}",
        "motion.times": "Keys of {clip} are out of order: {what}, {which}",
        "motion.times.negative": "{clip} begins before 0, at {first:plain} s: {which}",
        "motion.off-unit": "{rotations:# rotation} of {clip} {rotations:is|are} not of length 1: {worst:plain} at worst, {which}",
        "motion.flips": "{rotations:# rotation} of {clip} {rotations:changes|change} sign: {which}{curved:?; a cubic spline swings the long way round between them|}",
        "motion.aimless": "{all:?All|Of} {channels:# channel} of {clip}{of_them} move{several:?|s} nothing: {which}",
        "motion.held-pose.moves": ": it moves the model by up to {away:about}",
        "motion.held-pose.pose-file": ": the pose that the file is in",
        "motion.held-pose": "{clip} only holds a pose, with {keys:# key} per channel{effect}",
        "motion.constant": "{constant:,} of {channels:# channel} of {clip} never change, {what}: {which}",
        "motion.scale-keys": "{channels:# channel} of {clip} {channels:drives|drive} scale, {how}: {which}",
        "motion.missing.none-wanted": "neither the sheet nor the intent names clips",
        "motion.missing": "The clip {name} is missing{hint}",
        "motion.copies": "{clip} is a copy of {same}{more}",
        "motion.late": "{clip} begins at {start:plain} s; nothing moves before that",
        "motion.gaps": "{clip} has {channels:# channel} with a gap of up to {longest_gap:plain} s where keys are usually {usual_gap:plain} s apart: {which}",
        "motion.loop": "{clip} does not close: {node} jumps {jump:about}, and joints turn by up to {turn:turn}",
        "motion.travel": "{clip} moves {node} {distance:metres} away each time it is played",
        "motion.slides": "{node} slides {distance:metres} while it is on the ground, from {begins:plain} to {ends:plain} s of {clip}{more}",
        "motion.dense": "{clip} has {keys:,} keys; {enough:,} are enough within 0.5 mm",
        "motion.no-clips": "The model has no clips.",
        "motion.no-such-clip": "There is no clip {clip}.",
        "motion.rename.several": "Several clips are called {clip}: name one by its number, as #{number}.",
        "motion.rename.taken": "There is a clip called {name} already.",
        "motion.drop-constant.none": "No channel is constant, or those that are hold a node away from its rest pose.",
        "motion.drop-scale.none": "No channel drives scale.",
        "motion.drop-stray.none": "Every channel moves something.",
        "motion.repair-keys.none": "No key needs repair: all are numbers, in order, and rotations are of length 1.",
        "motion.trim.already": "These clips begin at 0 and end with their last key already.",
        "motion.retime.nothing": "A factor of 1 changes nothing.",
        "motion.thin.none": "Every key is needed to hold the motion within {within_mm:plain} mm.",
        "motion.empty": "{clip} has no channel",
        "motion.broken": "{what}",
        "motion.names": "{clips:# clip has|clips have} no name",
        "motion.names.shared": "{clips:,} clips share a name: {name}",
        "motion.drop-no-clips": "motion.drop-clips needs clips=….",
        "motion.empty-name": "motion.rename: to must not be empty.",
        "motion.factor": "motion.retime: factor must be more than 0.",
        "motion.within": "motion.thin: within_mm must be more than 0.",
        "motion.end-before-start": "motion.trim: end must lie after start.",
    }
)
