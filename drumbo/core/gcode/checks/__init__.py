"""What is odd about a file, and what to do: one small function a question, in modules by what they look at.

Each says where it begins (line and layer) and how much of the print it touches.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.checks import ending, extrusion, geometry, heat, motion, profile, start
from drumbo.core.remark import BAD, ODD, Remark

Question = Callable[[FileAnalysis], Iterator[Remark]]

QUESTIONS: tuple[Question, ...] = (
    *start.QUESTIONS, *extrusion.QUESTIONS, *heat.QUESTIONS, *geometry.QUESTIONS, *motion.QUESTIONS,
    *profile.QUESTIONS, *ending.QUESTIONS,
)  # fmt: skip
WITHOUT_LINES = (heat.too_hot, start.unfilled, ending.left_on, ending.pauses)
"""What can be asked of a file that only feeds filament, or moves."""


def _rule(ask: Question) -> str:
    return ask.__name__.replace("_", "-")


RULES: dict[str, str] = {
    "empty": "A file that lays no line.",
    **{_rule(ask): (ask.__doc__ or "").split("\n\n")[0].strip() for ask in QUESTIONS},
}
"""What each rule is about, by its name."""


def findings(case: FileAnalysis) -> list[Remark]:
    """All that is odd: bad before odd before what cannot be known, then by how much of the print it touches, then by
    line.
    """
    told = []
    if not case.found.laid.any() and not (case.program.e_mm > 0).any():
        do = "Is it the right file? A start or end sequence alone is fine."
        told.append(Remark(ODD, 0, "lays no line at all", do=do, rule="empty"))
    asked = QUESTIONS if case.found.laid.any() else WITHOUT_LINES
    told += [replace(remark, rule=_rule(ask)) for ask in asked for remark in ask(case)]
    order = (BAD, ODD)
    return sorted(
        told,
        key=lambda r: (order.index(r.weight) if r.weight in order else len(order), -round(r.share, 2), r.line),
    )
