"""What is refused in recipes, pairs and patterns, in words."""

from __future__ import annotations

from .messages import Messages

say = Messages(
    {
        "words.no-recipe": "{label} has no list of mends; give a file that `mend --json` wrote.",
        "words.not-json": "{label} is not JSON: {error}.",
        "words.no-mend": '{label}, at {k}, is no mend; each is {{"mend": "…", "params": {{…}}}}.',
        "words.no-pair": "{text:quoted}: {piece:quoted} is not key=value.",
        "words.pattern-too-long": "{label}: a pattern of more than {most} letters is not taken.",
        "words.no-pattern": "{label}: {pattern:quoted} is not a valid pattern: {words}.",
        "words.no-such-group": "{label}: {into:quoted} names a group that the pattern does not have.",
    }
)
