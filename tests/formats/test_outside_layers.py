"""A USD file that names layers outside of what was sent gets nothing of them, by any way in which one layer can lead to another."""

import zipfile
from pathlib import Path

import pytest

from handlens.core import formats
from handlens.core.limits import InputError
from handlens.core.packages import FolderPackage

TRIANGLE = """
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
"""
PLANTED = f"""#usda 1.0
(
    defaultPrim = "S"
)
def Scope "S"
{{
    def Mesh "planted"
    {{{TRIANGLE}
        point3f[] points = [(0, 0, 0), (9, 0, 0), (0, 9, 0)]
    }}
}}
"""
#: A layer with values over time, for value clips.
CLIP = """#usda 1.0
(
    startTimeCode = 0
    endTimeCode = 2
)
def Scope "S"
{
    def Mesh "m"
    {
        point3f[] points.timeSamples = {
            0: [(0, 0, 0), (9, 0, 0), (0, 9, 0)],
            1: [(0, 0, 0), (9, 0, 0), (0, 9, 0)],
        }
    }
}
"""
MANIFEST = '#usda 1.0\ndef Scope "S"\n{\n    def Mesh "m"\n    {\n        point3f[] points\n    }\n}\n'
OWN = f'def Mesh "own"\n{{{TRIANGLE}\n    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n}}\n'
CLIPPED = f'{{\n    def Mesh "m"\n    {{{TRIANGLE}\n        point3f[] points\n    }}\n}}\n'


def _by(arc: str, folder: str) -> str:
    """A stage that leads by one arc to layers of a folder."""
    there = f"@{folder}/p.usda@"
    if arc == "sublayer":
        return f"#usda 1.0\n(\n    subLayers = [\n        {there}\n    ]\n)\n{OWN}"
    if arc == "clip":
        told = f'asset[] assetPaths = [@{folder}/clip.1.usda@]\n asset manifestAssetPath = @{folder}/man.usda@\n string primPath = "/S"\n double2[] active = [(0, 0)]\n double2[] times = [(0, 0), (1, 1)]'
        return f'#usda 1.0\n{OWN}def Scope "R" (\n clips = {{\n dictionary default = {{\n {told}\n }}\n }}\n)\n{CLIPPED}'
    if arc == "clip template":
        told = f'string templateAssetPath = "{folder}/clip.#.usda"\n double templateStartTime = 1\n double templateEndTime = 1\n double templateStride = 1\n asset manifestAssetPath = @{folder}/man.usda@\n string primPath = "/S"'
        return f'#usda 1.0\n{OWN}def Scope "R" (\n clips = {{\n dictionary default = {{\n {told}\n }}\n }}\n)\n{CLIPPED}'
    if arc == "variant":
        inner = f'    variantSet "v" = {{\n        "a" (\n            references = {there}\n        ) {{\n        }}\n    }}\n'
        return f'#usda 1.0\n{OWN}def Scope "R" (\n    variants = {{\n        string v = "a"\n    }}\n    prepend variantSets = "v"\n)\n{{\n{inner}}}\n'
    words = {"reference": "references", "prepended reference": "prepend references", "payload": "payload"}[arc]
    return f'#usda 1.0\n{OWN}def Scope "R" (\n    {words} = {there}\n)\n{{\n}}\n'


ARCS = ("sublayer", "reference", "prepended reference", "payload", "variant", "clip", "clip template")


@pytest.fixture
def planted(tmp_path):
    secret, sent = tmp_path / "secret", tmp_path / "sent"
    secret.mkdir()
    sent.mkdir()
    for name, text in (("p.usda", PLANTED), ("clip.1.usda", CLIP), ("man.usda", MANIFEST)):
        (secret / name).write_text(text)
    return secret, sent


def _read(sent: Path, text: str, ending: str):
    (sent / f"a.{ending}").write_text(text)
    if ending == "usdz":
        (sent / "a.usda").write_text(text)
        with zipfile.ZipFile(sent / "a.usdz", "w") as z:
            z.write(sent / "a.usda", "a.usda")
        (sent / "a.usda").unlink()
    return formats.read(FolderPackage(sent), f"a.{ending}")


def _foreign(scene) -> bool:
    return any(len(m.positions) and m.positions.max() > 5 for m in scene.meshes)


def _opened_without_us(file: Path) -> bool:
    """Whether the library by itself shows what lies outside: else the test would pass whatever we do."""
    from pxr import Usd, UsdGeom

    stage = Usd.Stage.Open(str(file))
    meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    shown = [m.GetPointsAttr().Get(Usd.TimeCode(1)) or [] for m in meshes]
    return any(max(p[0] for p in points) > 5 for points in shown if len(points))


