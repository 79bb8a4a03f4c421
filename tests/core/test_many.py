"""The command line over many models: packages below a folder, several at once, what was known before, and the project file."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
from datetime import date
from pathlib import Path

import pytest

from conftest import ROOT
from handlens import cli
from handlens.core import formats
from handlens.core.limits import InputError
from handlens.core.machine.one_each import one_each
from handlens.core.pipeline.packaged import as_zip
from handlens.core.pipeline.project import find_project, read_project
from handlens.core.scene import Node
from kit.scenes import cube, scene


@pytest.fixture
def quay(tmp_path, monkeypatch):
    """Three packages below a folder: a crate, a turned crate, and a crate in a zip; and one that cannot be read."""
    whole = formats.write(scene(cube(), nodes=(Node("n", "crate", scale=(2.0, 2.0, 2.0), mesh=0),)), "glb", "crate")["crate.glb"]
    for name in ("one/crate.glb", "two/deep/crate.glb"):
        (tmp_path / "quay" / name).parent.mkdir(parents=True)
        (tmp_path / "quay" / name).write_bytes(whole)
    (tmp_path / "quay" / "three.zip").write_bytes(as_zip({"crate.glb": whole}))
    (tmp_path / "quay" / "broken.glb").write_bytes(b"glTF")
    (tmp_path / "quay" / "torn.zip").write_bytes(b"PK no more")
    (tmp_path / "quay" / ".hidden").mkdir()
    (tmp_path / "quay" / ".hidden" / "crate.glb").write_bytes(whole)
    (tmp_path / "away").mkdir()
    (tmp_path / "quay" / "link").symlink_to(tmp_path / "away")
    monkeypatch.chdir(tmp_path)
    return tmp_path / "quay"


def run(capsys, *call):
    code = cli.main(list(map(str, call)))
    return code, *capsys.readouterr()


def findings(path):
    tree = json.loads(Path(path).read_text())
    return {m.get("place", m["source"]["path"]): m for m in tree.get("models", [tree])}


@pytest.mark.parametrize("jobs", [1, 3])
def test_each_folder_and_zip_is_a_package_and_one_that_is_broken_takes_none_along(quay, capsys, jobs):
    code, out, err = run(
        capsys, "inspect", "quay", "--recursive", "--jobs", jobs, "--compact", "--try", "none", "--json", "all.json"
    )
    lines = out.splitlines()
    assert [line.partition(":")[0] for line in lines[:-1]] == [
        "quay/three.zip/crate.glb",
        "quay/one/crate.glb",
        "quay/two/deep/crate.glb",
    ]
    assert lines[-1].startswith("5 models: 0 held, 3 fit, 2 could not be read")
    assert "quay/broken.glb" in err
    assert "torn.zip is not a readable zip" in err
    assert code == 1
    assert "error" in findings("all.json")["quay/broken.glb"]


def test_several_at_once_say_the_same_as_one_after_another(quay, capsys):
    for jobs in ("1", "3"):
        run(capsys, "inspect", "quay", "--recursive", "--jobs", jobs, "--quiet", "--try", "none", "--json", f"{jobs}.json")
    one, three = (json.loads(Path(f"{jobs}.json").read_text()) for jobs in ("1", "3"))
    for tree in (one, three):
        for model in tree["models"]:
            model.pop("seconds", None)
    assert one == three


def test_what_was_found_before_fails_nothing_and_what_is_new_does(quay, capsys):
    model = quay / "one" / "crate.glb"
    call = ["inspect", model, "--fail-on", "note", "--try", "none"]
    assert run(capsys, *call, "--json", "before.json")[0] == 1
    code, out, _ = run(capsys, *call, "--baseline", "before.json", "--json", "after.json", "--compact")
    assert code == 0
    assert "known" in out
    assert all(f["known"] for f in findings("after.json")["crate.glb"]["findings"])
    known = json.loads(Path("before.json").read_text())
    known["findings"] = known["findings"][1:]
    Path("before.json").write_text(json.dumps(known))
    assert run(capsys, *call, "--baseline", "before.json")[0] == 1
    Path("odd.json").write_text('{"models": 3}')
    code, _, err = run(capsys, *call, "--baseline", "odd.json")
    assert code == 2
    assert "is not a report" in err


PROJECT = """
sheet = "block-world"
fail-on = "note"
search = ["textures"]
[[intents]]
match = "quay/one/*"
intent = { expected = { height_m = 5.0 } }
[[waivers]]
finding = "*"
match = "quay/two/*"
reason = "made for the fog"
until = 2999-01-31
[[waivers]]
finding = "size.expected"
reason = "long ago"
until = 2001-01-31
"""


def test_a_project_file_says_once_what_holds_for_all(quay, capsys):
    (quay.parent / "textures").mkdir()
    (quay.parent / "handlens.toml").write_text(PROJECT)
    code, _, err = run(capsys, "inspect", "quay/one", "quay/two/deep", "--try", "none", "--json", "all.json")
    one, two = findings("all.json").values()
    assert code == 1
    assert one["judged_by"]["sheet"] == "block-world"
    assert "size.expected" in {f["check"] for f in one["findings"]}
    assert {f["waived"] for f in two["findings"]} == {"made for the fog (until 2999-01-31)"}
    assert two["verdict"] == {"stop": 0, "caution": 0, "note": 0}
    assert "the waiver of size.expected ended on 2001-01-31" in err
    assert run(capsys, "inspect", "quay/two/deep", "--try", "none")[0] == 0
    assert run(capsys, "inspect", "quay/two/deep", "--try", "none", "--no-project", "--fail-on", "note")[0] == 1
    assert (
        run(capsys, "inspect", "quay/one", "--try", "none", "--rules", "ar-viewing", "--json", "-")[1].count('"ar-viewing"') == 1
    )


def test_a_project_that_speaks_of_a_part_that_is_not_there_says_where(quay, capsys):
    (quay.parent / "handlens.toml").write_text('[[intents]]\nmatch = "*"\nintent = { parts = { mast = { role = "aside" } } }\n')
    code, _, err = run(capsys, "inspect", "quay/one", "--try", "none")
    assert code == 2
    assert "The intent in handlens.toml names 'mast'" in err


def test_what_comes_with_a_model_says_nothing_of_how_it_is_judged(quay, monkeypatch):
    (quay / "handlens.toml").write_text('house = ["checks"]\n')
    assert find_project(quay / "one", [quay]) is None
    found = find_project(quay, [quay / "one"])
    assert found is not None
    assert found.house == [quay / "checks"]
    assert find_project(quay.parent, [quay]) is None


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("sheet = ", "not valid TOML"),
        ("colour = 1", "unknown field `colour`"),
        ("fail-on = 'never'", "at fail-on"),
        ("[[waivers]]\nfinding = 'x'", "missing required field `reason`"),
        ("[[intents]]\nmatch = '*'\nintent = { kind = 'ship' }", "kind"),
        ("[[waivers]]\nfinding='x'\nreason='y'\nuntil='soon'", "until"),
    ],
)
def test_a_wrong_project_file_is_one_sentence_with_its_place(tmp_path, text, says):
    (tmp_path / "handlens.toml").write_text(text)
    with pytest.raises(InputError, match=says):
        read_project(tmp_path / "handlens.toml")


def test_a_waiver_holds_on_its_last_day(tmp_path):
    (tmp_path / "handlens.toml").write_text("[[waivers]]\nfinding='slots.*'\nreason='old paint'\nuntil=2027-06-30\n")
    project = read_project(tmp_path / "handlens.toml")
    found = [{"id": "slots.equal:a", "check": "slots.equal"}, {"id": "skin.bare", "check": "skin.bare"}]
    assert set(project.reasons(tmp_path / "x.glb", found, date(2027, 6, 30))) == {"slots.equal:a"}
    assert project.reasons(tmp_path / "x.glb", found, date(2027, 7, 1)) == {}
    assert project.ended(date(2027, 6, 30)) == []


def test_a_recipe_goes_from_one_model_to_the_next(quay, capsys):
    crate = quay / "one" / "crate.glb"
    assert run(capsys, "mend", crate, "--mend", "size.scale:factor=2", "--out", "a.glb", "--json", "recipe.json")[0] == 0
    assert run(capsys, "mend", crate, "--recipe", "recipe.json", "--mend", "size.scale:factor=2", "--out", "b.glb")[0] == 0
    run(capsys, "inspect", "b.glb", "--try", "none", "--json", "b.json")
    assert findings("b.json")["b.glb"]["facts"]["size_m"] == [8, 8, 8]
    code, _, err = run(capsys, "mend", crate, "--out", "c.glb")
    assert code == 2
    assert "--recipe" in err
    code, _, err = run(capsys, "mend", crate, "--recipe", "recipe.json", "--out", "recipe.json")
    assert code == 2


def test_every_command_says_how_it_is_called_and_what_its_codes_mean(capsys):
    from handlens.commands.arguments import parser

    commands = next(a for a in parser()._actions if hasattr(a, "choices") and a.choices and "inspect" in a.choices).choices
    for name in commands:
        with pytest.raises(SystemExit):
            cli.main([name, "--help"])
        out = capsys.readouterr().out
        assert f"handlens {name}" in out
        assert "exit codes:" in out


def test_completions_know_the_commands(capsys):
    code, out, _ = run(capsys, "completions", "bash")
    assert code == 0
    assert subprocess.run(["bash", "-n"], input=out, text=True, check=False).returncode == 0
    assert "learn-sheet" in out


def test_one_check_is_told_whole_and_an_unknown_one_by_its_nearest(capsys):
    code, out, _ = run(capsys, "checks", "skin.bare")
    assert (code, out.count("Measured:")) == (0, 1)
    code, _, err = run(capsys, "mends", "facing.outwrd")
    assert (code, "did you mean facing.outward?" in err) == (2, True)


def test_work_in_processes_of_its_own_outlives_each_of_them():
    def work(n):
        if n == 2:
            os.kill(os.getpid(), signal.SIGKILL)
        if n == 3:
            raise InputError("the third")
        return bytes(200_000) + bytes([n])

    told = {ended.number: ended for ended in one_each(work, [0, 1, 2, 3, 4, 5], 3)}
    assert {n for n, ended in told.items() if ended.answer is not None} == {0, 1, 4, 5}
    assert told[2].signal == signal.SIGKILL
    assert isinstance(told[3].error, InputError)
    running = one_each(work, [0] * 20, 4)
    next(running)
    running.close()


@pytest.mark.skipif(shutil.which("git") is None, reason="no version control here")
def test_the_hook_and_the_step_of_a_pipeline_do_what_they_say(quay):
    env = {
        **os.environ,
        "HANDLENS": f"{sys.executable} -m handlens",
        "PYTHONPATH": str(ROOT / "src"),
        "GIT_CONFIG_GLOBAL": "/dev/null",
    }
    call = lambda *words: subprocess.run(words, cwd=quay, env=env, capture_output=True, text=True, check=False)
    call("git", "init", "-q")
    shutil.copy(ROOT / "docs" / "examples" / "pre-commit", quay / ".git" / "hooks" / "pre-commit")
    commit = ["git", "-c", "user.name=quay", "-c", "user.email=quay@example.invalid", "commit", "-qm", "crates"]
    call("git", "add", "one/crate.glb")
    assert call(*commit).returncode == 0
    call("git", "add", "broken.glb")
    refused = call(*commit)
    assert refused.returncode != 0
    assert "broken.glb" in refused.stderr
    done = call("sh", str(ROOT / "docs" / "examples" / "pipeline.sh"), ".", "../reports")
    assert done.returncode == 1
    assert json.loads((quay.parent / "reports" / "models.sarif").read_text())["version"] == "2.1.0"
    assert (quay.parent / "reports" / "models.xml").read_bytes().startswith(b"<?xml")


def test_a_library_of_more_files_than_a_package_may_have_is_looked_through(tmp_path, capsys):
    from handlens.core import limits

    library = tmp_path / "library"
    for k in range(limits.MAX_PACKAGE_FILES // 100 + 2):
        (library / f"{k:03}").mkdir(parents=True)
        for n in range(100):
            (library / f"{k:03}" / f"mud_{k}_{n}.png").touch()
    shutil.copy(ROOT / "demo/models/ferry_signboard/rope_coil_old.png", library / "033" / "rope_coil.png")
    board = ROOT / "demo/models/ferry_signboard/ferry_signboard.obj"
    out = tmp_path / "out" / "board.obj"
    assert run(capsys, "mend", board, "--search", library, "--mend", "textures.find", "--out", out)[0] == 0
    assert (out.parent / "rope_coil.png").read_bytes() == (library / "033" / "rope_coil.png").read_bytes()
    run(capsys, "inspect", board, "--search", library, "--try", "none", "--json", tmp_path / "told.json")
    told = next(i for i in findings(tmp_path / "told.json")["ferry_signboard.obj"]["facts"]["images"] if "rope" in i["reference"])
    assert told["status"] == "found"
