"""What Handoff says: findings, and what a check skips and why."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "handoff.no-limit": "{sheet} sets no limit",
        "handoff.case-clash": "{first} and {second} are one file where letter case does not count",
        "handoff.files": "The package has {files:# file}",
        "handoff.file-size": "{file} has {mebibytes:,.1f} MiB",
        "handoff.package-size": "The package has {mebibytes:,.1f} MiB, {file} alone {largest:,.1f}",
    }
)
