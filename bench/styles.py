"""The gate as files in many styles; and where in them faults were planted."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from bench.gate import Step, Steps, gate
from bench.gates import adaptive, ironed, one_by_one, raft, spiral, supported, two_tools
from bench.spelling import Writer, by_macro, joined, numbered, quoted, with_arcs

Respell = Callable[[str], str]


def _as_it_is(text: str) -> str:
    return text


@dataclass(frozen=True)
class Style:
    """How a file is written: habits of its writer, what is done to its text, and what is laid otherwise. `alike` where
    the print is the same to the printer as the plain one's, so that its sums must be too.
    """

    habits: dict[str, object] = field(default_factory=dict)
    respell: Respell = _as_it_is
    steps: Callable[[], Steps] = gate
    alike: bool = True
    macro: bool = False
    one_by_one: bool = False


@dataclass(frozen=True)
class Written:
    """A file, and the lines in which faults were planted."""

    text: bytes
    planted: tuple[int, ...]


def write(style: Style, change: Callable[[Steps], Steps] | None = None) -> Written:
    """The file of a style, with a change to its steps if there is one."""
    steps = style.steps()
    writer = Writer(**style.habits)  # type: ignore[arg-type]
    text = writer.write(change(steps) if change else steps)
    marks = [f"(mark {n})" for n in range(len(writer.planted))]
    lines = text.split("\n")
    for mark, line in zip(marks, writer.planted, strict=True):
        # A comment tells where it went, however the lines are joined and respelt.
        lines[line - 1] = f"{lines[line - 1]} {mark}"
    spelt = style.respell("\n".join(lines))
    split = re.split(r"\r\n|\r|\n", spelt)
    planted = tuple(next((n for n, line in enumerate(split, 1) if mark in line.lower()), 0) for mark in marks)
    return Written(spelt.encode(), planted)


STYLES: dict[str, Style] = {
    "relative extrusion": Style(),
    "absolute extrusion": Style({"relative_e": False}),
    "absolute without resets": Style({"relative_e": False, "resets": False}),
    "relative positions": Style({"relative": True, "digits": 6}),
    "inches": Style({"inches": True}),
    "small letters": Style(respell=str.lower),
    "no spaces": Style(respell=lambda t: re.sub(r"(?m)(?<=[\d]) (?=[A-Z])", "", t)),
    "lines end CR LF": Style(respell=lambda t: "\ufeff" + t.replace("\n", "\r\n")),
    "lines end CR": Style(respell=lambda t: t.replace("\n", "\r")),
    "numbered": Style(respell=numbered),
    "comments and quotes": Style(respell=quoted),
    "leading zeros": Style(respell=lambda t: re.sub(r"(?m)^G([013]) ", r"G0\1 ", t)),
    "several on a line": Style(respell=joined),
    "firmware retraction": Style({"by_firmware": True}),
    "wiping": Style({"wipe": True}, alike=False),
    "lifting": Style({"hop_mm": 0.3}, alike=False),
    "lifting by relative moves": Style({"hop_mm": 0.3, "hops_relative": True}, alike=False),
    "the same where E stands apart": Style(
        {"hop_mm": 0.3, "hops_relative": True, "firmware": "key-value"}, alike=False
    ),
    "coasting": Style({"coast_mm": 0.2}, alike=False),
    "turns": Style(respell=with_arcs, alike=False),
    "words of M572": Style({"firmware": "m572"}),
    "words with key and value": Style({"firmware": "key-value"}),
    "begun by a macro": Style({"firmware": "key-value"}, respell=by_macro, alike=False, macro=True),
    "volumes": Style({"volume": True}),
    "volumes, absolute": Style({"volume": True, "relative_e": False}),
    "two tools": Style(steps=two_tools, alike=False),
    "a spiral": Style(steps=spiral, alike=False),
    "one by one": Style(steps=one_by_one, alike=False, one_by_one=True),
    "adaptive layers": Style(steps=adaptive, alike=False),
    "a raft": Style(steps=raft, alike=False),
    "a support": Style(steps=supported, alike=False),
    "ironed": Style(steps=ironed, alike=False),
}
"""By name."""


def lines_of(steps: Steps) -> Iterator[tuple[int, Step]]:
    """The lines among steps, with their places."""
    return ((k, step) for k, step in enumerate(steps) if step.kind == "line")
