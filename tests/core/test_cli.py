"""The command line, as the contract has it."""

import faulthandler
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import ROOT
from handlens import cli
from handlens.core import formats
from handlens.core.rules import shipped
from handlens.core.scene import Node
from handlens.guarded import guarded
from kit.scenes import cube, scene


@pytest.fixture
def crate(tmp_path):
    made = scene(cube(), nodes=(Node("n", "crate", scale=(2.0, 2.0, 2.0), mesh=0),))
    (tmp_path / "crate.glb").write_bytes(formats.write(made, "glb", "crate")["crate.glb"])
    return tmp_path / "crate.glb"


def run(*args, capsys):
    code = cli.main([str(a) for a in args])
    out = capsys.readouterr()
    return code, out.out, out.err


def test_inspect_json_has_the_contracts_keys(crate, capsys):
    code, out, _ = run("inspect", crate, "--json", "-", capsys=capsys)
    tree = json.loads(out)
    assert code == 0
    assert {"schema", "source", "facts", "findings", "clear", "skipped", "verdict"} <= set(tree)
    assert tree["source"]["files"][0] | {"sha256": ""} == {
        "path": "crate.glb",
        "bytes": crate.stat().st_size,
        "sha256": "",
        "role": "model",
    }
    wanted = "unit_metres up_axis nodes meshes parts triangles triangles_unique faces faces_over_4 vertices vertices_welded gpu_vertices loose_edges loose_points bounds size_m materials faces_without_material images uv_sets closed winding_consistent nodes_scaled nodes_non_uniform nodes_mirrored skins influences_max vertices_weights_off clips cameras lights"
    assert set(wanted.split()) <= set(tree["facts"])
    f = tree["facts"]
    assert (f["triangles"], f["vertices"], f["closed"], f["winding_consistent"], f["nodes_scaled"]) == (12, 8, True, True, 1)
    assert f["size_m"] == [2, 2, 2]
    assert f["bounds"]["centre_distance"] == pytest.approx(3**0.5)
    one = tree["findings"][0]
    assert set(one) >= {
        "id",
        "check",
        "station",
        "result",
        "part",
        "title",
        "measured",
        "wanted",
        "why",
        "count",
        "elements",
        "mends",
        "waived",
    }
    assert one["elements"] == {"kind": "nodes", "total": 1, "indices": [0]}
    assert tree["verdict"] == {"stop": 0, "caution": 1, "note": 0}


def test_the_same_input_gives_the_same_bytes(crate, tmp_path, capsys):
    texts = []
    for k in range(2):
        run("inspect", crate, "--json", tmp_path / f"{k}.json", capsys=capsys)
        tree = json.loads((tmp_path / f"{k}.json").read_text())
        del tree["seconds"]
        texts.append(json.dumps(tree))
    assert texts[0] == texts[1]


@pytest.mark.parametrize(("level", "code"), [("stop", 0), ("caution", 1), ("note", 1)])
def test_fail_on(crate, level, code, capsys):
    assert run("inspect", crate, "--fail-on", level, capsys=capsys)[0] == code


def test_rules_by_name_slug_and_file(crate, tmp_path, capsys):
    sheet = json.loads(run("rules", "show", "Creator platform, strict", capsys=capsys)[1])
    sheet["limits"]["triangles_mesh"] = 11
    (tmp_path / "mine.json").write_text(json.dumps(sheet))
    code, out, _ = run("inspect", crate, "--rules", tmp_path / "mine.json", "--json", "-", capsys=capsys)
    assert code == 1
    assert "budget.triangles-mesh" in {f["check"] for f in json.loads(out)["findings"]}
    sheet["limits"]["triangles_mesh"] = "many"
    (tmp_path / "mine.json").write_text(json.dumps(sheet))
    code, _, err = run("inspect", crate, "--rules", tmp_path / "mine.json", capsys=capsys)
    assert code == 2
    assert "limits/triangles_mesh" in err


def test_rules_list(capsys):
    lines = run("rules", "list", capsys=capsys)[1].splitlines()
    assert lines[0] == "realtime-engine\tRealtime engine"
    assert len(lines) == 6


def test_intent(crate, tmp_path, capsys):
    (tmp_path / "intent.json").write_text('{"expected": {"height_m": 200}}')
    assert run("inspect", crate, "--intent", tmp_path / "intent.json", capsys=capsys)[0] == 1
    (tmp_path / "intent.json").write_text('{"kind": "boat"}')
    code, _, err = run("inspect", crate, "--intent", tmp_path / "intent.json", capsys=capsys)
    assert (code, "boat" in err) == (2, True)


