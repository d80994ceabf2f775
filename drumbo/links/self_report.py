"""What a printer tells of its stored settings (M503), held against what its page says of it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

_SETTING = re.compile(r"^\s*(?:echo:)?\s*(M92|M201|M203|M900)\b(.*)$", re.IGNORECASE)
_VALUE = re.compile(r"([XYZEK])\s*(\d+(?:\.\d+)?)")
SAME = 0.005
PRESSURE_WORDS = ("M900", "M572")


def settings(lines: Iterable[str]) -> dict[str, dict[str, float]]:
    """Word → letter → number, of the settings that are looked at.

    >>> settings(["echo:  M92 X80.00 Y80.00 Z400.00 E415.50"])["M92"]["E"]
    415.5
    """
    found: dict[str, dict[str, float]] = {}
    for line in lines:
        match = _SETTING.match(line)
        if match:
            values = {letter: float(number) for letter, number in _VALUE.findall(match[2].upper())}
            found.setdefault(match[1].upper(), {}).update(values)
    return found


def differences(lines: Iterable[str], expected: Mapping[str, float], pressure_word: str = "") -> list[str]:
    """What differs, in sentences; `expected` has `steps_mm`, `accel_mm_s2` and `speed_mm_s` where they are known,
    `pressure_word` is the one by which its page says that pressure advance is set.
    """
    lines = list(lines)
    told, found = settings(lines), []
    steps, page = told.get("M92", {}).get("E"), expected.get("steps_mm")
    if steps and page and abs(steps / page - 1) > SAME:
        found.append(f"The printer stores {steps:g} extruder steps per mm; its page says {page:g}, and files set that.")
    for word, key, what, unit in (
        ("M201", "accel_mm_s2", "an acceleration", "mm/s²"), ("M203", "speed_mm_s", "a speed", "mm/s")
    ):  # fmt: skip
        least = min((value for axis, value in told.get(word, {}).items() if axis in "XY"), default=None)
        if least and key in expected and least < expected[key] * (1 - SAME):
            found.append(
                f"The printer allows {what} of {least:g} {unit}; its page says {expected[key]:g}, so it takes longer."
            )
    named = {named for line in lines for named in PRESSURE_WORDS if re.search(rf"\b{named}\b", line)}
    if pressure_word and named and pressure_word not in named:
        by = " or ".join(sorted(named))
        found.append(f"The printer sets its pressure advance by {by}; its page says {pressure_word}.")
    pressure = told.get("M900", {}).get("K")
    if pressure:
        found.append(f"The printer stores a pressure advance of {pressure:g} of its own; files set theirs.")
    return found
