"""A trial as one value: what was planned on what, what was read off it, and what that says."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from drumbo.core.piece import Piece, Standing
from drumbo.trials.base import SomeBound, SomeKind
from drumbo.trials.believable import evaluated
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings, Step, ToRead
from drumbo.trials.result import Result


class TrialState(StrEnum):
    """How far a trial has come."""

    PLANNED = "planned"
    PRINTED = "printed"
    ADOPTED = "adopted"


def all_read(kind: SomeKind, plan: TrialPlan, readings: Readings) -> bool:
    """Whether there is nothing left to read, or one step was picked."""
    to_read = kind.readings(plan)
    return readings.picked is not None or readings.count(to_read.extra) >= to_read.count(len(kind.steps(plan)))


@dataclass(frozen=True, slots=True)
class Trial:
    """One calibration experiment. `context` is what it was planned on: revision `revision` of its profile; `stands` is
    where its piece is on the bed.
    """

    kind: SomeKind
    plan: TrialPlan
    context: SomeBound
    revision: int
    state: TrialState
    readings: Readings
    result: Result | None
    stands: Standing

    @property
    def steps(self) -> tuple[Step, ...]:
        """The values of its sweep."""
        return self.kind.steps(self.plan)

    @property
    def to_read(self) -> ToRead:
        """What is to be read off its piece."""
        return self.kind.readings(self.plan)

    @property
    def piece(self) -> Piece:
        """What it prints."""
        return self.kind.piece(self.plan, self.context)

    def has_step(self, index: int) -> bool:
        """Whether there is a step of that number."""
        return 0 <= index < len(self.steps)

    def read(self, readings: Readings) -> Trial:
        """The trial with other readings, and what they say."""
        result = evaluated(self.kind, self.plan, self.context, readings) if readings.any else None
        return replace(self, readings=readings, result=result)

    def judged_for(self, field: str, value: Any) -> Trial:
        """The same readings judged for something else."""
        return replace(self, plan=self.plan.with_value(field, value)).read(self.readings)
