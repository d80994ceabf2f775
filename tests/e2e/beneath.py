"""What a browser test does beneath its pages where they are shown elsewhere: a print read as exactly as can be."""

from __future__ import annotations

from drumbo.services import reading
from drumbo.services.convert import filament_context, trial_of
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from tests.readback import exact_readings


def read_exactly(house: Workshop, number: int, seed: int) -> None:
    """Fill in what nobody errs in reading."""
    with house.reading() as session:
        trial = trial_of(get_trial(session, number))
    found = exact_readings(trial.kind, trial.plan, filament_context(trial.context), seed)
    scores = ((aspect, int(step), score) for aspect, row in found.scores.items() for step, score in row.items())
    reading.score_all(house, number, {(aspect, step): score for aspect, step, score in scores})
    if found.firsts:
        reading.first_all(house, number, found.firsts)
    reading.measure_all(house, number, {
        (key, int(step), place): value
        for key, steps in found.measures.items() for step, row in steps.items() for place, value in row.items()
    })  # fmt: skip
