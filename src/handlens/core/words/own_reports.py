"""How a report of ours begins: one that was left beside a model names everything and binds nothing, and may be written anew."""

from __future__ import annotations

import re

#: Bytes from the beginning of a file by which it is known.
HEAD = 700
_BEGINS = re.compile(
    rb'\s*\{\s*"schema":\s*1,\s*"(source|proved|mends|models|look|fits|files)"'
    rb"|model,sheet,station,check,result,part,title,"
    rb"|<\?xml[^>]*>\s*<testsuites name=.Hand Lens."
    rb'|\s*\{\s*"\$schema":[^{}]*"runs":\s*\[\s*\{\s*"tool":\s*\{\s*"driver":\s*\{\s*"name":\s*"Hand Lens"'
    rb"|<!doctype html>\s*<html[^>]*><head>.{0,300}<title>Hand Lens:",
    re.DOTALL,
)


def is_own_report(data: bytes) -> bool:
    """Whether a file is a report of ours.

    data: its bytes, or the first `HEAD` of them.
    """
    return _BEGINS.match(data[:HEAD]) is not None
