"""A report as JUnit XML, as pipelines read it: a suite for each model, a case for each check.

Source: the schema junit-10.xsd that pytest's own output is tested against.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from lxml import etree

from ...declare.check import station_of
from ...words.json_tree import Json
from .reported import Reported, amount

#: What XML 1.0 cannot hold.
_NO_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def junit(reported: Sequence[Reported]) -> bytes:
    """The XML. A check fails where one of its findings does; those below are told in its output. A check that could not judge is skipped."""
    suites = etree.Element("testsuites", name="Hand Lens")
    for one in reported:
        cases = _cases(one)
        suite = etree.SubElement(
            suites,
            "testsuite",
            name=_clean(one.path),
            tests=str(len(cases)),
            failures=str(sum(case.find("failure") is not None for case in cases)),
            errors=str(sum(case.find("error") is not None for case in cases)),
            skipped=str(sum(case.find("skipped") is not None for case in cases)),
        )
        suite.extend(cases)
    return bytes(etree.tostring(suites, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _cases(one: Reported) -> list[Any]:
    if one.error:
        case = etree.Element("testcase", name="read", classname="Arrival", time="0")
        etree.SubElement(case, "error", message=_clean(one.error), type="unreadable")
        return [case]
    by_check: dict[str, list[Json]] = {}
    for finding in one.report["findings"]:
        by_check.setdefault(finding["check"], []).append(finding)
    out = [_found(one, check, findings) for check, findings in by_check.items()]
    out += [_case(check) for check in one.report["clear"]]
    for entry in one.report["skipped"]:
        out.append(_case(entry["check"]))
        etree.SubElement(out[-1], "skipped", message=_clean(entry["because"]), type="skipped")
    return out


def _found(one: Reported, check: str, findings: list[Json]) -> Any:
    case = _case(check)
    failing = [finding for finding in findings if one.fails(finding)]
    if failing:
        more = f" (and {len(failing) - 1:,} more)" if len(failing) > 1 else ""
        failure = etree.SubElement(case, "failure", message=_clean(failing[0]["title"] + more), type=failing[0]["result"])
        failure.text = _clean("\n".join(_line(finding) for finding in failing))
    rest = [finding for finding in findings if not one.fails(finding)]
    if rest:
        output = etree.SubElement(case, "system-out")
        output.text = _clean("\n".join(_line(finding) for finding in rest))
    return case


def _case(check: str) -> Any:
    return etree.Element("testcase", name=_clean(check), classname=_clean(station_of(check)), time="0")


def _line(finding: Json) -> str:
    measured, wanted = amount(finding["measured"]), amount(finding["wanted"])
    figures = f" [{measured} measured, {wanted} wanted]" if measured and wanted else ""
    waived = f" (waived: {finding['waived']})" if finding["waived"] is not None else ""
    return f"{finding['result']}: {finding['title']}{figures}{waived}. {finding['why']}"


def _clean(text: str) -> str:
    return _NO_XML.sub("\ufffd", text)
