"""What is said where nothing that came is a model."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ..formats import format_of
from ..formats.files import model_files, role_of
from ..limits import InputError
from ..packages import ListedPackage
from .messages import say


def no_model(sizes: Mapping[str, int], read: Callable[[str], bytes]) -> InputError:
    """The sentence for files, by name with their bytes, none of which has a model's ending.

    Of the one that is of no other use it says what reading it alone would say. read: the file, or as much of it as tells its kind.
    """
    others = [n for n in sizes if role_of(n) == "other"]
    try:
        if len(others) == 1:
            held = format_of(read(others[0]), others[0])
            ending = others[0].rpartition(".")[2]
            return InputError(
                say("pipeline.wrong-ending", other=others[0], title=held.title, ending=ending, true_ending=held.endings[0])
            )
        model_files(ListedPackage(dict(sizes)))
    except InputError as error:
        return error
    raise AssertionError("there is a model among them")
