"""What Handoff says: findings, and what a check skips and why."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "handoff.thumbnail": "No thumbnail came with the model",
        "handoff.no-thumbnail": "{sheet} wants no thumbnail",
        "handoff.thumbnail.name": "{name} is no name of a PNG, JPEG or WebP file in the model's own folder.",
        "handoff.thumbnail.pixels": "A thumbnail has 64 to 2,048 pixels along each side.",
        "handoff.thumbnail.there": "{name} is there already.",
        "handoff.thumbnail.nothing": "The model has no triangle that can be seen.",
        "handoff.no-limit": "{sheet} sets no limit",
        "handoff.case-clash": "{first} and {second} are one file where letter case does not count",
        "handoff.files": "The package has {files:# file}",
        "handoff.file-size": "{file} has {mebibytes:,.1f} MiB",
        "handoff.package-size": "The package has {mebibytes:,.1f} MiB, {file} alone {largest:,.1f}",
    }
)
