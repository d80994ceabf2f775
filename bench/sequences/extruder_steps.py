"""Steps per millimetre of a printer whose true number is drawn. The habit's formula is Drumbo's own: it takes the mean
of the same three runs, so that both must agree; what is measured is how close a pen mark comes.
"""

from __future__ import annotations

from bench.rig import Drawn, Tally, file_of, printed, read
from drumbo.standins.filament.interpreter import Machine
from drumbo.trials import kind


def sequence(spool: Drawn, readers: int) -> Tally:
    """One feed, measured three times by so many."""
    trial, context = kind("extruder-steps"), spool.context
    plan = trial.suggest(context)
    true_steps = plan["steps_now"] * float(spool.rng.uniform(0.9, 1.1))
    truth = true_steps / spool.spool.grip
    file = file_of(trial, plan, context)
    thing = printed(file, spool.spool, Machine(true_steps_mm=true_steps))
    tally = Tally()
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        left = readings.measures["left"]["0"].values()
        moved = plan["mark_mm"] - sum(left) / len(left)
        tally.found(result.value, result.error, plan["steps_now"] * plan["asked_mm"] / moved, truth,
                    plan["steps_now"])  # fmt: skip
    tally.cost([file])
    return tally
