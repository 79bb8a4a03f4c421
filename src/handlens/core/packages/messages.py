"""What is refused of files, folders and zips, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "package.leads-out": "The path {path:quoted} leads out of the package; rename the file and send it again.",
        "package.unusable-path": "The path {path:quoted} cannot be used as a file name; rename the file and send it again.",
        "package.name-too-long": "The name {part}… is longer than a file's name may be; shorten it and send it again.",
        "package.file-and-folder": "{label} holds {both} both as a file and as a folder; rename one of them and pack it again.",
        "package.not-there": "There is no file or folder at {path}.",
        "package.no-plain-file": "{path} is not a regular file; send a model file, a folder or a zip.",
        "package.too-large": "{path} is larger than {gib} GiB, the most that is read.",
        "package.locked": "{label} is locked with a password; send it unlocked.",
        "package.grows-too-much": "{label} unpacks to far more than it holds ({path} grows {ratio:,.0f} times); send the files unpacked.",
        "package.twice": "{label} holds {path} twice; keep one of them and pack it again.",
        "package.too-many-files": "{label} holds more than {most:,} files; pack fewer.",
        "package.unreadable": "{path} cannot be read: {reason}.",
        "package.no-zip": "{name} is not a readable zip; pack it again and send it once more.",
        "package.damaged-or-locked": "{path} in {name} is damaged or locked; pack the zip again.",
        "package.damaged": "{path} in {name} is damaged; pack the zip again.",
        "package.too-many-in-folder": "{name} holds more than {most:,} files; {instead}",
        "package.larger-than-stated": "{path} in {name} unpacks to more than its entry states.",
    }
)
