"""What the maker saw and measured: kept at once, one thing at a time, and the result follows."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.fields import number
from drumbo.services import readers
from drumbo.services.convert import readings_of, trial_of
from drumbo.services.trials import find_trial, get_trial
from drumbo.store.database import Workshop
from drumbo.trials.readings import Measure, PhotoReading, Readings
from drumbo.trials.trial import Trial, TrialState

WORST, BEST = 0, 4
TRIES = 20
LONGEST_NOTE = 5000


def score(workshop: Workshop, trial_id: int, aspect: str, step: int, value: int | None) -> None:
    """Set one score, or take it back with None."""
    score_all(workshop, trial_id, {(aspect, step): value})


def score_all(workshop: Workshop, trial_id: int, scores: Mapping[tuple[str, int], int | None]) -> None:
    """Set several scores together."""

    def scored(trial: Trial) -> Trial:
        known = {a.key for a in trial.to_read.aspects}
        readings = trial.readings
        for (aspect, step), value in scores.items():
            if aspect not in known or not trial.has_step(step):
                raise InvalidInput("aspect", "this trial has no such step or aspect")
            if value is not None and not WORST <= value <= BEST:
                raise InvalidInput("score", f"goes from {WORST} to {BEST}")
            readings = readings.with_score(aspect, step, value)
        return trial.read(readings)

    _read_anew(workshop, trial_id, scored)


def measure(workshop: Workshop, trial_id: int, key: str, step: int, site: str, typed: str | float) -> float | None:
    """Set one number as it was typed, or take it back with an empty text. Returns it as it was understood."""
    return measure_all(workshop, trial_id, {(key, step, site): typed})[0]


def measure_all(
    workshop: Workshop, trial_id: int, numbers: Mapping[tuple[str, int, str], str | float]
) -> list[float | None]:
    """Set several numbers together."""
    understood: list[float | None] = []

    def measured(trial: Trial) -> Trial:
        understood.clear()
        known = {m.key: m for m in trial.to_read.measures}
        readings = trial.readings
        for (key, step, site), typed in numbers.items():
            here = key in known and trial.has_step(step) and known[key].is_at(step)
            if not here or site not in {s.key for s in known[key].sites}:
                raise InvalidInput("number", "this trial has no such place to measure")
            understood.append(_read(known[key], typed))
            readings = readings.with_measure(key, step, site, understood[-1])
        return trial.read(readings)

    _read_anew(workshop, trial_id, measured)
    return understood


def take_photo(workshop: Workshop, trial_id: int, found: Sequence[PhotoReading]) -> None:
    """Take what a photo told beside what somebody read, in place of what another photo told. Nothing: forget it."""

    def taken(trial: Trial) -> Trial:
        readings = replace(trial.readings, photographed={})
        for one in found:
            readings = readings.with_photo(one.measure, one.step, one.site, one.number, one.error)
        return trial.read(readings)

    _read_anew(workshop, trial_id, taken)


def first(workshop: Workshop, trial_id: int, key: str, typed: str | int) -> int | None:
    """Say at which step something is seen first: a step's index, the number of steps where none shows it, a height
    like "31.5 mm" from the plate, or an empty text to take it back. Returns the step as it was understood.
    """
    trial = _read_anew(workshop, trial_id, lambda trial: _begins(trial, key, typed))
    return trial.readings.firsts.get(key)


def _begins(trial: Trial, key: str, typed: str | int) -> Trial:
    if key not in {f.key for f in trial.to_read.firsts}:
        raise InvalidInput("first", "this trial has no such sign")
    return trial.read(trial.readings.with_first(key, _first_step(trial, typed)))


def first_all(workshop: Workshop, trial_id: int, steps: Mapping[str, int]) -> None:
    """Set several beginnings together."""
    for key, step in steps.items():
        first(workshop, trial_id, key, step)


def _first_step(trial: Trial, typed: str | int) -> int | None:
    text = str(typed).strip()
    if not text:
        return None
    if text.isdecimal() and int(text) <= len(trial.steps):
        return int(text)
    if not text.endswith("mm"):
        raise InvalidInput("first", "this trial has no such step")
    height, places = number("height", text, "mm"), trial.piece.places
    low, high = places[0].low[2], places[-1].high[2]
    if not low <= height <= high:
        raise InvalidInput("height", f"{height:g} mm is not on the wall: it goes from {low:.1f} to {high:.1f} mm")
    return next(p.index for p in places if height <= p.high[2])


def _read(spec: Measure, typed: str | float) -> float | None:
    if isinstance(typed, str) and not typed.strip():
        return None
    value = number("number", typed, spec.unit)
    if not spec.low <= value <= spec.high:
        unit = f" {spec.unit}" if spec.unit else ""
        bounds = f"{spec.low:g} to {spec.high:g}{unit}"
        raise InvalidInput("number", f"{value:g}{unit} cannot be; {bounds} can. Read it off again")
    return value


def pick(workshop: Workshop, trial_id: int, step: int | None) -> None:
    """The quick way: name the best step, or take that back with None."""

    def picked(trial: Trial) -> Trial:
        if not trial.to_read.pick:
            raise InvalidInput("step", "this trial is read step by step")
        if step is not None and not trial.has_step(step):
            raise InvalidInput("step", "this trial has no such step")
        return trial.read(replace(trial.readings, picked=step))

    _read_anew(workshop, trial_id, picked)


def set_note(workshop: Workshop, trial_id: int, note: str) -> None:
    """The maker's note on the readings."""
    if len(note) > LONGEST_NOTE:
        raise InvalidInput("note", f"is longer than {LONGEST_NOTE} characters")
    with workshop.writing() as session:
        row = find_trial(session, trial_id)
        row.readings = {**readings_of(row).to_json(), "note": note.strip()}


