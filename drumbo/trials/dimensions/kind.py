"""The dimensions trial: plan, piece, what to measure and the verdict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.fit.callipers import CALLIPER_SD_MM
from drumbo.core.fit.sizes import SizeFit, Sizes, Square, fit_height, fit_sizes, fit_square
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.core.sure import half_90
from drumbo.core.toolpath import Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.dimensions import rake
from drumbo.trials.pictures import Axis, Chart, Series
from drumbo.trials.plan import Bounds, TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.roads import check_bed, on_bed
from drumbo.trials.toolkit.wider import holding

FEWEST = 4
WIDE_MM = 0.08
"""Outside sizes that are so much too large or small, whatever their length, point back to flow."""
APART, PLAINLY = 3.0, 2.5
"""Standard errors from which on axes differ, and from which on three heights tell anything."""
SIDES = {"outside": 1.0, "gap": -1.0}
ALL, LENGTHS = "all", "lengths"


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The three sizes, and whether there is more to measure."""

    short_mm: float = ask("Short", "mm", low=16, high=60, step=5)
    middle_mm: float = ask("Middle", "mm", low=30, high=120, step=10)
    long_mm: float = ask("Long", "mm", low=50, step=10, help="The longer, the better it tells shrinkage.")
    tells: str = ask(
        "It tells",
        kind="choice",
        choices=((ALL, "lengths, heights and squareness"), (LENGTHS, "lengths only: lower and quicker")),
    )

    @property
    def made(self) -> rake.Rake:
        """Its piece's measures."""
        return rake.Rake((self.short_mm, self.middle_mm, self.long_mm), slim=self.tells == LENGTHS)


