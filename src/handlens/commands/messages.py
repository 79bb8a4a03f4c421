"""What the command line refuses, in words."""

from __future__ import annotations

from ..core.words.messages import Messages

say = Messages(
    {
        "call.see-help": "{message}; see `{prog} --help`.",
        "call.batch-into-file": "{out} is a file; a batch writes a folder for each model, so name a folder.",
        "call.format-without-out": "--format needs --out, the folder that the models are written to.",
        "call.none-read": "None of the {count:,} models could be read; the first: {error}",
        "call.tape-does-not-apply": "{mend} of the tape does not apply to {one}: {because}",
        "call.no-such-part": "{where} names {what:quoted}, and the model has no such part; its parts are: {known}.",
        "call.no-such-look": "There is no look {look:quoted}; use one of: {names}.",
        "call.sheet-ending": "{out}: a rule sheet is written as .json; give it this ending.",
        "call.no-such-one": "There is no {kind} {lost:quoted}{what}",
        "call.no-house": "There are no house checks; {variable} names the folders that they are in.",
        "call.unreadable": "{path} cannot be read: {reason}.",
        "call.sheet-twice": "A rule sheet is named twice; name each destination once.",
        "call.several-models": "There are {count:,} models; --out, --recipe and --picture want one.",
        "call.no-rule": "{text:quoted} is not a rule; write CHECK=MEND, as in skin.left-behind=skin.bind-part.",
        "call.sheets-into-file": "{out} is a file; with several sheets name a folder, in which each has one of its own.",
        "call.no-mend": "Name a mend with --mend, or a file of mends with --recipe.",
        "call.package-of-file": "{path} is one file; --package wants the folder or zip that the model came in.",
        "call.package-into-file": "{out} is a file; --package writes to a folder or a .zip.",
        "call.inside-package": "{out} is inside the package itself; name a place outside of it.",
        "call.format-not-written": "The format {format_name} cannot be written; use one of: {writers}.",
        "call.ending-not-written": "{name}: .{ending} cannot be written; use one of: {writers}.",
        "call.link": "{parent} is a link, and nothing is written through one; choose another --out.",
        "call.two-formats": "{name} says .{ending} and --format says {format_name}; name one format.",
        "call.wish": "The model cannot be exported as asked: {error}.",
    }
)
