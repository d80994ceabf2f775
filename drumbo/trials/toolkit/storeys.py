"""A tower of storeys with fine features, for what may change with height in a resin print; a design of our own.

Each storey is a floor with a wall at its left, the value in digits on the wall's front; on the floor stand pins, and a
block with slits. What changes, changes from floor to floor.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, TypeVar

import numpy as np
from manifold3d import CrossSection, Manifold

from drumbo.core.catalogue import BY_KEY
from drumbo.core.fields import Scalar
from drumbo.core.fit.counts import Fall, fit_fall
from drumbo.core.light.job import LayerJob, Lift, LitSolid, job
from drumbo.core.piece import Jaw, Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result, beyond
from drumbo.trials.toolkit.layered import PIN_SEGMENTS, LayerKind, ResinContext, base_mm, check_room, screen_of
from drumbo.trials.toolkit.wider import holding

WIDE, DEEP, STOREY, FLOOR = 24.0, 9.0, 1.2, 0.3
"""Low, for time: every layer is peeled by itself. What stands on a floor is as telling when it is short."""
WALL, DIGITS_HIGH, STROKE, DIGITS_OUT, COLUMNS = 10.8, 2.3, 0.42, 0.5, 3
"""Digits are higher than a level, so they stand in so many columns, each at the height of its own level."""
PINS = (0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5)
SLITS = (0.14, 0.18, 0.22, 0.26, 0.3, 0.35, 0.4, 0.5)
PITCH, WALLS = 1.43, 1.03
"""Out of step with any screen's pixels."""
PIN_TALL, BLOCK_TALL = 0.8, 0.7
HERE = Site("here", "count")
TOLD_LEVELS = 0.6
"""How far off a level that somebody named tells the beginning: of towers that were read before anything was counted."""
LIKELY = 0.5
FINER = 3
"""A finer tower is as high as so many steps of the one before."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StoreyPlan(TrialPlan):
    """The sweep: a kind says what `first` and `step` are to it."""

    first: float = ask("First")
    step: float = ask("Step")
    storeys: int = ask("Levels", low=4, high=9, whole=True)


S = TypeVar("S", bound=StoreyPlan)


class StoreyKind(LayerKind[S]):
    """A kind that changes one parameter from storey to storey, until something fails."""

    counted: ClassVar[Measure]
    """What is counted on every level; there is one site."""
    margin: ClassVar[float]
    """What is kept back from where it begins to fail at least, as a share of it; never less than how unsure that is."""
    ways: ClassVar[tuple[str, str]]
    """What values further up, and further down, the tower are called."""

    @property
    def decimals(self) -> int:
        """With how many its value is told."""
        return BY_KEY[self.sets[0]].decimals

    def check(self, plan: S, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn where the printer is known to do as it likes."""
        high = self.foot_mm(context) + plan.storeys * STOREY
        check_room(context, "storeys", WIDE + 2, DEEP + 2, high)
        if self.sets[0] in context.printer.ignored():
            return {"first": f"{context.printer.name} is known to ignore what a file says of it"}
        return {}

    def foot_mm(self, context: ResinContext) -> float:
        """How thick the foot is."""
        return base_mm(context, context.profile.number("layer_um"), 0.8, 3)

    def piece(self, plan: S, context: ResinContext) -> Piece:
        """The tower, and where there is something to count."""
        made = tower(self.steps(plan), self.foot_mm(context))
        key = self.counted.key
        jaws = [Jaw(key, p.index, HERE.key, p.low[:2], p.high[:2], (p.low[2] + p.high[2]) / 2, self.counted.tool)
                for p in made.places]  # fmt: skip
        return replace(made, jaws=tuple(jaws))

    def job(self, plan: S, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """Each level's layers with its own value."""
        numbers, piece, steps = context.profile.numbers(), self.piece(plan, context), self.steps(plan)
        base = self.foot_mm(context)

        def value(z_mm: float) -> float:
            return storey_at(steps, z_mm, base).value

        lit = LitSolid(piece.solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job(
            [lit], numbers, screen_of(context), title=title,
            lifting=lambda z_mm, lift: self.lifted(lift, value(z_mm)),
            resting=lambda z_mm, rest_s: self.rested(rest_s, value(z_mm)),
        )  # fmt: skip

    def lifted(self, lift: Lift, value: float) -> Lift:
        """The lift of a layer on the storey with a value."""
        del value
        return lift

    def rested(self, rest_s: float, value: float) -> float:
        """The rest of a layer on the storey with a value, s."""
        del value
        return rest_s

    def readings(self, plan: S) -> ToRead:
        """A count on every level."""
        del plan
        return ToRead(measures=(self.counted,))

    def begins(self, plan: S, readings: Readings) -> Fall | None:
        """Where about a fifth of what stood before is missing; None while some levels are not counted."""
        values = np.array([step.value for step in self.steps(plan)])
        counts = [readings.measured(self.counted.key, step.index, HERE.key) for step in self.steps(plan)]
        known = [count for count in counts if count is not None]
        if len(known) == len(counts):
            return fit_fall(values, np.array(known), self.counted.high)
        told = next(iter(readings.firsts.values()), None)
        if known or told is None:
            return None
        # Towers that were read before anything was counted tell the level itself.
        step = float(values[1] - values[0])
        at = float(values[0]) + (told - 0.5) * step
        return Fall(at, TOLD_LEVELS * abs(step), float(told == 0), float(told >= len(values)))

    def evaluate(self, plan: S, readings: Readings) -> Result:
        """The last level before some are missing, with a margin from it."""
        found, steps = self.begins(plan, readings), self.steps(plan)
        if found is None:
            return Result("few", says=self.few)
        values, (far, near) = [step.value for step in steps], self.ways
        counts = readings.measures.get(self.counted.key, {})
        most = max((count for row in counts.values() for count in row.values()), default=self.counted.high)
        if found.before > LIKELY or most <= self.counted.high / 2:
            extend = self.further(plan, values, on=False)
            says = f"print {near} ones next" if extend else f"{near} ones make no sense, so look for another cause"
            return Result("edge", says=f"It fails from the first level on; {says}.", extend=extend,
                          extend_says=f"Plan {near} ones")  # fmt: skip
        told = holding(self.slug, found.error)
        if found.beyond > LIKELY:
            value, extend = values[-1], self.further(plan, values, on=True)
            spread = Spread("Held up to", self.unit, self.decimals, ((steps[-1].label, value, True),), value, told)
            more = f"; {far} ones may hold too" if extend else ""
            return Result(
                "edge", value=value, error=told, low=value, high=value, spreads=(spread,),
                says=f"It held on every level. {steps[-1].label} can be used{more}.",
                extend=extend, extend_says=f"Plan {far} ones", beyond=beyond(values[-1] - values[0]),
            )  # fmt: skip
        return self._between(plan, found, told)

    def _between(self, plan: S, found: Fall, told: float) -> Result:
        """The limit lies on the tower; `told` is its error as it holds."""
        steps, limit = self.steps(plan), found.at
        back = steps[0].value - steps[1].value
        holds = [step for step in steps if (step.value - limit) * back > 0] or steps[:1]
        fails = [step for step in steps if step not in holds] or steps[-1:]
        kept = max(self.margin * limit, found.error)
        value = max(limit + math.copysign(kept, back), limit / 2)
        points = ((f"{holds[-1].label} holds", holds[-1].value, True), (f"{fails[0].label} does not", fails[0].value,
                  True))  # fmt: skip
        says = (
            f"It begins at {limit:.{self.decimals}f} ± {half_90(told):.{self.decimals}f} {self.unit}; "
            f"{100 * abs(value / limit - 1):.0f} % of that is kept back."
        )
        finer = self._finer(plan, limit, back) if found.error > self.margin * limit else None
        notes = ("On a finer tower less need be kept back.",) if finer else ()
        return Result(
            "good", value=value, error=told, low=min(value, holds[-1].value), high=max(value, holds[-1].value),
            says=says, notes=notes,
            spreads=(Spread("Where it begins", self.unit, self.decimals, points, limit, told),),
            extend=finer, extend_says="Plan a finer one",
        )  # fmt: skip

    def further(self, plan: S, values: Sequence[float], *, on: bool) -> dict[str, Scalar] | None:
        """A plan that goes on above this tower, or else below it, overlapping by one storey; None where there is no way
        to go.
        """
        first_field, step_field, _ = self.plan_type.fields()
        apart, last, step = values[1] - values[0], len(values) - 1, plan.step
        first = values[-2] if on else values[0] - (last - 1) * apart
        first = min(max(first, first_field.low), first_field.high)
        if apart < 0 and step_field.step:
            # Shorter and shorter ends at nothing: finer steps, then.
            step = min(step, math.floor(first / last / step_field.step + 1e-9) * step_field.step)
        if first == values[0] or step < step_field.low:
            return None
        return replace(plan, first=round(first, 2), step=round(step, 2)).to_json()

    def _finer(self, plan: S, limit: float, back: float) -> dict[str, Scalar] | None:
        """A plan of finer steps with the limit in its middle; `back` is the step towards what holds. None where there
        is none finer.
        """
        first_field, step_field, _ = self.plan_type.fields()
        last = plan.storeys - 1
        grain, grid = step_field.step or 0.1, first_field.step or 0.1
        step = max(math.ceil(FINER * abs(back) / last / grain - 1e-9) * grain, step_field.low)
        if step >= abs(back) - 1e-9:
            return None
        first = limit + math.copysign(step * last / 2, back)
        first = max(round(first / grid) * grid, first_field.low, step * last if back > 0 else 0.0)
        return replace(plan, first=round(float(first), 2), step=round(float(step), 2)).to_json()

    def keeps(self, result: Result) -> bool:
        """Whatever held may be used."""
        return result.value is not None


def storey_at(steps: Sequence[Step], z_mm: float, base_mm: float) -> Step:
    """The step whose level is at a height."""
    return steps[min(max(int((z_mm - base_mm) // STOREY), 0), len(steps) - 1)]


def tower(steps: Sequence[Step], base_mm: float, backs: Sequence[str] = ()) -> Piece:
    """All storeys on one foot; the first step is the lowest storey. `backs` are digits behind the wall, a storey each:
    of what else changes.
    """
    parts = [Part("foot", block((-WIDE / 2 - 1, -DEEP / 2 - 1, 0), (WIDE / 2 + 1, DEEP / 2 + 1, base_mm)))]
    places = []
    low, high = base_mm + DIGITS_HIGH / 2 + 0.02, base_mm + len(steps) * STOREY - DIGITS_HIGH / 2 - 0.02
    for step in steps:
        z = base_mm + step.index * STOREY
        at = (step.index % COLUMNS + 0.5) * WALL / COLUMNS, min(max(z + STOREY / 2, low), high)
        parts += _storey(z, step.label, at, backs[step.index] if backs else "")
        box = (-WIDE / 2, -DEEP / 2, z), (WIDE / 2, DEEP / 2, z + STOREY)
        places.append(Place(step.index, step.value, step.label, *box))
    return Piece("storeys", union(part.solid for part in parts), tuple(parts), tuple(places))


def _digits(label: str, x: float, z: float, way: int = 1) -> CrossSection:
    """As wide as a column at most, their middle there; with `way` -1 as they are seen from behind."""
    digits = text_shape(label, DIGITS_HIGH, STROKE)
    x0, _, x1, _ = digits.bounds()
    return digits.scale((way * min(1.0, (WALL / COLUMNS - 0.3) / (x1 - x0)), 1.0)).translate((x, z))


def _storey(z: float, label: str, digits_at: tuple[float, float], behind: str) -> list[Part]:
    left, front = -WIDE / 2, -DEEP / 2
    digits, back = _digits(label, left + digits_at[0], digits_at[1]), -front
    signs = [Part("digits", along_y(digits, front + 0.6 - DIGITS_OUT, front + 0.8))]
    if behind:
        # As far in as in front, so that they stand over the floor as well.
        back -= 0.6
        digits = _digits(behind, left + digits_at[0], digits_at[1], -1)
        signs.append(Part("digits", along_y(digits, back - 0.2, back + DIGITS_OUT), behind=True))
    pins = [_pin(left + WALL + 1.2 + PITCH * k, front + 2.2, width, z + FLOOR - 0.1) for k, width in enumerate(PINS)]
    x, solid = left + WALL + 0.8, block((left + WALL, front + 4.6, z), (WIDE / 2, front + 8.2, z + FLOOR + BLOCK_TALL))
    for width in SLITS:
        solid -= block((x, front + 5.2, z + FLOOR), (x + width, front + 7.6, z + FLOOR + 3))
        x += width + WALLS
    return [
        Part("foot", block((left, front, z - 0.1), (WIDE / 2, -front, z + FLOOR))),
        Part("mast", block((left, front + 0.6, z), (left + WALL, back, z + STOREY))),
        Part("wall", solid),
        Part("needle", union(pins)),
        *signs,
    ]


def _pin(x: float, y: float, width: float, low: float) -> Manifold:
    pin = Manifold.cylinder(PIN_TALL, width / 2, width / 2, circular_segments=PIN_SEGMENTS)
    return pin.translate((x, y, low))