def set_reader(workshop: Workshop, trial_id: int, name: str) -> None:
    """Say who read: what is known of them has its say anew. An empty name is that of all who give none."""
    with workshop.reading() as session:
        found = readers.read_by(session, trial_id, Readings(), name)
    _read_anew(
        workshop, trial_id,
        lambda trial: trial.read(replace(trial.readings, reader=found.reader, leaning=found.leaning)),
    )  # fmt: skip


def set_choice(workshop: Workshop, trial_id: int, field: str, value: str) -> None:
    """Judge the same readings for something else: a choice of the plan that does not touch the piece."""

    def judged(trial: Trial) -> Trial:
        spec = next((f for f in trial.kind.fields(trial.context) if f.key == field and f.late), None)
        if spec is None:
            raise InvalidInput(field, "cannot be changed after printing")
        return trial.judged_for(field, spec.read(value))

    _read_anew(workshop, trial_id, judged, printed=False)


def _read_anew(workshop: Workshop, trial_id: int, change: Callable[[Trial], Trial], *, printed: bool = True) -> Trial:
    """Work out a change of readings, then keep it in a moment's transaction. Where somebody else has read the same
    trial meanwhile, it is worked out again on what they read. NotNow before it is printed.
    """
    for _ in range(TRIES):
        with workshop.reading() as session:
            row = get_trial(session, trial_id)
            before, trial = (row.plan, row.readings), trial_of(row)
            trial = replace(trial, readings=readers.begun(session, row, trial.readings))
        if printed and trial.state is TrialState.PLANNED:
            raise NotNow("print the piece first; then there is something to read")
        after = change(trial)
        readings, result = after.readings.to_json(), after.result.to_json() if after.result else None
        with workshop.writing() as session:
            row = find_trial(session, trial_id)
            if (row.plan, row.readings) == before:
                row.readings, row.result = readings, result
                if after.plan != trial.plan:
                    row.plan = after.plan.to_json()
                return after
    raise NotNow("somebody else is reading this trial just now; try again")
