"""A scene that is kept and taken up again is the scene that it was, and its bytes can do nothing else."""

import pickle
from dataclasses import fields, is_dataclass, replace

import numpy as np
import pytest

from handlens.core import proof
from handlens.core.measures import collect
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Image, Neighbour, Node
from handlens.core.scene.stored import stored, taken_up
from kit.everything import everything
from kit.scenes import cube, scene


def nowhere(path):
    raise AssertionError(f"{path} is read")


def same(a, b, where="scene"):
    """Every field of every type, to the bit."""
    if callable(a):
        assert a() == b(), where
        return
    assert type(a) is type(b), where
    if is_dataclass(a):
        for f in fields(a):
            same(getattr(a, f.name), getattr(b, f.name), f"{where}.{f.name}")
    elif isinstance(a, np.ndarray):
        assert (a.dtype, a.shape, a.tobytes()) == (b.dtype, b.shape, b.tobytes()), where
        assert not b.flags.writeable, where
    elif isinstance(a, tuple | list):
        assert len(a) == len(b), where
        for k, (x, y) in enumerate(zip(a, b, strict=True)):
            same(x, y, f"{where}[{k}]")
    elif isinstance(a, dict):
        same(list(a), list(b), where)
        for key in a:
            same(a[key], b[key], f"{where}[{key!r}]")
    else:
        assert a == b or (a != a and b != b), where


def test_everything_comes_back_as_it_was():
    came = everything()
    kept = stored(came, came)
    files = {i.found_at: i.bytes() for i in came.images if i.found_at} | {n.path: n.load() for n in came.beside}
    again = taken_up(kept, files.__getitem__)
    same(came, again)
    assert proof.prove(came, again).proved
    mended = apply_mend(came, "size.scale", {"factor": 2}).scene
    assert collect(taken_up(stored(mended, came), lambda _: b"")).bounds_max == collect(mended).bounds_max


def test_files_of_the_package_are_kept_by_their_paths_and_others_whole():
    beside, inside, anew = b"beside" * 9, b"inside" * 9, b"anew" * 9
    images = (
        Image("i", "a", "a.png", "found", "tex/a.png", load=lambda: beside),
        Image("j", "b", "", "embedded", load=lambda: inside),
    )
    text = Neighbour("list.xml", "side-file", "package", 3, lambda: beside)
    came = scene(cube(), nodes=(Node("n", "crate", mesh=0),)).with_(images=images, beside=(text,))
    mended = came.with_(images=(*images, replace(images[0], load=lambda: anew)))
    data = stored(mended, came)
    assert (beside in data, inside in data, anew in data) == (False, True, True)
    again = taken_up(data, {"tex/a.png": beside, "list.xml": beside}.__getitem__)
    assert [i.bytes() for i in again.images] == [beside, inside, anew]
    assert again.beside[0].load() == beside


def test_shared_arrays_stay_shared():
    one = cube()
    again = taken_up(stored(scene(one, replace(one, id="other")), scene(one)), nowhere)
    assert again.meshes[0].positions is again.meshes[1].positions


class Trap:
    def __reduce__(self):
        return print, ("the trap is sprung",)


@pytest.mark.parametrize("data", [pickle.dumps(Trap()), pickle.dumps([1]), pickle.dumps({"a": Node}), b""])
def test_nothing_but_a_scene_comes_out(data, capsys):
    with pytest.raises(pickle.UnpicklingError):
        taken_up(data, nowhere)
    assert capsys.readouterr().out == ""