@pytest.mark.parametrize("arc", ARCS)
def test_nothing_outside_is_opened(arc, planted):
    secret, sent = planted
    for folder in (str(secret), "../secret", "./../secret", f"file://{secret}", "..%2Fsecret", f"{sent}/../secret"):
        for ending in ("usda", "usdz"):
            if arc.startswith("clip"):
                # Without its clip the mesh has no points, which is told.
                with pytest.raises(InputError, match="but only 0 are there"):
                    _read(sent, _by(arc, folder), ending)
                continue
            scene = _read(sent, _by(arc, folder), ending)
            assert not _foreign(scene), (folder, ending)
            assert len(scene.meshes) >= 1
            # From within a package the way up leads into what was sent, where nothing of that name lies.
            told = "did not come" if "%" in folder or (ending == "usdz" and ".." in folder[:5]) else "lies outside"
            assert any(told in p.text for p in scene.problems), (folder, ending)
        if folder in (str(secret), "../secret"):
            (sent / "b.usda").write_text(_by(arc, folder))
            assert _opened_without_us(sent / "b.usda"), f"{arc} is no way in by itself"
            (sent / "b.usda").unlink()


@pytest.mark.parametrize("arc", [a for a in ARCS if not a.startswith("clip")])
@pytest.mark.parametrize("folder", [".", "./below", "below"])
def test_what_was_sent_is_opened(arc, folder, tmp_path):
    (tmp_path / "below").mkdir()
    (tmp_path / folder / "p.usda").write_text(PLANTED)
    assert _foreign(_read(tmp_path, _by(arc, folder), "usda"))


def test_a_layer_that_did_not_come_is_told(tmp_path):
    scene = _read(tmp_path, _by("reference", "."), "usda")
    assert [p.text for p in scene.problems] == ["The layer ./p.usda did not come with the model."]


def test_layers_of_a_package_find_each_other(tmp_path):
    with zipfile.ZipFile(tmp_path / "a.usdz", "w") as z:
        z.writestr("a.usda", _by("sublayer", "./parts").replace("(\n", '(\n    defaultPrim = "S"\n', 1))
        z.writestr("parts/p.usda", PLANTED)
    assert _foreign(formats.read(FolderPackage(tmp_path), "a.usdz"))
    # And a package that another file refers to, as a whole and by a layer in it.
    for named in ("a.usdz", "a.usdz[parts/p.usda]"):
        (tmp_path / "b.usda").write_text(_by("reference", ".").replace("./p.usda", named))
        scene = formats.read(FolderPackage(tmp_path), "b.usda")
        assert scene.problems == (), named
        assert len(scene.meshes) >= 2, named


def _nested(folder: Path, depth: int, each: int, how: str) -> None:
    """Layers that lead to the next one `each` times over."""
    for k in range(depth):
        rows = "".join(f'    def Scope "c{j}" (\n        {how} = @./l{k + 1}.usda@\n    )\n    {{\n    }}\n' for j in range(each))
        (folder / f"l{k}.usda").write_text(f'#usda 1.0\n(\n    defaultPrim = "R"\n)\ndef Scope "R"\n{{\n{rows}}}\n')
    (folder / f"l{depth}.usda").write_text(PLANTED.replace('defaultPrim = "S"', 'defaultPrim = "S"'))


@pytest.mark.parametrize("how", ["references", "payload", "prepend references"])
def test_layers_that_grow_without_bound_are_refused_before_they_do(how, tmp_path):
    _nested(tmp_path, 8, 10, how)
    with pytest.raises(InputError, match=r"grows to more than 400,000 prims through its references"):
        formats.read(FolderPackage(tmp_path), "l0.usda")
    _nested(tmp_path, 3, 10, how)
    assert sum(n.mesh is not None for n in formats.read(FolderPackage(tmp_path), "l0.usda").nodes) == 1000


def test_references_within_one_layer_grow_too_and_circles_end(tmp_path):
    rows = "".join(
        f'def Scope "a{k}"\n{{\n'
        + "".join(f'    def Scope "c{j}" (\n        references = </a{k + 1}>\n    )\n    {{\n    }}\n' for j in range(10))
        + "}\n"
        for k in range(8)
    )
    with pytest.raises(InputError, match="grows to more than"):
        _read(tmp_path, f'#usda 1.0\n{rows}def Scope "a8"\n{{\n}}\n', "usda")
    (tmp_path / "b.usda").write_text(_by("reference", ".").replace("./p.usda", "./a.usda").replace("def Mesh", "def Mesh", 1))
    assert len(_read(tmp_path, _by("reference", ".").replace("./p.usda", "./b.usda"), "usda").meshes) == 1
