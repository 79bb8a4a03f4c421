"""A package goes back out as the same package, and what lies at the destination is held against what was sent."""

import hashlib
import json
import shutil
import zipfile

import numpy as np
import pytest

from handlens.cli import main
from handlens.core.pipeline.stale import STATES
from kit.pictures import png

#: A card with a picture in a folder beside its own, a side file, and files that nobody names.
BOARD = """mtllib board.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
usemtl paint
f 1/1/1 2/2/1 3/3/1 4/4/1
"""


@pytest.fixture
def package(tmp_path):
    folder = tmp_path / "quay"
    files = {
        "models/board.obj": BOARD.encode(),
        "models/board.mtl": b"newmtl paint\nmap_Kd ../textures/Front Board.png\n",
        "textures/Front Board.png": png((48, 40), noise=30),
        "moorings.xml": b"<moorings><mooring model='board.obj' paint='paint'/></moorings>",
        **{f"notes/{k}.bin": bytes([k] * (k + 1)) for k in range(36)},
    }
    for path, data in files.items():
        place = folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    return folder, files


def inside(folder):
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


def manifest(files):
    return {entry["path"]: entry for entry in json.loads(files["handlens-manifest.json"])["files"]}


def test_forty_files_go_out_byte_for_byte_but_one_picture(package, tmp_path):
    folder, files = package
    out = tmp_path / "out"
    assert main(["mend", str(folder), "--mend", "textures.resize:power_of_two=true", "--out", f"{out}/"]) == 0
    came = inside(out)
    listed = manifest(came)
    assert set(came) == {*files, "handlens-manifest.json"}
    assert len(files) == 40
    assert [p for p in files if came[p] != files[p]] == ["textures/Front Board.png"]
    entry = listed["textures/Front Board.png"]
    assert entry["was"] == hashlib.sha256(files["textures/Front Board.png"]).hexdigest()
    assert entry["because"] == ["textures.resize"]
    for path, entry in listed.items():
        assert (entry["sha256"], entry["bytes"]) == (hashlib.sha256(came[path]).hexdigest(), len(came[path]))
        assert (entry["because"] == []) is (came[path] == files[path])


def test_a_mended_model_still_finds_its_pictures_in_their_places(package, tmp_path, capsys):
    folder, files = package
    out = tmp_path / "out.zip"
    assert main(["mend", str(folder), "--mend", "size.scale:factor=2", "--mend", "slots.merge-equal", "--out", str(out)]) == 1
    with zipfile.ZipFile(out) as archive:
        came = {name: archive.read(name) for name in archive.namelist()}
    changed = [p for p in came if came[p] != files.get(p)]
    assert changed == ["models/board.obj", "models/board.mtl", "handlens-manifest.json"]
    listed = manifest(came)
    assert listed["models/board.obj"]["because"] == ["size.scale"], "the other did not apply"
    assert b"../textures/Front Board.png" in came["models/board.mtl"]
    capsys.readouterr()
    report = tmp_path / "report.json"
    main(["inspect", str(out), "--json", str(report)])
    facts = json.loads(report.read_text())["facts"]
    assert [(i["status"], i["found_at"]) for i in facts["images"]] == [("found", "textures/Front Board.png")]
    assert facts["bounds"]["size"][:2] == [2, 2]
    again = tmp_path / "again.zip"
    main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", str(again)])
    with zipfile.ZipFile(again) as archive:
        assert archive.read("models/board.obj") == came["models/board.obj"]


def test_another_kind_of_picture_lies_where_the_one_before_lay(package, tmp_path):
    folder, files = package
    out = tmp_path / "out"
    assert main(["mend", str(folder), "--mend", "textures.convert:to=jpeg", "--out", f"{out}/"]) == 0
    came = inside(out)
    assert set(came) - set(files) == {"textures/Front Board.jpg", "handlens-manifest.json"}
    assert came["textures/Front Board.png"] == files["textures/Front Board.png"]
    assert manifest(came)["textures/Front Board.jpg"]["was"] is None


