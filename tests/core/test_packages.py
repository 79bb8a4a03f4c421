"""Folders, files and zips as people send them, and as nobody should."""

import io
import zipfile
from pathlib import Path

import pytest

from handlens.core import formats, limits, packages
from handlens.core.formats.files import model_files, role_of
from handlens.core.limits import InputError
from handlens.core.packages import FolderPackage, ZipPackage, clean_path, open_package

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
    from kit.scenes import cube, scene

    (tmp_path / "crate.gltf").write_bytes(formats.write(scene(cube()), "glb", "crate")["crate.glb"])
    assert formats.read(FolderPackage(tmp_path), "crate.gltf").meshes[0].face_count == 12


def test_roles():
    names = ["a.obj", "a.PNG", "a.mtl", "a.bin", "a.xml", "a.weird"]
    assert [role_of(n) for n in names] == ["model", "image", "material-library", "buffer", "side-file", "other"]


def test_locked_doubled_and_linked_entries(tmp_path):
    """APPNOTE 4.4.4, bit 0: encrypted. A link in a zip is not followed: it may lead anywhere."""
    path = make_zip(tmp_path / "x.zip", {"pot.obj": OBJ})
    data = bytearray(path.read_bytes())
    data[data.index(b"PK\x01\x02") + 8] |= 1
    (tmp_path / "locked.zip").write_bytes(data)
    with pytest.raises(InputError, match="locked with a password"):
        ZipPackage(tmp_path / "locked.zip")
    with zipfile.ZipFile(tmp_path / "twice.zip", "w") as z:
        z.writestr("pot.obj", OBJ)
        with pytest.warns(UserWarning, match="Duplicate"):
            z.writestr("pot.obj", OBJ)
    with pytest.raises(InputError, match=r"holds pot\.obj twice"):
        ZipPackage(tmp_path / "twice.zip")
    link = zipfile.ZipInfo("rope.png")
    link.external_attr = 0o120777 << 16
    with zipfile.ZipFile(tmp_path / "link.zip", "w") as z:
        z.writestr(link, "/etc/passwd")
        z.writestr("pot.obj", OBJ)
    assert list(ZipPackage(tmp_path / "link.zip").names()) == ["pot.obj"]


def test_two_spellings_of_one_name_are_one_file(tmp_path):
    """Composed and decomposed letters (Unicode NFC and NFD) name the same file on some systems and two on others."""
    composed, apart = "bo\u00efe.obj", "boi\u0308e.obj"
    with zipfile.ZipFile(tmp_path / "x.zip", "w") as z:
        z.writestr(composed, OBJ)
        z.writestr(apart, OBJ)
    with pytest.raises(InputError, match="twice"):
        ZipPackage(tmp_path / "x.zip")
    (tmp_path / "folder").mkdir()
    (tmp_path / "folder" / apart).write_text(OBJ)
    assert FolderPackage(tmp_path / "folder").has(composed)


@pytest.mark.parametrize("method", [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_every_way_of_packing(method, tmp_path):
    package = ZipPackage(make_zip(tmp_path / "x.zip", {"quay/pot.obj": OBJ * 50}, method))
    assert package.read("quay/pot.obj").decode() == OBJ * 50
    assert package.size("quay/pot.obj") == len(OBJ * 50)


@pytest.mark.parametrize("method", [zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_a_spoilt_entry_ends_in_a_sentence_whatever_packed_it(method, tmp_path):
    whole = make_zip(tmp_path / "x.zip", {"pot.obj": OBJ * 500}, method).read_bytes()
    start, end, told = 30 + len("pot.obj"), whole.index(b"PK\x01\x02"), 0
    for k in range(start, end, max((end - start) // 12, 1)):
        spoilt = bytearray(whole)
        spoilt[k] ^= 0x5A
        (tmp_path / "bad.zip").write_bytes(spoilt)
        try:
            # What follows the last byte that matters may be spoilt without harm; then all of it is there.
            assert ZipPackage(tmp_path / "bad.zip").read("pot.obj").decode() == OBJ * 500
        except InputError as error:
            told += 1
            assert "pot.obj in bad.zip" in str(error)
    assert told > 8


def test_an_entry_that_unpacks_to_more_than_it_states(tmp_path):
    whole = bytearray(make_zip(tmp_path / "x.zip", {"pot.obj": OBJ * 500}).read_bytes())
    at = whole.index(b"PK\x01\x02") + 24
    whole[at : at + 4] = (10).to_bytes(4, "little")
    (tmp_path / "bad.zip").write_bytes(whole)
    with pytest.raises(InputError, match=r"pot\.obj in bad\.zip"):
        ZipPackage(tmp_path / "bad.zip").read("pot.obj")


def test_files_that_are_too_large_are_not_read(tmp_path, monkeypatch):
    (tmp_path / "pot.obj").write_text(OBJ)
    monkeypatch.setattr(limits, "MAX_FILE_BYTES", 8)
    with pytest.raises(InputError, match=r"pot\.obj is larger than"):
        FolderPackage(tmp_path).read("pot.obj")
    with pytest.raises(InputError, match=r"pot\.obj is larger than"):
        open_package(tmp_path / "pot.obj")[0].read("pot.obj")


def test_a_folder_of_too_many_files_says_what_to_point_at(tmp_path, monkeypatch):
    for k in range(5):
        (tmp_path / f"{k}.obj").write_text(OBJ)
    monkeypatch.setattr(limits, "MAX_PACKAGE_FILES", 3)
    with pytest.raises(InputError, match="point at the model's own folder"):
        FolderPackage(tmp_path).names()


def test_what_is_there_is_told_by_its_first_bytes(tmp_path):
    """A zip under any name but a model's is opened as one; a model that is a zip stays a model."""
    for name in ("parcel", "parcel.dat", "parcel.zip"):
        package, main = open_package(make_zip(tmp_path / name, {"pot.obj": OBJ}))
        assert (type(package), main) == (ZipPackage, None)
    package, main = open_package(make_zip(tmp_path / "pot.3mf", {"3D/3dmodel.model": "<model/>"}))
    assert main == "pot.3mf"
    with pytest.raises(InputError, match="There is no file or folder"):
        open_package(tmp_path / "gone")
