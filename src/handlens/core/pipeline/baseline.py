"""What was found before: a report by which findings that are known are told from new ones."""

from __future__ import annotations

import json
from collections import Counter
from pathlib import Path

from ..limits import InputError
from ..words.json_tree import Json
from .messages import say

_RANK = {"note": 1, "caution": 2, "stop": 3}


class Baseline:
    """An earlier report of `inspect --json`, of one model or of several."""

    def __init__(self, models: list[Json]) -> None:
        paths = [_path(model) for model in models]
        self._by_path = {path: _worst(model) for path, model in zip(paths, models, strict=True)}
        # Called from another folder a model has another path; by its file name it is known where that is the only one.
        names = Counter(path.rpartition("/")[2] for path in paths)
        self._by_name = {
            path.rpartition("/")[2]: found for path, found in self._by_path.items() if names[path.rpartition("/")[2]] == 1
        }

    def known(self, path: str, finding: Json) -> bool:
        """Whether a finding of a model was there before and was no less grave. path: of the model."""
        found = self._by_path.get(path, self._by_name.get(path.rpartition("/")[2], {}))
        return found.get(finding["id"], 0) >= _RANK[finding["result"]]


def read_baseline(path: Path) -> Baseline:
    """A baseline from a file. Raises InputError where it is no report."""
    try:
        tree = json.loads(path.read_bytes())
        models = tree.get("models", [tree])
        return Baseline([model for model in models if "error" not in model])
    except OSError as error:
        raise InputError(say("pipeline.baseline-unreadable", path=path, reason=error.strerror)) from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise InputError(say("pipeline.baseline-no-report", path=path)) from error


def _path(model: Json) -> str:
    return str(model.get("place") or model["source"]["path"])


def _worst(model: Json) -> dict[str, int]:
    return {finding["id"]: _RANK[finding["result"]] for finding in model["findings"]}