def test_a_side_file_alone_leaves_the_model_as_it_is(package, tmp_path):
    folder, files = package
    (folder / "moorings.xml").write_bytes(files["moorings.xml"].replace(b"'paint'", b"'Paint'"))
    out = tmp_path / "out"
    mend = "arrival.side-file:file=moorings.xml,line=1,column=45,to=paint"
    assert main(["mend", str(folder), "--mend", mend, "--out", f"{out}/"]) == 0
    came = inside(out)
    assert [p for p in files if came[p] != files[p]] == []
    assert manifest(came)["moorings.xml"]["because"] == ["arrival.side-file"]


def test_nothing_is_written_through_a_link_or_over_the_input(package, tmp_path, capsys):
    folder, _ = package
    out, elsewhere = tmp_path / "out", tmp_path / "elsewhere"
    out.mkdir()
    elsewhere.mkdir()
    (out / "textures").symlink_to(elsewhere)
    call = ["mend", str(folder), "--mend", "size.scale:factor=2", "--out"]
    assert main([*call, f"{out}/"]) == 2
    assert "is a link" in capsys.readouterr().err
    assert list(elsewhere.iterdir()) == []
    assert [p.name for p in out.iterdir()] == ["textures"]
    before = inside(folder)
    assert main([*call, f"{folder}/"]) == 2
    assert inside(folder) == before


def test_a_file_of_another_is_not_written_over(package, tmp_path, capsys):
    """The library that would be written has the name of one that the model does not use."""
    folder, files = package
    (folder / "models/board.obj").write_bytes(files["models/board.obj"].replace(b"board.mtl", b"paints.mtl"))
    (folder / "models/paints.mtl").write_bytes(files["models/board.mtl"])
    (folder / "models/board.mtl").write_bytes(b"newmtl other")
    out = tmp_path / "out"
    assert main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", f"{out}/"]) == 2
    assert "models/board.mtl is in the package, is no part of models/board.obj" in capsys.readouterr().err
    assert not out.exists()


@pytest.mark.parametrize("inside_of", ["sub/", "sub.zip"])
def test_a_package_is_not_written_into_itself(package, capsys, inside_of):
    folder, _ = package
    before = inside(folder)
    assert main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", f"{folder}/{inside_of}"]) == 2
    assert "is inside the package itself" in capsys.readouterr().err
    assert inside(folder) == before


def test_two_materials_go_on_sharing_one_picture(package, tmp_path):
    folder, files = package
    (folder / "models/board.mtl").write_bytes(
        files["models/board.mtl"] + b"newmtl back\nKd 0.5 0.5 0.5\nmap_Kd ../textures/Front Board.png\n"
    )
    board = files["models/board.obj"] + b"usemtl back\nf 4/4/1 3/3/1 2/2/1 1/1/1\n"
    (folder / "models/board.obj").write_bytes(board)
    out = tmp_path / "out"
    assert main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", f"{out}/"]) == 0
    came = inside(out)
    assert set(came) == {*files, "handlens-manifest.json"}
    assert came["models/board.mtl"].count(b"../textures/Front Board.png") == 2


