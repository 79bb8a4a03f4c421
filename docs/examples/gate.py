"""A gate in a build: what a destination would stop is mended where that is safe, the rest is told, and what goes out is proved.

Run: python docs/examples/gate.py MODEL OUT_FOLDER
"""

from __future__ import annotations

import sys

from handlens.library import open_model

SHEET = "realtime-engine"


def main(path: str, out: str) -> int:
    model = open_model(path)
    safe = [f.mends[0] for f in model.judge(SHEET, try_offers=True).findings if f.result == "stop" and f.mends]
    for name, params in safe[:1]:
        model = model.mend(name, **params)
    stops = [f for f in model.judge(SHEET).findings if f.result == "stop"]
    for finding in stops:
        print(f"{finding.part or 'the model'}: {finding.title}")
    written = model.write("glb", SHEET)
    proof = written.prove()
    if not stops and proof.proved:
        print(*written.save(out))
    return 0 if proof.proved and not stops else 1


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
