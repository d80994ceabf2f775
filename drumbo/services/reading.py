"""What the maker saw and measured: kept at once, one thing at a time, and the result follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.fields import number
from drumbo.services.convert import context_of, kind_of, plan_of, readings_of
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import TrialRow
from drumbo.trials.base import Measure, Readings

WORST, BEST = 0, 4


def score(workshop: Workshop, trial_id: int, aspect: str, step: int, value: int | None) -> None:
    """Set one score, or take it back with None."""
    score_all(workshop, trial_id, {(aspect, step): value})


def score_all(workshop: Workshop, trial_id: int, scores: Mapping[tuple[str, int], int | None]) -> None:
    """Set several scores together."""
    with workshop.writing() as session:
        row = _readable(get_trial(session, trial_id))
        known = {a.key for a in kind_of(row).readings(plan_of(row)).aspects}
        readings = readings_of(row)
        for (aspect, step), value in scores.items():
            if aspect not in known or not _is_step(row, step):
                raise InvalidInput("aspect", "this trial has no such step or aspect")
            if value is not None and not WORST <= value <= BEST:
                raise InvalidInput("score", f"goes from {WORST} to {BEST}")
            readings = readings.with_score(aspect, step, value)
        _keep(row, readings)


def measure(workshop: Workshop, trial_id: int, key: str, step: int, site: str, typed: str | float) -> float | None:
    """Set one number as it was typed, or take it back with an empty text. Returns it as it was understood."""
    return measure_all(workshop, trial_id, {(key, step, site): typed})[0]


def measure_all(
    workshop: Workshop, trial_id: int, numbers: Mapping[tuple[str, int, str], str | float]
) -> list[float | None]:
    """Set several numbers together."""
    with workshop.writing() as session:
        row = _readable(get_trial(session, trial_id))
        known = {m.key: m for m in kind_of(row).readings(plan_of(row)).measures}
        readings = readings_of(row)
        understood: list[float | None] = []
        for (key, step, site), typed in numbers.items():
            if key not in known or not _is_step(row, step) or site not in {s.key for s in known[key].sites}:
                raise InvalidInput("number", "this trial has no such place to measure")
            value = _read(known[key], typed)
            readings = readings.with_measure(key, step, site, value)
            understood.append(value)
        _keep(row, readings)
        return understood


def first(workshop: Workshop, trial_id: int, key: str, typed: str | int) -> int | None:
    """Say at which step something is seen first: a step's index, the number of steps where none shows it, a height
    like "31.5 mm" from the plate, or an empty text to take it back. Returns the step as it was understood.
    """
    with workshop.writing() as session:
        row = _readable(get_trial(session, trial_id))
        if key not in {f.key for f in kind_of(row).readings(plan_of(row)).firsts}:
            raise InvalidInput("first", "this trial has no such sign")
        step = _first_step(row, typed)
        _keep(row, readings_of(row).with_first(key, step))
        return step


def first_all(workshop: Workshop, trial_id: int, steps: Mapping[str, int]) -> None:
    """Set several beginnings together."""
    for key, step in steps.items():
        first(workshop, trial_id, key, step)


def _first_step(row: TrialRow, typed: str | int) -> int | None:
    steps = len(kind_of(row).steps(plan_of(row)))
    text = str(typed).strip()
    if not text:
        return None
    if text.isdecimal() and int(text) <= steps:
        return int(text)
    if not text.endswith("mm"):
        raise InvalidInput("first", "this trial has no such step")
    height = number("height", text)
    chosen, context = kind_of(row), context_of(row.profile, row.revision)
    places = chosen.piece(plan_of(row), context).places
    low, high = places[0].low[2], places[-1].high[2]
    if not low <= height <= high:
        raise InvalidInput("height", f"{height:g} mm is not on the wall: it goes from {low:.1f} to {high:.1f} mm")
    return next(p.index for p in places if height <= p.high[2])


def _read(spec: Measure, typed: str | float) -> float | None:
    if isinstance(typed, str) and not typed.strip():
        return None
    value = number("number", typed)
    if not spec.low <= value <= spec.high:
        unit = f" {spec.unit}" if spec.unit else ""
        bounds = f"{spec.low:g} to {spec.high:g}{unit}"
        raise InvalidInput("number", f"{value:g}{unit} cannot be; {bounds} can. Read it off again")
    return value


def pick(workshop: Workshop, trial_id: int, step: int | None) -> None:
    """The quick way: name the best step, or take that back with None."""
    with workshop.writing() as session:
        row = _readable(get_trial(session, trial_id))
        if not kind_of(row).readings(plan_of(row)).pick:
            raise InvalidInput("step", "this trial is read step by step")
        if step is not None and not _is_step(row, step):
            raise InvalidInput("step", "this trial has no such step")
        _keep(row, replace(readings_of(row), picked=step))


def set_note(workshop: Workshop, trial_id: int, note: str) -> None:
    """The maker's note on the readings."""
    if len(note) > 5000:
        raise InvalidInput("note", "is longer than 5000 characters")
    with workshop.writing() as session:
        row = get_trial(session, trial_id)
        row.readings = {**readings_of(row).to_json(), "note": note.strip()}


def set_choice(workshop: Workshop, trial_id: int, field: str, value: str) -> None:
    """Judge the same readings for something else: a choice of the plan that does not touch the piece."""
    with workshop.writing() as session:
        row = get_trial(session, trial_id)
        context = context_of(row.profile, row.revision)
        spec = next((f for f in kind_of(row).fields(context) if f.key == field and f.late), None)
        if spec is None:
            raise InvalidInput(field, "cannot be changed after printing")
        row.plan = {**plan_of(row), field: spec.read(value)}
        _keep(row, readings_of(row))


def _readable(row: TrialRow) -> TrialRow:
    if row.state == "planned":
        raise NotNow("print the piece first; then there is something to read")
    return row


def _is_step(row: TrialRow, step: int) -> bool:
    return 0 <= step < len(kind_of(row).steps(plan_of(row)))


def _keep(row: TrialRow, readings: Readings) -> None:
    row.readings = readings.to_json()
    row.result = kind_of(row).evaluate(plan_of(row), readings).to_json() if readings.any else None