def test_ten_changes_at_the_destination_are_told(package, tmp_path):
    folder, files = package
    out, place = tmp_path / "out", tmp_path / "place"
    main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", f"{out}/"])
    shutil.copytree(out, place)
    told = tmp_path / "stale.json"

    def stale(sent=out):
        code = main(["stale", str(sent), str(place), "--json", str(told), "--replace"])
        tree = json.loads(told.read_text())
        assert sum(tree["counts"].values()) == len(tree["files"])
        assert list(tree["counts"]) == list(STATES)
        return code, {f["path"]: f["state"] for f in tree["files"] if f["state"] != "same"}

    assert stale() == (0, {})
    (place / "handlens-manifest.json").unlink()
    assert stale(out / "handlens-manifest.json") == (0, {})
    changes = {
        "models/board.obj": ("older", lambda p: p.write_bytes(files["models/board.obj"])),
        "models/board.mtl": ("changed", lambda p: p.write_bytes(p.read_bytes() + b"#")),
        "textures/Front Board.png": ("changed", lambda p: p.write_bytes(png((48, 40), noise=31))),
        "moorings.xml": ("missing", lambda p: p.unlink()),
        "notes/0.bin": ("changed", lambda p: p.write_bytes(b"")),
        "notes/1.bin": ("missing", lambda p: p.rename(p.with_name("1.txt"))),
        "notes/1.txt": ("foreign", lambda p: None),
        "notes/2.bin": ("changed", lambda p: p.write_bytes(p.read_bytes()[::-1] + b"x")),
        "stray.glb": ("foreign", lambda p: p.write_bytes(b"glTF")),
        "notes/deep/3.bin": ("foreign", lambda p: (p.parent.mkdir(), p.write_bytes(b"\x03"))),
    }
    so_far = {}
    for path, (state, change) in changes.items():
        change(place / path)
        so_far[path] = state
        code, found = stale()
        assert code == 1
        assert {k: v for k, v in found.items() if k in so_far} == so_far
    assert set(found) == set(changes)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "not the manifest"),
        ('{"schema": 1, "files": [{"path": 3}]}', "files[0].path"),
        ('{"schema": 2, "files": []}', "schema"),
        ("[]", "not the manifest"),
    ],
)
def test_a_wrong_manifest_is_one_sentence(tmp_path, capsys, text, says):
    (tmp_path / "m.json").write_text(text)
    assert main(["stale", str(tmp_path / "m.json"), str(tmp_path)]) == 2
    error = capsys.readouterr().err
    assert says in error
    assert error.count("\n") == 1


def test_random_bytes_are_kept_whatever_they_are(package, tmp_path):
    folder, _ = package
    random = np.random.default_rng(4)
    odd = {f"odd/{name}": random.bytes(40) for name in ("no ending", ".hidden", "ü.dat", "a b.MTL", "x.csv")}
    (folder / "odd").mkdir()
    for path, data in odd.items():
        (folder / path).write_bytes(data)
    out = tmp_path / "out"
    main(["mend", str(folder), "--mend", "size.scale:factor=2", "--out", f"{out}/"])
    came = inside(out)
    assert {p: came.get(p) for p in odd if not p.endswith(".hidden")} == {
        p: d for p, d in odd.items() if not p.endswith(".hidden")
    }


@pytest.mark.parametrize("out", ["sent", "sent.zip"])
def test_a_package_goes_out_in_another_format_with_all_else_as_it_was(package, tmp_path, out):
    folder, files = package
    place = tmp_path / out
    call = ["export", str(folder), "--format", "gltf", "--package", "--out", str(place), "--proof", str(tmp_path / "proof.json")]
    assert main(call) == 0
    if out.endswith(".zip"):
        with zipfile.ZipFile(place) as archive:
            sent = {name: archive.read(name) for name in archive.namelist()}
    else:
        sent = inside(place)
    stayed = {name: data for name, data in files.items() if not name.startswith("models/")}
    assert {name: sent[name] for name in stayed} == stayed
    new = set(sent) - set(stayed)
    assert new == {"models/board.gltf", "models/board.bin", "handlens-manifest.json"}
    assert json.loads(sent["models/board.gltf"])["images"][0]["uri"] == "../textures/Front%20Board.png"


def test_a_whole_package_wants_one_that_came_and_a_place_outside_of_it(package, tmp_path, capsys):
    folder, _ = package
    one = str(folder / "models" / "board.obj")
    for source, out in ((one, str(tmp_path / "out")), (str(folder), str(tmp_path / "a.glb")), (str(folder), str(folder / "out"))):
        assert main(["export", source, "--format", "glb", "--package", "--out", out]) == 2
        assert "package" in capsys.readouterr().err
    assert not (tmp_path / "out").exists()
    assert not (folder / "out").exists()
