"""A watched folder: a save is told once, whole, with what it uses; a half-written file never."""

import os

import pytest

from handlens.core.limits import InputError
from handlens.core.packages import open_plain
from handlens.core.pipeline.opening import open_scene
from handlens.watching import SETTLED, Folder, _outcome
from kit.scenes import cube, scene


def settled(folder, begun=0.0):
    """What a look tells once all has kept still."""
    return [*folder.look(begun), *folder.look(begun + SETTLED + 0.01)]


def test_a_save_is_told_once_and_only_where_the_content_is_another(tmp_path):
    boat = tmp_path / "boat.obj"
    boat.write_text("v 0 0 0\n")
    folder = Folder(tmp_path)
    assert settled(folder) == ["boat.obj"]
    assert settled(folder, 10) == []
    boat.write_text("v 0 0 1\n")
    os.utime(boat, ns=(1, 1))
    assert folder.look(20) == []  # it moved just now
    assert folder.look(20 + SETTLED / 2) == []
    assert folder.look(20 + SETTLED + 0.01) == ["boat.obj"]
    os.utime(boat, ns=(5, 5))  # touched, and still the same
    assert settled(folder, 30) == []


def test_what_is_still_being_written_waits(tmp_path):
    folder = Folder(tmp_path)
    settled(folder)
    with (tmp_path / "boat.obj").open("w") as file:
        file.write("v 0 0 0\n")
        file.flush()
        assert settled(folder, 10) == []
        assert folder.look(99) == []
    assert folder.look(100) == ["boat.obj"]


def test_a_picture_tells_the_models_that_may_use_it(tmp_path):
    for path in ("boats/a.obj", "boats/b.obj", "boats/tex/tar.png", "huts/c.obj", ".hidden/d.obj"):
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_text(path)
    (tmp_path / "huts" / "link.obj").symlink_to(tmp_path / "boats" / "a.obj")
    folder = Folder(tmp_path)
    assert settled(folder) == ["boats/a.obj", "boats/b.obj", "huts/c.obj"]
    (tmp_path / "boats/tex/tar.png").write_text("more")
    assert settled(folder, 10) == ["boats/a.obj", "boats/b.obj"]
    assert sorted(folder.files_of("boats/a.obj")) == ["a.obj", "tex/tar.png"]
    before = folder.contents_of("boats/a.obj")
    (tmp_path / "boats/tex/tar.png").write_text("other")
    settled(folder, 20)
    assert folder.contents_of("boats/a.obj") != before


def test_a_pipe_a_link_and_a_log_hold_nobody_up(tmp_path):
    boat = tmp_path / "boat.obj"
    boat.write_text("mtllib boat.mtl\n")
    os.mkfifo(tmp_path / "boat.mtl")
    os.mkfifo(tmp_path / "tar.png")
    (tmp_path / "oak.png").symlink_to("/etc/hostname")
    folder = Folder(tmp_path)
    log = tmp_path / "run.json"
    told = []
    for k in range(30):
        log.write_text(f"{k}" * (k + 1))
        told += folder.look(0.3 * k)
    assert told == ["boat.obj"]
    assert set(folder.files_of("boat.obj")) <= {"boat.obj", "run.json"}
    # What is a file when it is listed and a pipe when it is read is not waited for.
    boat.unlink()
    os.mkfifo(boat)
    with pytest.raises(OSError, match="no plain file"):
        open_plain(boat)


def test_what_lies_beside_a_model_and_is_not_its_own_stays_where_it_is(tmp_path):
    for path in ("boat.obj", "boat.json", "tar.png", "letter.txt", "keys.pem", "deep/notes.yaml", "deep/oak.webp", "sail.exr"):
        (tmp_path / path).parent.mkdir(exist_ok=True)
        (tmp_path / path).write_text("map_Kd Sail.exr" if path == "boat.obj" else path)
    folder = Folder(tmp_path)
    settled(folder)
    assert set(folder.files_of("boat.obj")) == {"boat.obj", "boat.json", "tar.png", "deep/oak.webp", "sail.exr"}


def test_a_folder_with_a_pipe_in_it_is_read(tmp_path):
    (tmp_path / "boat.obj").write_text("mtllib boat.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    os.mkfifo(tmp_path / "boat.mtl")
    os.mkfifo(tmp_path / "names.json")
    for path in (tmp_path, tmp_path / "boat.obj"):
        assert open_scene(path)[2].meshes[0].face_count == 1


def test_a_folder_that_is_not_there_is_one_sentence(tmp_path):
    with pytest.raises(InputError, match="no folder that is there"):
        Folder(tmp_path / "nowhere")
    folder = Folder(tmp_path)
    tmp_path.rmdir()
    with pytest.raises(InputError, match="not there any more"):
        folder.look(0)


def test_each_save_says_what_it_fixed_and_brought(tmp_path):
    from dataclasses import replace

    from handlens.core import formats

    known = {}
    told = lambda: list(_outcome(tmp_path, "crate.glb", None, None, known))
    save = lambda made: (tmp_path / "crate.glb").write_bytes(formats.write(made, "glb", "crate")["crate.glb"])
    save(scene(cube()))
    assert told()[0].startswith("crate.glb: 0 stops")
    save(scene(cube()).with_(nodes=tuple(replace(n, scale=(-1.0, 1.0, 1.0)) for n in scene(cube()).nodes)))
    lines = told()
    assert "0 fixed" in lines[0]
    assert any(x.startswith("  new") and "mirrored" in x for x in lines)
    (tmp_path / "crate.glb").write_bytes(b"glTF")
    assert "crate.glb" in told()[0]


def test_a_picture_that_takes_its_time_to_be_copied_is_waited_for(tmp_path):
    """Half of it is no picture, however long the other half takes."""
    (tmp_path / "boat.obj").write_text("v 0 0 0\n")
    folder = Folder(tmp_path)
    picture = tmp_path / "tar.png"
    told = []
    for k in range(40):
        picture.write_bytes(b"x" * (k + 1))
        told += folder.look(0.3 * k)
    assert told == []
    assert folder.look(0.3 * 40 + 1) == ["boat.obj"]
