"""Sentences and the code that says them fit together, in every station."""

import ast
import copy
import importlib
import pickle
from pathlib import Path

import pytest

from handlens import core
from handlens.core.declare.check import Finding
from handlens.core.judge.judged_by import message_of
from handlens.core.present.report import finding_json
from handlens.core.words.messages import Messages

CORE = Path(core.__file__).parent
ROOMS = sorted(p for p in (*CORE.rglob("messages.py"), CORE / "words/refusals.py") if p != CORE / "words/messages.py")


def calls_of(room):
    """Every call of `say` in a room's code whose message is written out, and all words that stand there."""
    said, words = [], set()
    for path in room.parent.rglob("*.py"):
        # What lies deeper and has sentences of its own says those.
        nearest = next(folder for folder in path.parents if folder == room.parent or (folder / "messages.py").exists())
        if path == room or nearest != room.parent:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                words.add(node.value)
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "say":
                names = [x.value for x in ast.walk(node.args[0]) if isinstance(x, ast.Constant) and isinstance(x.value, str)]
                said += [(f"{path.name}:{node.lineno}", name, {k.arg for k in node.keywords}) for name in names]
    return said, words


@pytest.mark.parametrize("room", ROOMS, ids=lambda room: room.parent.name)
def test_each_sentence_is_said_somewhere_with_the_arguments_that_it_has(room):
    said, words = calls_of(room)
    module = ".".join(room.relative_to(CORE).with_suffix("").parts)
    arguments = importlib.import_module(f"handlens.core.{module}").say.arguments()
    wrong = [(where, name, given) for where, name, given in said if given != arguments.get(name)]
    assert not wrong
    assert set(arguments) <= words, "these are never said"
    assert len({name.partition(".")[0] for name in arguments}) == 1


say = Messages(
    {
        "quay.looks": "{faces:# face} of {part} {faces:looks|look} {outside:?inward|outward}, {share:percent} of {{it}}{more}",
        "quay.sure": "; {sure:.0f} % sure",
    }
)


@pytest.mark.parametrize(
    ("values", "sentence"),
    [
        ({"faces": 1, "outside": True, "more": ""}, "1 face of {crate} looks inward, 25 % of {it}"),
        (
            {"faces": 1200, "outside": 0, "more": say("quay.sure", sure=61.2)},
            "1,200 faces of {crate} look outward, 25 % of {it}; 61 % sure",
        ),
    ],
)
def test_a_message_agrees_with_its_numbers_and_keeps_one_form(values, sentence):
    text = say("quay.looks", part="{crate}", share=0.25, **values)
    assert text == sentence
    message, args = message_of(Finding(text, part="{crate}"))
    assert message == "{faces} of {part} {faces_2} {outside}, {share} of {{it}}{more}"
    assert message.format(**args) == sentence
    told = finding_json(Finding(text, check="quay.looks"))
    assert (told["message_id"], told["values"]["faces"], told["values"]["share"]) == ("quay.looks", values["faces"], 0.25)
    for same in (copy.deepcopy(text), pickle.loads(pickle.dumps(text))):
        assert (same, same.message, same.values) == (text, text.message, text.values)


def test_a_sentence_of_a_house_check_has_no_message_of_ours():
    told = finding_json(Finding("3 knots are loose", check="rope.knots"))
    assert (told["message"], told["args"], told["message_id"], told["values"]) == ("{n0} knots are loose", {"n0": "3"}, None, {})
