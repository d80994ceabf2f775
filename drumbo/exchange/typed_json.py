"""JSON that strangers wrote, read into types by msgspec; what is wrong is said with its place, in a maker's words.

A place is written as it stands in the file: “layers[3].lights[0].seconds”.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Annotated, Any, TypeAlias, TypeVar

import msgspec
from msgspec import Meta

from drumbo.core.errors import InvalidInput

T = TypeVar("T")
Wrong: TypeAlias = Callable[[str], InvalidInput]

LONGEST_TEXT = 2000
BOUND = 1e9
SOME_KEY = "[...]"
"""How msgspec writes a key of a table."""
Text = Annotated[str, Meta(max_length=LONGEST_TEXT)]
SomeText = Annotated[str, Meta(min_length=1, max_length=LONGEST_TEXT, pattern=r"\S")]
Number = Annotated[float, Meta(ge=-BOUND, le=BOUND)]

_NAMES = {"int": "whole number", "float": "number", "str": "text", "object": "table", "array": "list"}
_NO_NUMBER = re.compile(rb"-?(NaN|Infinity)")
_BOUND = {">=": "at least", "<=": "at most", ">": "above", "<": "below"}
_SAID: tuple[tuple[re.Pattern[str], Callable[[re.Match[str], str], str]], ...] = (
    (re.compile(r"Object missing required field `(.+)`"), lambda m, at: f"has nothing under “{_under(at, m[1])}”"),
    (re.compile(r"Expected `str` of length >= 1|.*matching regex.*"), lambda _, at: f"has no text under “{at}”"),
    (re.compile(r"Expected `str` of length <= (\d+)"), lambda m, at: f"has more than {m[1]} characters under “{at}”"),
    (re.compile(r"Expected `array` of length >= 1"), lambda _, at: f"has nothing under “{at}”"),
    (re.compile(r"Expected `array` of length >= (\d+)"), lambda m, at: f"has fewer than {m[1]} under “{at}”"),
    (re.compile(r"Expected `array` of length <= (\d+)"), lambda m, at: f"has more than {m[1]} under “{at}”"),
    (re.compile(r"Expected `array` of length (\d+)(?:, got \d+)?"), lambda m, at: f"has not just {m[1]} under “{at}”"),
    (re.compile(r"Expected `(?:int|float)` (>=|<=|>|<) (\S+)"),
     lambda m, at: f"has a number under “{at}” that cannot be: {_BOUND[m[1]]} {float(m[2]):g} is meant"),
    (re.compile(r".*out of range"), lambda _, at: f"has a number under “{at}” that is beyond all bounds"),
    (re.compile(r"Invalid enum value (.*)"), lambda m, at: f"has a word under “{at}” that is not known: {m[1][:40]}"),
    (re.compile(r"Expected `(\w+)(?: \| null)?`, got .*"),
     lambda m, at: f"has no {_NAMES[m[1]]} under “{at}”" if at else f"is no {_NAMES[m[1]]}"),
)  # fmt: skip
"""What msgspec says, and what we say of it."""


def parsed(data: bytes, wrong: Wrong) -> Any:
    """What JSON says; `wrong` makes the error for what is none, or nested or long beyond any file."""
    data = data.removeprefix(b"\xef\xbb\xbf")
    try:
        return msgspec.json.decode(data)
    except RecursionError as error:
        raise wrong("is nested beyond any file of ours") from error
    except msgspec.ValidationError as error:
        raise wrong("holds a number that is beyond all bounds") from error
    except msgspec.DecodeError as error:
        raise wrong(_broken(data, str(error))) from error


def typed(found: Any, kind: type[T], wrong: Wrong, at: str = "") -> T:
    """The same as a type; `at` is where in the file it was found. What a type does not name is left aside."""
    try:
        return msgspec.convert(found, kind)
    except msgspec.ValidationError as error:
        said, _, path = str(error).partition(" - at `$")
        raise wrong(_in_words(said, _under(at, path.removesuffix("`")))) from error


def _in_words(said: str, at: str) -> str:
    for pattern, words in _SAID:
        if match := pattern.fullmatch(said):
            return words(match, at)
    return f"cannot be read under “{at}”"


def _under(at: str, more: str) -> str:
    more = more.removeprefix(".").replace(SOME_KEY, "")
    return f"{at}{'' if not at or not more or more.startswith('[') else '.'}{more}"


def _broken(data: bytes, said: str) -> str:
    if "UTF-8" in said:
        return "is not text in UTF-8"
    where = re.search(r"\(byte (\d+)\)", said)
    at = int(where[1]) if where else len(data)
    if word := _NO_NUMBER.match(data, max(at - 1, 0)) or _NO_NUMBER.match(data, at):
        return f"holds {word[0].decode()}, which is no number"
    line = data.count(b"\n", 0, at) + 1
    column = at - (data.rfind(b"\n", 0, at) + 1) + 1
    reason = said.removeprefix("JSON is malformed: ").partition(" (byte")[0] if where else "it ends in the middle"
    return f"is broken in line {line}, column {column}: {reason}"