def test_mend_writes_the_same_format_and_tells(crate, tmp_path, capsys):
    out = tmp_path / "out" / "mended.glb"
    code, said, _ = run(
        "mend", crate, "--mend", "size.scale:factor=0.5", "--mend", "placement.bake", "--out", out, "--json", "-", capsys=capsys
    )
    assert code == 0
    assert [m["applied"] for m in json.loads(said)["mends"]] == [True, True]
    facts = json.loads(run("inspect", out, "--json", "-", capsys=capsys)[1])["facts"]
    assert (facts["size_m"], facts["nodes_scaled"]) == ([1, 1, 1], 0)


def test_mend_says_what_its_own_format_cannot_hold(tmp_path, capsys):
    (tmp_path / "leaf.obj").write_text("mtllib leaf.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl leaf\nf 1 2 3\n")
    (tmp_path / "leaf.mtl").write_text("newmtl leaf\nd 0.5\n")
    args = ["mend", tmp_path / "leaf.obj", "--mend", "see-through.set:mode=mask", "--out", tmp_path / "out"]
    code, out, err = run(*args, capsys=capsys)
    assert (code, err) == (0, "")
    assert "see-through.set: leaf blend → mask at 0.5" in out
    assert "not held: 1 threshold of a cut-out cannot be stored." in out


def test_export_and_prove(crate, tmp_path, capsys):
    code, out, _ = run(
        "export", crate, "--out", tmp_path / "out", "--format", "obj", "--proof", tmp_path / "p.json", capsys=capsys
    )
    assert code == 0
    assert json.loads((tmp_path / "p.json").read_text())["proved"]
    assert "not held" in out
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["crate.mtl", "crate.obj"]
    assert run("prove", crate, tmp_path / "out" / "crate.obj", capsys=capsys)[0] == 0
    other = tmp_path / "other.obj"
    other.write_text((tmp_path / "out" / "crate.obj").read_text().replace("v 2", "v 3"))
    code, out, _ = run("prove", crate, other, "--json", "-", capsys=capsys)
    assert code == 1
    assert not json.loads(out)["proved"]


@pytest.mark.parametrize(
    "args",
    [
        ["inspect", "{crate}", "--json", "{crate}"],
        ["mend", "{crate}", "--mend", "placement.bake", "--out", "{crate}"],
        ["export", "{crate}", "--format", "glb", "--out", "{folder}"],
    ],
)
def test_an_input_is_never_written_over(crate, args, capsys):
    before = crate.read_bytes()
    code, _, err = run(*[a.format(crate=crate, folder=crate.parent) for a in args], capsys=capsys)
    assert code == 2
    assert "never written over" in err
    assert crate.read_bytes() == before


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (["inspect"], "required"),
        (["inspect", "/no/such/file.glb"], "no file or folder"),
        (["inspect", "{crate}", "--rules", "moon"], "no rule sheet"),
        (["inspect", "{crate}", "--fail-on", "sneeze"], "invalid choice"),
        (["mend", "{crate}", "--mend", "size.shrink", "--out", "x.glb"], "no mend"),
        (["export", "{crate}", "--format", "off", "--out", "x"], "cannot be written"),
        (["inspect", "{crate}", "--search", "/no/such/folder"], "no folder"),
        (["dance"], "invalid choice"),
    ],
)
def test_wrong_calls_are_one_line(crate, args, says, capsys):
    code, out, err = run(*[a.format(crate=crate) for a in args], capsys=capsys)
    assert (code, out) == (2, "")
    assert says in err
    assert len(err.strip().splitlines()) == 1


def test_search_finds_what_is_missing(tmp_path, capsys):
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    (tmp_path / "a" / "pot.obj").write_text("mtllib pot.mtl\nusemtl net\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    (tmp_path / "a" / "pot.mtl").write_text("newmtl net\nmap_Kd net.png\n")
    (tmp_path / "b" / "net.png").write_bytes(b"x")
    look = lambda *more: json.loads(run("inspect", tmp_path / "a", "--json", "-", *more, capsys=capsys)[1])["facts"]["images"][0][
        "status"
    ]
    assert (look(), look("--search", tmp_path / "b")) == ("missing", "found")


def test_lists(capsys):
    checks = json.loads(run("checks", "--json", capsys=capsys)[1])
    assert {"id", "station", "title", "does", "why", "measured", "source", "mends", "results"} <= set(checks[0])
    assert set(checks[0]["results"]) == {s.slug for s in shipped()}
    mends = json.loads(run("mends", "--json", capsys=capsys)[1])
    known = {m["id"] for m in mends}
    assert {"id", "station", "parameters", "keeps", "costs"} <= set(mends[0])
    assert all(set(c["mends"]) <= known for c in checks)
    assert "Why:" in run("checks", capsys=capsys)[1]
    assert "Keeps:" in run("mends", capsys=capsys)[1]


def test_a_closed_pipe_is_no_error(crate):
    line = f"{sys.executable} -m handlens.cli checks | head -1"
    done = subprocess.run(
        ["bash", "-c", f"set -o pipefail; {line}"],
        capture_output=True,
        text=True,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )
    assert done.stderr == ""


def test_a_run_loads_no_more_than_it_needs(crate):
    code = f"import sys\nfrom handlens import cli\ncli.main(['inspect', {str(crate)!r}, '--json', '-'])\nprint([m for m in ('flask', 'sqlalchemy', 'PIL', 'jsonschema', 'scipy.spatial') if m in sys.modules], file=sys.stderr)"
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )
    assert done.stderr.strip() == "[]"


