"""Fields: what can be typed in, with unit, bounds and help; and the reading of what was typed.

One description serves forms, command line and checks alike.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import TypeVar

from drumbo.core.errors import InvalidInput
from drumbo.core.units import in_ours

Scalar = float | str | None
T = TypeVar("T")

LONGEST_NUMBER = 60
_NUMBER = re.compile(r"([+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*([^\d\s.,](?:\D|(?<=[a-z])[23])*)?")
_GROUPED = re.compile(r"\d[.,]\d{3}[.,]\d")


@dataclass(frozen=True, slots=True)
class Field:
    """One thing a maker can fill in.

    `low` and `high` are hard bounds in `unit`: outside them nothing sensible can be made. Advice belongs
    in warnings, which never refuse. A `late` choice does not touch what is made: it may change afterwards. One that
    is `after` is asked for only then; until somebody chose, it is the first.
    """

    key: str
    label: str
    unit: str = ""
    kind: str = "number"  # number | text | choice | colour | lines
    low: float = -math.inf
    high: float = math.inf
    step: float | None = None
    required: bool = True
    help: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    whole: bool = False
    longest: int = 200
    late: bool = False
    after: bool = False

    def read(self, text: str | float | None) -> Scalar:
        """The value of what was typed; raises InvalidInput naming this field and the remedy."""
        if isinstance(text, str):
            text = text.strip()
        if text is None or text == "":
            if self.after:
                return self.choices[0][0]
            if self.required:
                raise InvalidInput(self.key, "is needed")
            return None
        if self.kind == "number":
            return self._number(text)
        return self._words(str(text))

    def _number(self, text: str | float) -> float:
        value = number(self.key, text, self.unit)
        unit = f" {self.unit}" if self.unit else ""
        if value < self.low:
            raise InvalidInput(self.key, f"is below {self.low:g}{unit}, the lowest that can be used")
        if value > self.high:
            raise InvalidInput(self.key, f"is above {self.high:g}{unit}, the highest that can be used")
        if self.whole and value != int(value):
            raise InvalidInput(self.key, "must be a whole number")
        return value

    def _words(self, text: str) -> str:
        text = text.replace("\r\n", "\n")
        if self.kind == "choice" and text not in dict(self.choices):
            raise InvalidInput(self.key, "must be one of: " + ", ".join(label for _, label in self.choices))
        if self.kind == "colour" and not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
            raise InvalidInput(self.key, "must be # and six hex digits, like #8b2252")
        limit = 20_000 if self.kind == "lines" else self.longest
        if len(text) > limit:
            raise InvalidInput(self.key, f"is longer than {limit} characters")
        if any(ord(c) < 32 and c not in "\r\n\t" for c in text):
            raise InvalidInput(self.key, "holds characters that cannot be shown; type it again")
        return text


def number(field: str, text: str | float, unit: str = "") -> float:
    """The number in `text`, in `unit`; a decimal comma and a unit behind it are understood. InvalidInput where that is
    a unit in which such a number cannot be.

    >>> number("diameter", "1,75 mm", "mm"), number("diameter", "1750 µm", "mm")
    (1.75, 1.75)
    """
    if isinstance(text, (int, float)):
        value = float(text)
    else:
        text = text.strip()
        if len(text) > LONGEST_NUMBER:
            raise InvalidInput(field, f"is longer than any number with its unit ({LONGEST_NUMBER} characters)")
        if _GROUPED.search(text):
            raise InvalidInput(field, f"“{text}” can be read in two ways; leave out the thousands mark")
        found = _NUMBER.fullmatch(text)
        if not found:
            raise InvalidInput(field, f"“{text[:40]}” is not a number; write it like 215 or 1.75")
        value = _in_ours(field, float(found[1].replace(",", ".").replace("−", "-")), (found[2] or "").strip(), unit)
    if not math.isfinite(value):
        raise InvalidInput(field, "must be a finite number")
    return value


def _in_ours(field: str, value: float, written: str, unit: str) -> float:
    if not written:
        return value
    ours = in_ours(value, written, unit)
    if ours is None:
        remedy = f"write it in {unit}" if unit else "write the number alone"
        raise InvalidInput(field, f"has “{written[:20]}” behind its number; {remedy}")
    # 1750 µm are 1.75 mm, and not a hair more.
    return float(f"{ours:.12g}")


def read_all(fields: Sequence[Field], typed: Mapping[str, str | float | None]) -> dict[str, Scalar]:
    """Read every field, gathering all problems into one InvalidInput so that a form can show them at once."""
    values: dict[str, Scalar] = {}
    problems: dict[str, str] = {}
    for field in fields:
        try:
            values[field.key] = field.read(typed.get(field.key))
        except InvalidInput as error:
            problems |= error.problems
    if problems:
        raise InvalidInput.of(problems)
    return values


def build(cls: type[T], asked: Sequence[Field], values: Mapping[str, Scalar]) -> T:
    """A dataclass from what its fields read. What was left empty is an empty text, nothing, or for a choice the usual
    one.
    """
    names = {f.name for f in fields(cls)}  # type: ignore[arg-type]
    texts = {f.key for f in asked if f.kind in {"text", "lines", "many"}}
    choices = {f.key for f in asked if f.kind == "choice"}
    said = {k: ("" if v is None and k in texts else v) for k, v in values.items() if k in names}
    return cls(**{k: v for k, v in said.items() if v is not None or k not in choices})
