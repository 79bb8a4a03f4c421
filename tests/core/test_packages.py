"""Folders, files and zips as people send them, and as nobody should."""

import io
import zipfile
from pathlib import Path

import pytest

from handlens.core import formats, limits, packages
from handlens.core.limits import InputError
from handlens.core.packages import FolderPackage, ZipPackage, clean_path, model_files, open_package, role_of

OBJ = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"


def make_zip(path: Path, files: dict[str, bytes | str], compression=zipfile.ZIP_DEFLATED) -> Path:
    with zipfile.ZipFile(path, "w", compression) as z:
        for name, data in files.items():
            z.writestr(name, data)
    return path


@pytest.mark.parametrize("path", ["../a", "/etc/passwd", "C:\\x", "a/../../b", "", "a\x00b", "..", "x" * 2000])
def test_paths_that_lead_out(path):
    with pytest.raises(InputError):
        clean_path(path)


def test_paths_are_made_plain():
    assert clean_path("maps\\wet/./net.png") == "maps/wet/net.png"


def test_zip_traversal_is_refused(tmp_path):
    with pytest.raises(InputError, match="leads out"):
        ZipPackage(make_zip(tmp_path / "x.zip", {"../../evil.obj": OBJ}))


def test_zip_bombs_are_refused_before_they_are_unpacked(tmp_path):
    with pytest.raises(InputError, match="unpacks to far more"):
        ZipPackage(make_zip(tmp_path / "x.zip", {"pot.obj": b"0" * (40 << 20)}))


def test_too_many_files(tmp_path, monkeypatch):
    monkeypatch.setattr(limits, "MAX_PACKAGE_FILES", 3)
    with pytest.raises(InputError, match="more than 3 files"):
        ZipPackage(make_zip(tmp_path / "x.zip", {f"{k}.obj": OBJ for k in range(5)}))


def test_damaged_zip(tmp_path):
    whole = make_zip(tmp_path / "x.zip", {"pot.obj": OBJ * 500}, zipfile.ZIP_STORED).read_bytes()
    (tmp_path / "cut.zip").write_bytes(whole[:300])
    with pytest.raises(InputError, match="not a readable zip"):
        ZipPackage(tmp_path / "cut.zip")
    broken = bytearray(whole)
    broken[200] ^= 0xFF
    (tmp_path / "bad.zip").write_bytes(broken)
    with pytest.raises(InputError, match="damaged"):
        ZipPackage(tmp_path / "bad.zip").read("pot.obj")


def test_a_zip_in_a_zip(tmp_path):
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w") as z:
        z.writestr("pot.obj", OBJ)
    package = ZipPackage(make_zip(tmp_path / "x.zip", {"inner.zip": inner.getvalue()}))
    with pytest.raises(InputError, match="another zip"):
        model_files(package)


def test_noise_and_nesting(tmp_path):
    files = {"__MACOSX/._pot.obj": "x", "quay/.DS_Store": "x", "quay/pot.obj": OBJ, "quay/maps/net.png": "x"}
    package = ZipPackage(make_zip(tmp_path / "x.zip", files))
    assert list(package.names()) == ["quay/maps/net.png", "quay/pot.obj"]
    assert formats.read(package, "quay/pot.obj").meshes[0].face_count == 1


def test_names_of_old_encodings(tmp_path):
    """Names without the UTF-8 flag that hold UTF-8 bytes all the same: common practice, no published source."""
    path = make_zip(tmp_path / "x.zip", {"B__t.obj": OBJ})
    path.write_bytes(path.read_bytes().replace(b"B__t.obj", "Båt.obj".encode()))
    assert list(ZipPackage(path).names()) == ["Båt.obj"]


def test_main_model(tmp_path):
    for name, size in {"deep/er/big.obj": 900, "small.obj": 1, "large.obj": 50}.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(OBJ + "#" * size)
    assert model_files(FolderPackage(tmp_path)) == ["large.obj", "small.obj", "deep/er/big.obj"]


@pytest.mark.parametrize(("files", "says"), [({}, "nothing inside"), ({"a.png": "x"}, "no model file among the 1 file")])
def test_no_model(tmp_path, files, says):
    for name, data in files.items():
        (tmp_path / name).write_text(data)
    with pytest.raises(InputError, match=says):
        model_files(FolderPackage(tmp_path))


def test_links_that_lead_out_are_not_followed(tmp_path):
    (tmp_path / "in").mkdir()
    (tmp_path / "secret.obj").write_text(OBJ)
    (tmp_path / "in" / "pot.obj").symlink_to(tmp_path / "secret.obj")
    assert list(FolderPackage(tmp_path / "in").names()) == []


def test_references_never_leave_the_package(tmp_path):
    (tmp_path / "in").mkdir()
    (tmp_path / "net.png").write_text("x")
    (tmp_path / "in" / "pot.obj").write_text(OBJ)
    package = FolderPackage(tmp_path / "in")
    assert package.find("../net.png", "pot.obj").status == "missing"
    assert package.find("file:///quay/pot.obj", "pot.obj") == packages.Found("absolute", "pot.obj")


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("pot.obj", b"", "0 bytes"),
        ("pot.obj", b"glTF\x02\x00\x00\x00", "holds glTF"),
        ("pot.abc", b"solid", "not a model that can be read"),
        ("pot.glb", b"garbage", "JSON"),
        ("gone.obj", None, "no file or folder"),
    ],
)
def test_wrong_files(tmp_path, name, data, says):
    if data is not None:
        (tmp_path / name).write_bytes(data)
    with pytest.raises(InputError, match=says):
        package, main = open_package(tmp_path / name)
        formats.read(package, main or "")


def test_a_glb_named_gltf_is_read(tmp_path):
    from scenes import cube, scene

    (tmp_path / "crate.gltf").write_bytes(formats.write(scene(cube()), "glb", "crate")["crate.glb"])
    assert formats.read(FolderPackage(tmp_path), "crate.gltf").meshes[0].face_count == 12


def test_roles():
    names = ["a.obj", "a.PNG", "a.mtl", "a.bin", "a.xml", "a.weird"]
    assert [role_of(n) for n in names] == ["model", "image", "material-library", "buffer", "side-file", "other"]