class Dimensions(Kind[Plan]):
    """Shrinkage and size offset from many sizes at once."""

    slug = "dimensions"
    plan_type = Plan
    version = 2
    title = "Dimensions"
    sets = ("shrinkage_percent", "offset_mm")
    group = "size"
    step_unit = "mm"
    about = (
        "Two rakes with the same teeth, along X and along Y. Outside sizes, gaps and heights of several lengths tell "
        "apart what grows with the size (the plastic shrinks) and what does not (lines bulge). A single cube cannot."
    )
    few = "Measure outside sizes and gaps: type a number and Enter, the next field waits."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        most = max(60.0, min(context.printer.bed_x_mm, context.printer.bed_y_mm) - 26)
        return {
            "long_mm": Bounds(high=min(most, 300)),
        }

    def suggest(self, context: Context) -> Plan:
        """20, 50 and 100 mm, or what the bed has room for."""
        room = min(context.printer.bed_x_mm, context.printer.bed_y_mm) - 30
        long = float(min(100, room // 5 * 5))
        return Plan(short_mm=20.0, middle_mm=50.0 if long >= 80 else 40.0, long_mm=long, tells=ALL)

    def quick(self, context: Context) -> Plan:
        """20, 45 and 80 mm, where that is shorter, and lengths only: it leaves room for others on the bed."""
        usual = replace(self.suggest(context), tells=LENGTHS)
        return replace(usual, middle_mm=45.0, long_mm=80.0) if usual.long_mm > 80 else usual

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse teeth that would run into each other, and what does not fit."""
        short, middle, long = self._sizes(plan)
        for field, size, before in (("middle_mm", middle, short), ("long_mm", long, middle)):
            if size < before + rake.TOOTH_WIDE + 6:
                raise InvalidInput(
                    field, f"must be {before + rake.TOOTH_WIDE + 6:g} mm or more, for a gap before its tooth"
                )
        printer, side = context.printer, long + plan.made.tooth_long
        check_bed("long_mm", printer, side + 10, side + 14, "needs")
        return {} if long >= 80 else {"long_mm": "is short; shrinkage is told poorly"}

    def _sizes(self, plan: Plan) -> tuple[float, float, float]:
        return (plan.short_mm, plan.middle_mm, plan.long_mm)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The three sizes, shortest first."""
        return tuple(Step(i, size, f"{size:g}") for i, size in enumerate(self._sizes(plan)))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """Both rakes."""
        del context
        return rake.rakes(plan.made, self.steps(plan))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """As the profile prints."""
        del plan
        return on_bed(piece.solid, context, purge=(5, 2))

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Up to version 1 every piece had heights and diagonals."""
        return {"tells": ALL, **plan} if version < 2 else plan

    def readings(self, plan: Plan) -> ToRead:
        """Outside sizes and gaps; where the piece has them, diagonals and heights."""
        made = plan.made
        gaps = ", ".join(f"{made.gap(i):g}" for i in range(3))
        sites = (Site("x", "along X"), Site("y", "along Y"))
        most = 1.1 * self._sizes(plan)[-1]
        lengths = (
            Measure("outside", "Outside", "mm", sites, 1, most, 2, "calliper",
                    "From the outer face of the first tooth to the outer face of the tooth named."),
            Measure("gap", "Gap", "mm", sites, 1, most, 2, "inside",
                    f"With the small jaws: the gap before that tooth, meant to be {gaps} mm."),
        )  # fmt: skip
        if made.slim:
            return ToRead(measures=lengths)
        across = ", ".join(f"{made.diagonal(i):.2f}" for i in range(3))
        highs = ", ".join(f"{made.high(i):g}" for i in range(3))
        return ToRead(measures=(
            *lengths,
            Measure("diagonal", "Diagonal", "mm", (Site("d", "from lug to lug"),), 1, 1.5 * most, 2, "inside",
                    f"In the corner between the bars, from face to face: meant to be {across} mm. Tells whether X and "
                    "Y are square to each other; leave it out if your jaws do not reach."),
            Measure("height", "Height", "mm", (Site("z", "along Z"),), 1, 60, 2, "height",
                    f"Of that tooth on the X bar, meant to be {highs} mm. Shrinkage upwards is told apart."),
        ))  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """A line through error against size: its slope is shrinkage, what it starts with is the offset."""
        made = plan.made
        taken = [
            (size, reading, site, key)
            for step in self.steps(plan)
            for key, size in (("outside", step.value), ("gap", made.gap(step.index)))
            for site in ("x", "y")
            if (reading := readings.measured(key, step.index, site)) is not None
        ]
        few = Result("few", says="Measure four places or more, of three sizes that differ well.")
        if len(taken) < FEWEST or len({round(size) for size, *_ in taken}) < 3:
            return few
        meant, value = np.array([row[0] for row in taken]), np.array([row[1] for row in taken])
        axis, side = np.array([row[2] for row in taken]), np.array([SIDES[row[3]] for row in taken])
        try:
            found = fit_sizes(meant, value, axis, side)
        except ValueError:
            return few
        found = replace(found, offset_error=holding(f"{self.slug}: offset", found.offset_error))
        up = fit_height(*self._heights(made, readings))
        square = fit_square(*self._diagonals(made, readings), found)
        percent, error = 100 * found.shrink, 100 * found.error
        return Result(
            state="split" if found.kept.mean() < 0.7 else "good",
            value=percent, error=error, low=percent - half_90(error), high=percent + half_90(error), says=_says(found),
            notes=_notes(found, up, square, taken), charts=(_chart(found, meant, value, axis, side),),
            also={"offset_mm": found.offset_mm, "offset_error": found.offset_error},
        )  # fmt: skip

    def _heights(self, made: rake.Rake, readings: Readings) -> tuple[np.ndarray, np.ndarray]:
        rows = [(made.high(i), v) for i in range(3) if (v := readings.measured("height", i, "z")) is not None]
        return np.array([m for m, _ in rows]), np.array([v for _, v in rows])

    def _diagonals(self, made: rake.Rake, readings: Readings) -> tuple[np.ndarray, np.ndarray]:
        rows = [(made.diagonal(i), v) for i in range(3) if (v := readings.measured("diagonal", i, "d")) is not None]
        return np.array([m for m, _ in rows]), np.array([v for _, v in rows])

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """Shrinkage to a hundredth of a per cent, the offset to a hundredth of a millimetre."""
        del plan, context
        if result.value is None or result.also is None:
            return {}
        origin = self.origin(trial)
        return {
            "shrinkage_percent": Value(round(result.value, 2), origin, result.error),
            "offset_mm": Value(round(result.also["offset_mm"], 2), origin, result.also["offset_error"]),
        }

    def in_words(self, plan: Plan) -> str:
        """The sizes."""
        short, middle, long = (step.label for step in self.steps(plan))
        more = "and the gaps between" if plan.made.slim else "the gaps between, and three diagonals and heights"
        return f"Outside sizes of {short}, {middle} and {long} mm along X and Y, {more}."

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing of the profile."""
        del plan
        return {}


def _says(found: Sizes) -> str:
    shrink = f"shrinks by {100 * found.shrink:.2f} %"
    if abs(found.shrink) < half_90(found.error):
        shrink = "hardly shrinks, as far as these sizes can tell"
    if abs(found.offset_mm) < half_90(found.offset_error):
        return f"It {shrink}; beyond that, outside sizes are right."
    way = "large" if found.offset_mm > 0 else "small"
    return f"It {shrink}; outside sizes are {abs(found.offset_mm):.2f} mm too {way} whatever their length."


def _notes(
    found: Sizes, up: SizeFit | None, square: Square | None, taken: Sequence[tuple[float, float, str, str]]
) -> tuple[str, ...]:
    notes = []
    out = [
        f"{v:.2f} ({key} {m:g}, {a.upper()})"
        for (m, v, a, key), kept in zip(taken, found.kept, strict=True)
        if not kept
    ]
    if out:
        notes.append(f"Left out, as they stand apart: {', '.join(out)}.")
    if abs(found.offset_mm) > WIDE_MM:
        way = "wide" if found.offset_mm > 0 else "thin"
        notes.append(f"Walls that are so {way} point back to flow; look at that first, then measure this again.")
    if found.gap_mm is not None and abs(found.gap_mm) > 2 * found.offset_error:
        notes.append(f"Gaps are {abs(found.gap_mm):.2f} mm too {'narrow' if found.gap_mm > 0 else 'wide'}.")
    if found.apart > APART:
        each = " and ".join(f"{100 * line.shrink:.2f} % along {line.axis.upper()}" for line in found.axes)
        notes.append(f"The axes differ: {each}. Plastic does not know X from Y; the printer's steps do.")
    else:
        notes.append("If another material departs by the same, it is the printer's scale and not the plastic.")
    if square is not None:
        told = f"{1000 * abs(square.skew):.1f} ± {1000 * half_90(square.error):.1f} mm in a metre"
        if abs(square.skew) < PLAINLY * square.error:
            notes.append(f"X and Y are square to each other, as far as the diagonals tell ({told}).")
        else:
            way = "less" if square.skew > 0 else "more"
            notes.append(
                f"X and Y are out of square by {told}: {abs(square.degrees):.2f}° {way} than a right angle. "
                "That is the frame's, not the plastic's."
            )
    if up is not None:
        told = f"{100 * up.shrink:.2f} ± {100 * half_90(up.error):.2f} %"
        nothing = abs(up.shrink) < PLAINLY * up.error
        notes.append(
            f"Upwards these heights are too short to tell any ({told})." if nothing else f"Upwards it is {told}."
        )
    return tuple(notes)


def _chart(found: Sizes, meant: np.ndarray, value: np.ndarray, axis: np.ndarray, side: np.ndarray) -> Chart:
    """Error over size: outside sizes above, gaps below, the lines of both axes."""
    series = []
    ends = np.array([0.0, float(meant.max())])
    for tone, line in enumerate(found.axes):
        for sign, name in ((1.0, "outside"), (-1.0, "gap")):
            mine = (axis == line.axis) & (side == sign)
            if not mine.any():
                continue
            along = -ends * line.shrink + (found.offset_mm if sign > 0 else -(found.gap_mm or 0.0))
            label = f"{line.axis.upper()} {name}"
            series.append(Series(label, "line", _rounded(ends), _rounded(along), tone=tone))
            errors, kept = _rounded((value - meant)[mine]), tuple(bool(k) for k in found.kept[mine])
            sd = (CALLIPER_SD_MM,) * len(errors)
            series.append(Series(label, "points", _rounded(meant[mine]), errors, sd, kept, tone))
    series.append(Series("as meant", "level", (), (0.0,)))
    return Chart("Error against size", Axis("Size", "mm"), Axis("error", "mm"), tuple(series))


def _rounded(values: np.ndarray) -> tuple[float, ...]:
    return tuple(round(float(v), 3) for v in values)
