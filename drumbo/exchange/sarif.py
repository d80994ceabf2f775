"""Findings as SARIF 2.1.0, the open format in which editors and other programs take what a check found."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from urllib.parse import quote

from drumbo import __version__
from drumbo.core.gcode.checks import RULES
from drumbo.core.light.checks import RULES as LIGHT_RULES
from drumbo.core.remark import BAD, ODD, Remark

LEVELS = {BAD: "error", ODD: "warning"}


def sarif(name: str, remarks: Iterable[Remark]) -> dict[str, Any]:
    """The findings of a file, with their place in it: a line, and layer and share of the print as properties."""
    told = list(remarks)
    known = {**RULES, **LIGHT_RULES}
    used = sorted({remark.rule for remark in told})
    return {
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "Drumbo",
                        "version": __version__,
                        "rules": [{"id": rule, "shortDescription": {"text": known.get(rule, rule)}} for rule in used],
                    }
                },
                "results": [_result(name, remark, used) for remark in told],
            }
        ],
    }


def _result(name: str, remark: Remark, rules: list[str]) -> dict[str, Any]:
    place: dict[str, Any] = {"artifactLocation": {"uri": quote(name)}}
    if remark.line:
        place["region"] = {"startLine": remark.line}
    return {
        "ruleId": remark.rule,
        "ruleIndex": rules.index(remark.rule),
        "level": LEVELS.get(remark.weight, "note"),
        "message": {"text": remark.text + (f". {remark.do}" if remark.do else "")},
        "locations": [{"physicalLocation": place}],
        "properties": {"layer": remark.layer, "share": round(remark.share, 4)},
    }
