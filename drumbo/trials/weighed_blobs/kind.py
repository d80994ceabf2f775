"""The weighing trial: plan, tray, what the file does, what to weigh; its verdict is in `verdict.py`."""

from __future__ import annotations

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.families import family
from drumbo.core.piece import Piece
from drumbo.core.profile import Dependency, Value
from drumbo.core.toolpath import Toolpath, settings_for
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.weighed_blobs import tray
from drumbo.trials.weighed_blobs.feed import Feed
from drumbo.trials.weighed_blobs.plan import FEWEST, Plan
from drumbo.trials.weighed_blobs.verdict import kept_share, verdict

ABOVE_MM, PURGE_MM = 45.0, 12.0
GENTLE_S = 20.0
"""About as long as a blob takes at the profile's limit."""
MOST_ROWS = 9


class WeighedBlobs(Kind[Plan]):
    """How much arrives at rising flow and at several temperatures, on a scale."""

    slug = "weighed-blobs"
    plan_type = Plan
    title = "Max flow by weight"
    sets = ("max_flow_mm3_s",)
    group = "max_flow"
    step_unit = "mm³/s"
    solid = False
    shares_bed = False
    about = (
        "The same length of filament is pushed out again and again, faster and faster, at several temperatures, and "
        "every blob is weighed. What is missing on the scale did not melt in time. It needs a scale that shows "
        "milligrams, and tells how the limit grows with heat."
    )
    few = "Weigh the blobs: type a number and Enter, the next field waits."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        most = context.printer.nozzle_max_c
        return {
            "cold_c": Bounds(high=most),
            "hot_c": Bounds(high=most),
            "nozzle_c": Bounds(high=most),
        }

    def suggest(self, context: Context) -> Plan:
        """Half to half as much again of what the profile has; its temperature, something colder and something
        hotter.
        """
        profile, printer, material = context.profile, context.printer, context.material
        now, heat = profile.number("max_flow_mm3_s"), profile.number("nozzle_c")
        low, high = 0.5 * now, 1.6 * now
        area = settings_for(profile.numbers(), printer).filament_area
        most = min(printer.nozzle_max_c, material.nozzle_high_c)
        hot, cold = min(heat + 20, most), max(heat - 10, min(material.nozzle_low_c, heat))
        flows, rows = 7, 3 if hot - cold >= 10 else 2
        while flows > FEWEST and tray.fitted(flows, rows, printer.bed_x_mm, printer.bed_y_mm) is None:
            flows -= 1
        return Plan(
            low_mm3_s=round(low, 1),
            high_mm3_s=round(high, 1),
            flows=flows,
            cold_c=float(round(cold)),
            hot_c=float(round(hot)),
            heats=rows,
            repeats=1,
            length_mm=float(min(max(round(GENTLE_S * now / area / 10) * 10, 30), 200)),
            nozzle_c=heat,
            threshold="p95",
            kept_back="none",
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what does not fit or cannot be had; warn of what the drive or the material would not stand."""
        low, high = plan.low_mm3_s, plan.high_mm3_s
        cold, hot, heats = plan.cold_c, plan.hot_c, plan.heats
        if high < 1.5 * low:
            raise InvalidInput(
                "high_mm3_s", f"must be {1.5 * low:.1f} mm³/s or more, half as much again as the slowest"
            )
        if heats > 1 and hot < cold + 5 * (heats - 1):
            raise InvalidInput("hot_c", f"must be {cold + 5 * (heats - 1):g} °C or more for {heats} rows 5 °C apart")
        rows, printer = heats * plan.repeats, context.printer
        if rows > MOST_ROWS:
            raise InvalidInput("repeats", f"makes {rows} rows; {MOST_ROWS} is the most")
        if self._tray(plan, context) is None:
            cells = f"{plan.flows} × {rows} cells of {tray.NARROWEST:g} mm"
            raise InvalidInput("flows", f"need a larger bed: {cells} do not fit on {printer.name}")
        return self._warnings(plan, context)

    def _warnings(self, plan: Plan, context: Context) -> dict[str, str]:
        """What the drive or the material may not stand."""
        high, cold, hot = plan.high_mm3_s, plan.cold_c, plan.hot_c
        printer, kin, warnings = context.printer, family(context.material.family), {}
        drive = high / settings_for(context.profile.numbers(), printer).filament_area
        if drive > 0.8 * context.profile.number("retraction_speed_mm_s"):
            warnings["high_mm3_s"] = f"feeds {drive:.1f} mm of filament a second; can the drive do that?"
        if hot > kin.nozzle_high_c + 10:
            warnings["hot_c"] = f"is hotter than {kin.name} commonly stands; do not let it wait there"
        if cold < kin.nozzle_low_c - 10:
            warnings["cold_c"] = f"is colder than {kin.name} commonly melts; the drive may grind"
        if not cold - 5 <= plan.nozzle_c <= hot + 5:
            warnings["nozzle_c"] = "lies outside of the rows; the limit there is a guess along the curve"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The flows, slowest first, evenly spaced and rounded to a tenth."""
        low, high, count = plan.low_mm3_s, plan.high_mm3_s, plan.flows
        flows = [round(float(q), 1) for q in np.linspace(low, high, count)]
        return tuple(Step(i, q, f"{q:g}") for i, q in enumerate(flows))

    def rows(self, plan: Plan) -> tuple[tray.BlobRow, ...]:
        """Hottest first: if the drive grinds anywhere, it does so last."""
        heats = np.linspace(plan.hot_c, plan.cold_c, plan.heats)
        if len(heats) == 1:
            heats = np.array([plan.hot_c])
        pairs = [(float(round(float(heat))), again) for heat in heats for again in range(plan.repeats)]
        return tuple(tray.BlobRow(i, heat, again) for i, (heat, again) in enumerate(pairs))

    def _tray(self, plan: Plan, context: Context) -> tray.Tray | None:
        printer = context.printer
        return tray.fitted(plan.flows, len(self.rows(plan)), printer.bed_x_mm, printer.bed_y_mm)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The tray."""
        made = self._tray(plan, context)
        if made is None:
            raise InvalidInput("flows", "do not fit on the bed")
        return tray.tray(made, self.steps(plan), self.rows(plan))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Row by row and blob by blob: heat, purge at the corner, travel, push. No road is laid."""
        del piece
        made = self._tray(plan, context)
        assert made is not None
        numbers, printer = context.profile.numbers(), context.printer
        settings, steps = settings_for(numbers, printer), self.steps(plan)
        feed = Feed(settings, printer.bed_middle, min(ABOVE_MM, printer.height_mm / 2), made.purge)
        gentle = min(steps[0].value, 0.5 * numbers["max_flow_mm3_s"])
        for row in self.rows(plan):
            feed.heat(row.heat_c)
            for step in steps:
                feed.push(PURGE_MM, gentle)
                feed.go(made.middle(step.index, row.index))
                feed.note(f"step {step.label}, row {row.letter}")
                feed.push(plan.length_mm, step.value)
                feed.go(made.purge)
        return feed.finish(printer.nozzle_mm)

    def first_layer_c(self, plan: Plan, context: Context) -> float:
        """The first row's heat."""
        del context
        return self.rows(plan)[0].heat_c

    def readings(self, plan: Plan) -> ToRead:
        """Every blob's weight, row by row."""
        sites = tuple(Site(tray.site(row), _called(row)) for row in self.rows(plan))
        how = (
            "Pick the blobs up one by one, B3 is the third of row B, and leave the hair that the nozzle drew. An empty "
            "field is fine where a blob was lost."
        )
        return ToRead(measures=(Measure("blob", "Weight", "g", sites, 0, 20, 3, "scale", how),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """All weights together; see `verdict`."""
        rows = [(row.heat_c, tray.site(row), row.letter) for row in self.rows(plan)]
        return verdict(plan, self.steps(plan), rows, readings)

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The limit at the profile's temperature, and the curve along which it moves with that."""
        if result.value is None or result.error is None:
            return {}
        kept = kept_share(plan)
        note = self.title.lower() + (f", {(1 - kept) * 100:.0f} % kept back" if kept < 1 else "")
        origin = self.origin(trial, note)
        if result.also is None:
            return {"max_flow_mm3_s": Value(round(result.value * kept, 1), origin, result.error * kept)}
        law = Dependency("nozzle_c", **{**result.also, "number": result.value * kept}, note=note)
        heat = context.profile.number("nozzle_c")
        limit = law.of(heat)
        value = Value(round(limit, 1), origin, result.error * limit / result.value, dependency=law)
        return {"max_flow_mm3_s": value}

    def in_words(self, plan: Plan) -> str:
        """Rows and columns."""
        steps, rows = self.steps(plan), self.rows(plan)
        heats = f"{rows[0].heat_c:g} °C" if len(rows) == 1 else f"{rows[-1].heat_c:g} to {rows[0].heat_c:g} °C"
        flows = f"{steps[0].label} to {steps[-1].label} mm³/s"
        return f"{len(steps) * len(rows)} blobs of {plan.length_mm:g} mm, {flows}, at {heats}."

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Flow and heat."""
        rows = self.rows(plan)
        return {**super().overrides(plan), "nozzle_c": f"{rows[0].heat_c:g} to {rows[-1].heat_c:g}"}

    def instructions(self, plan: Plan, context: Context) -> str:
        """A tray first."""
        del plan, context
        return (
            "Lay a sheet of paper or foil on the plate, and let nothing stand where the head travels. The nozzle "
            "pushes in the air; the blobs fall and lie in rows."
        )

    def wants(self, context: Context) -> str | None:
        """Another way to what a wall tells; it needs a scale, so nobody is sent here."""
        del context
        return None


def _called(row: tray.BlobRow) -> str:
    return f"{row.letter}: {row.heat_c:g} °C{', again' if row.repeat else ''}"
