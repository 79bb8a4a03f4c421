"""What the reader of OBJ refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "obj.wrong-line": "{label}, line {line:,}: it {what}; export the file again.",
        "obj.no-obj": "{label} holds no OBJ statement; its line {line} reads {text:quoted}.",
        "obj.material-twice": "The material {name} is defined twice; the later one holds.",
        "obj.no-library": "The material library {name} did not come with the model.",
        "obj.library-elsewhere": "The material library {name} lies there as {path}.",
        "obj.decimal-commas": "{commas:,} numbers are written with a decimal comma; they were read as points.",
    }
)
