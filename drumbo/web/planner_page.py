"""What the speed planner says in words: the answer to settings, and two sets of them beside each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from drumbo.core.planner import RoleRow, Stage
from drumbo.services.planner import Answer, KeptSet, Question
from drumbo.web.filters import clock, duration, grams, money, plain

SAME_S = 1.0
UNMEASURED = "Not measured at {wish} °C; the limit is the profile's value at {now} °C."
BEYOND = "{wish} °C lies outside of what was measured; the limit is taken along the curve."


@dataclass(frozen=True, slots=True)
class PlannerAnswer:
    """The time and what it costs; how much that is less or more than now; what is held back and what would carry it."""

    time: str
    price: str
    moved: str
    than_now: str
    held: str
    carries: str
    carries_more: str
    unmeasured: str
    weigh: bool


def planner_answer(answer: Answer) -> PlannerAnswer:
    """The words of an answer."""
    before, after, question = answer.before, answer.after, answer.question
    material, printer = question.context.material, question.context.printer
    follows = question.context.profile.values["max_flow_mm3_s"].dependency is not None
    held = ", ".join(row.name for row in after.rows if row.held).lower()
    saved = before.seconds - after.seconds
    moved = than_now = ""
    if abs(saved) >= SAME_S:
        way = "less" if saved > 0 else "more"
        moved = f"{clock(abs(saved))} {way}"
        share = f"{abs(saved) / before.seconds:.0%}".replace("%", " %")
        than_now = f"than now ({duration(before.seconds)}), {share} {'saved' if saved > 0 else 'on top'}."
    carries = more = ""
    if held and after.carries_c:
        if after.carries_c > printer.nozzle_max_c:
            more = f"No temperature that {printer.name} may run carries it all."
        else:
            carries, more = f"{after.carries_c:.0f} °C", "would carry it all."
            if material.nozzle_high_c is not None and after.carries_c > material.nozzle_high_c:
                more = f"would carry it all, but the label ends at {plain(material.nozzle_high_c)} °C."
    says = BEYOND if follows else UNMEASURED
    at = {"wish": plain(question.wish["nozzle_c"]), "now": plain(question.now["nozzle_c"])}
    return PlannerAnswer(
        duration(after.seconds),
        f"{grams(after.grams)}, {money(answer.cost, material.currency)}",
        moved,
        than_now,
        held,
        carries,
        more,
        "" if after.measured else says.format(**at),
        bool(held) and not after.carries_c and not follows,
    )


def idle_temperature(question: Question, steps: Sequence[Stage]) -> str:
    """Why a change of temperature saves nothing, where it does not; else nothing."""
    if not steps or steps[-1].keys != ("nozzle_c",) or abs(steps[-1].before_s - steps[-1].after_s) >= SAME_S / 2:
        return ""
    follows = question.context.profile.values["max_flow_mm3_s"].dependency is not None
    why = "nothing was held back" if follows else "how the limit follows it was not measured"
    return f"The temperature saves nothing here: {why}."


@dataclass(frozen=True, slots=True)
class SetsBeside:
    """Two sets of settings beside each other: times and filament, then the settings that differ."""

    name: str
    rows: tuple[tuple[str, str, str], ...]
    settings: tuple[tuple[str, str, str, str], ...]


def sets_beside(kept: KeptSet, mine: Answer, theirs: Answer) -> SetsBeside:
    """These settings beside a kept set, for the same profile and part."""
    a, b = mine.after, theirs.after

    def time(row: RoleRow) -> str:
        return clock(row.seconds) + (" held" if row.held else "")

    rows = [("Time", clock(a.seconds), clock(b.seconds)), ("Filament", grams(a.grams), grams(b.grams))]
    rows += [(m.name, time(m), time(t)) for m, t in zip(a.rows, b.rows, strict=True)]
    rows.append(("Travels and the rest", clock(a.other_s), clock(b.other_s)))
    asked, other = mine.question, theirs.question
    settings = [
        (f.label, f.unit, plain(asked.wish[f.key]), plain(other.wish[f.key]))
        for f in asked.fields
        if _differ(asked, other.wish, f.key)
    ]
    return SetsBeside(kept.name, tuple(rows), tuple(settings))


def _differ(asked: Question, wish: Mapping[str, float], key: str) -> bool:
    return abs(asked.wish[key] - wish[key]) > 1e-9