# --- a command that is ended from outside -------------------------------------------------------------


def test_a_command_that_falls_is_one_sentence(capfd):
    def fall(scratch):
        faulthandler.disable()  # else pytest's own words about it come first
        os.kill(os.getpid(), signal.SIGSEGV)
        return 0

    assert guarded(fall) == 2
    assert capfd.readouterr().err.count("\n") == 1


def test_a_command_that_asks_for_too_much_is_one_sentence(capfd):
    assert guarded(lambda scratch: len(bytearray(1 << 45))) == 2
    assert "more memory" in capfd.readouterr().err


def test_a_command_over_its_time_is_one_sentence(capfd, monkeypatch):
    monkeypatch.setattr("handlens.core.limits.CHILD_SECONDS", 1)

    def busy(scratch):
        while True:
            pass

    assert guarded(busy) == 2
    assert "more time" in capfd.readouterr().err


def test_a_mistake_of_our_own_is_one_sentence(capfd):
    assert guarded(lambda scratch: 1 // 0) == 2
    assert capfd.readouterr().err.startswith("handlens: Something in Hand Lens itself went wrong (ZeroDivisionError")


def test_a_command_keeps_its_code_and_its_output(capfd):
    assert guarded(lambda scratch: print("out") or 1) == 1
    assert capfd.readouterr().out == "out\n"


# --- where it writes, what it reads -------------------------------------------------------------------


def _export(crate, *args, capsys):
    return run("export", str(crate), "--format", "glb", *args, capsys=capsys)


def test_only_plain_files_and_new_names_are_written(crate, tmp_path, capsys):
    there = tmp_path / "there.json"
    there.write_text("kept")
    link = tmp_path / "link.json"
    link.symlink_to(there)
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    for place, words in (
        (link, "is a link"),
        (pipe, "is not a regular file"),
        (tmp_path, "is a folder"),
        (tmp_path / ("x" * 256), "longer than"),
    ):
        assert cli.main(["inspect", str(crate), "--json", str(place)]) == 2
        assert words in capsys.readouterr().err
    for name in ("link.glb", "pipe.glb"):
        (tmp_path / name).symlink_to(there) if name == "link.glb" else os.mkfifo(tmp_path / name)
        assert cli.main(["export", str(crate), "--format", "glb", "--out", str(tmp_path / name)]) == 2
        assert capsys.readouterr().err.count("\n") == 1
    assert there.read_text() == "kept"
    assert pipe.is_fifo()


def test_two_formats_at_once_are_refused(crate, tmp_path, capsys):
    assert cli.main(["export", str(crate), "--format", "obj", "--out", str(tmp_path / "x.glb")]) == 2
    assert capsys.readouterr().err == "handlens: x.glb says .glb and --format says obj; name one format.\n"
    assert not (tmp_path / "x.glb").exists()


def test_what_is_no_file_is_not_waited_for(tmp_path, capsys):
    os.mkfifo(tmp_path / "pipe.glb")
    for name in ("inspect", "mend", "export"):
        more = {
            "inspect": [],
            "mend": ["--mend", "placement.home", "--out", "x.glb"],
            "export": ["--format", "glb", "--out", "x.glb"],
        }[name]
        assert cli.main([name, str(tmp_path / "pipe.glb"), *more]) == 2
        assert "is not a regular file" in capsys.readouterr().err


def _own(*args: str, **more) -> subprocess.Popen:
    env = {"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"}
    return subprocess.Popen(
        [sys.executable, "-m", "handlens", *args], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=env, **more
    )


def test_a_stop_at_any_moment_is_no_traceback_and_takes_the_child_along(crate, tmp_path):
    slow = tmp_path / "slow.obj"
    slow.write_text("".join(f"v {k} 0 0{' 1 1 1' if k % 2 else ''}\n" for k in range(300_000)) + "f 1 2 3\n")
    for number, wait in ((signal.SIGINT, 0.1), (signal.SIGINT, 0.8), (signal.SIGTERM, 0.8), (signal.SIGKILL, 0.8)):
        process = _own("inspect", str(slow), start_new_session=True)
        time.sleep(wait)
        process.send_signal(number) if number == signal.SIGKILL else os.killpg(process.pid, number)
        told = process.communicate(timeout=20)[1]
        assert "Traceback" not in told, (number, wait, told)
        left = subprocess.run(["pgrep", "-f", str(slow)], capture_output=True, text=True).stdout
        assert left == "", (number, wait)


def test_a_closed_output_is_no_traceback(crate):
    done = subprocess.run(
        ["bash", "-c", f"{sys.executable} -m handlens inspect {crate} >&-"],
        capture_output=True,
        text=True,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )
    assert "Traceback" not in done.stderr


def test_it_is_locked_in_to_what_its_call_names(crate, tmp_path):
    """The model's folder is read, another one is not; a sheet that is a link is read, since the call names it, and its neighbours are not."""
    secret, given, out = tmp_path / "secret", tmp_path / "given", tmp_path / "out"
    for folder in (secret, given, out):
        folder.mkdir()
    (secret / "words.json").write_text('{"secret": 1}')
    (secret / "more.json").write_text("{}")
    model = Path(shutil.copy(crate, given / crate.name))
    (given / "sheet.json").symlink_to(secret / "words.json")
    code = (
        "import sys; from argparse import Namespace; from pathlib import Path; from handlens.locked import lock_in\n"
        "model, sheet, out, scratch, *rest = sys.argv[1:]\n"
        "lock_in(Namespace(path=model, rules=sheet or None, json=out), Path(scratch))\n"
        "for place in rest:\n    try:\n        Path(place).read_bytes(); print('read')\n    except OSError as error:\n        print('cannot be read', error.strerror)\n"
    )
    for sheet, wanted in (
        ("", ["read", "cannot be read", "cannot be read"]),
        (given / "sheet.json", ["read", "read", "cannot be read"]),
    ):
        places = [model, secret / "words.json", secret / "more.json"]
        told = subprocess.run(
            [sys.executable, "-c", code, *map(str, (model, sheet, out / "r.json", out, *places))],
            capture_output=True,
            text=True,
            env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
        )
        assert [line.partition(" Permission")[0] for line in told.stdout.splitlines()] == wanted, told.stderr
    process = _own("inspect", str(model), "--json", str(out / "r.json"))
    process.communicate()
    assert (out / "r.json").is_file()


def test_a_model_that_is_a_link_is_read(crate, tmp_path):
    link = tmp_path / "elsewhere" / f"link{crate.suffix}"
    link.parent.mkdir()
    link.symlink_to(crate)
    process = _own("inspect", str(link))
    assert (process.communicate()[1], process.returncode in (0, 1)) == ("", True)


def test_a_proof_tells_the_mends_that_were_asked_for_from_accidents(tmp_path, capsys):
    heron, still, tape = ROOT / "demo" / "models" / "heron" / "heron.glb", tmp_path / "still.glb", tmp_path / "tape.json"
    calls = ["motion.drop-clips:clips=rig_pose", "size.scale:factor=2"]
    assert (
        cli.main(["mend", str(heron), *(x for c in calls for x in ("--mend", c)), "--out", str(still), "--json", str(tape)]) == 0
    )
    assert cli.main(["prove", str(heron), str(still)]) == 1
    capsys.readouterr()
    assert cli.main(["prove", str(heron), str(still), "--mended", str(tape), "--json", "-"]) == 0
    told = [r for r in json.loads(capsys.readouterr().out)["rows"] if "asked for" in r["remark"]]
    assert {r["group"] for r in told} >= {"Size", "Skin and motion"}
    # One thing more than was asked for is an accident.
    other = tmp_path / "other.glb"
    assert cli.main(["mend", str(still), "--mend", "arrival.rename:search=quay:,replace=", "--out", str(other)]) == 0
    assert cli.main(["prove", str(heron), str(other), "--mended", str(tape)]) == 1
    # A process that has locked itself in reads the tape wherever it lies, and what was not done is a difference.
    aside = tmp_path / "aside"
    aside.mkdir()
    far = shutil.move(tape, aside / "tape.json")
    run = [sys.executable, "-m", "handlens", "prove", str(heron), str(heron), "--mended", str(far)]
    done = subprocess.run(run, capture_output=True, text=True, check=False, env={**os.environ, "PYTHONPATH": str(ROOT / "src")})
    assert (done.returncode, done.stderr) == (1, "")
    for wrong, words in (
        ("{", "not JSON"),
        ('{"mends": 3}', "no list"),
        ('[{"mend": 1}]', "no mend"),
        ('[{"mend": "size.scale", "params": {}}]', "needs factor"),
    ):
        tape.write_text(wrong)
        assert cli.main(["prove", str(heron), str(still), "--mended", str(tape)]) == 2
        assert words in capsys.readouterr().err
