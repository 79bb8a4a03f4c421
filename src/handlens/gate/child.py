"""The child of the gate that reads one package, locked in to its folder. `python -m handlens.gate.child FOLDER`."""

from __future__ import annotations

import base64
import json
import resource
import signal
import sys
import warnings
from pathlib import Path

from ..core import limits
from ..core.limits import InputError
from ..core.machine.confine import confine
from ..core.machine.parent import end_with_parent
from ..core.receivers import answer
from ..core.receivers.parcel import files_of
from ..core.rules.sheet import sheet_from_json


def main() -> int:
    """Answer the package in the folder of the command line; returns the exit code."""
    end_with_parent(signal.SIGKILL)
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    folder = Path(sys.argv[1])
    request = json.loads((folder / "request.json").read_text())
    resource.setrlimit(resource.RLIMIT_AS, (limits.CHILD_MEMORY_BYTES, limits.CHILD_MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_FSIZE, (limits.MAX_PACKAGE_BYTES, limits.MAX_PACKAGE_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    sheet = sheet_from_json(json.dumps(request["sheet"]), "The gate's sheet")
    # Pictures are read by a library that loads its own parts when it is first asked: before it is locked in.
    import embreex  # noqa: F401
    from PIL import Image

    Image.init()
    confine([folder], [folder / "out"])
    try:
        told = answer(files_of(folder / "in" / request["name"]), sheet, request["variant"])
        result = {**told.to_json(), "picture": base64.b64encode(told.picture).decode()}
    except InputError as error:
        # A zip that cannot be opened is refused like what is in it.
        line = {"result": "refused", "says": str(error), "check": "", "about": ""}
        result = {
            "schema": 1,
            "sheet": sheet.slug,
            "destination": "",
            "variant": request["variant"],
            "accepted": False,
            "reasons": [str(error)],
            "lines": [line],
            "picture": "",
        }
    (folder / "out" / "answer.json").write_text(json.dumps(result))
    return 0


if __name__ == "__main__":
    sys.exit(main())
