"""The trial of the bridge speed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import Piece
from drumbo.core.toolpath import Role, Toolpath, Zone
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.roads import FAR, check_bed, foot_mm, on_bed, usual_settings, whole_layers_mm
from drumbo.trials.toolkit.sweep import count_between, even_steps
from drumbo.trials.toolkit.verdict import BestStep, few
from drumbo_shore.bridge_speed import gate

ASPECTS = (
    Aspect("bridge", "Bridge", ("hangs in loops", "sags plainly", "sags a little", "almost flat", "flat, no sag"),
           "The lintel's underside."),
)  # fmt: skip
TELLS = BestStep("mm/s", ways=("slower", "faster"), piece="ones")


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range of speeds, and how high a step is."""

    slow_mm_s: float = ask("Slowest, at the bottom", "mm/s", low=5, high=80, step=5)
    fast_mm_s: float = ask("Fastest, at the top", "mm/s", low=10, high=120, step=5)
    step_mm_s: float = ask("Step", "mm/s", low=2, high=20, step=1)
    step_mm: float = ask("Height of a step", "mm", low=6, high=12, step=0.5)


class BridgeSpeed(Kind[Plan]):
    """Bridge speed from how lintels hang."""

    slug = "bridge-speed"
    plan_type = Plan
    title = "Bridge speed"
    sets = ("bridge_speed_mm_s",)
    aspects = ASPECTS
    group = "cooling"
    on_demand = True
    about = "A gate whose lintels are laid at speeds that stand beside them; the flattest tells the speed."

    def suggest(self, context: Context) -> Plan:
        """10 to 70 mm/s."""
        return Plan(slow_mm_s=10.0, fast_mm_s=70.0, step_mm_s=10.0, step_mm=8.0)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what makes no range or has no room."""
        if plan.fast_mm_s <= plan.slow_mm_s:
            raise InvalidInput("fast_mm_s", f"must be above {plan.slow_mm_s:g} mm/s")
        check_bed("step_mm", context.printer, gate.WIDTH + 20, gate.DEPTH + 30)
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Slowest first."""
        return even_steps(plan.slow_mm_s, plan.step_mm_s, count_between(plan.slow_mm_s, plan.fast_mm_s, plan.step_mm_s))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The gate."""
        settings = usual_settings(context)
        return gate.gate(self.steps(plan), whole_layers_mm(plan.step_mm, settings), foot_mm(settings, 4))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Each lintel at its own speed."""
        speeds = usual_settings(context).speeds
        zones = [
            Zone((-FAR, -FAR, p.low[2]), (FAR, FAR, p.high[2]), {"speeds": {**speeds, Role.BRIDGE: p.value}}, p.label)
            for p in piece.places
        ]
        return on_bed(piece.solid, context, zones=zones)

    def readings(self, plan: Plan) -> ToRead:
        """The lintels."""
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The best of them, by all together."""
        steps = self.steps(plan)
        told = TELLS.of(steps, ASPECTS, np.ones(1), readings)
        return told[0] if told else few(int(np.isfinite(readings.column("bridge", steps)).sum()))
