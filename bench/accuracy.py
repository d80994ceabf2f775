"""How close Drumbo's results come to the hidden truth of spools, against the plain habit on the same prints.

For every hidden spool: plan → G-code → stand-in → a practised eye's scores with human noise → result, read by
one maker or several. The plain habit takes the same scores: the step with the best total, the middle one of a tie. The
truth is where the exact, noise-free quality of the same aspects peaks. This file holds no figure of its own: it
computes.

    python bench/accuracy.py --seed 1 --spools 20 [--only nozzle_c …] [--json]
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import dataclass
from zlib import crc32

import click
import numpy as np

from drumbo.core.catalogue import BY_KEY
from drumbo.core.families import FAMILIES
from drumbo.core.profile import start
from drumbo.core.workshop import Material, Printer
from drumbo.standins import eye
from drumbo.standins.filament.geometry import Geometry, band, geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import melt
from drumbo.standins.filament.spool import Spool, draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context, Readings
from drumbo.trials.temperature.verdict import AIMS

DECILES = np.arange(0.1, 0.95, 0.1)
INTERVAL_90 = 1.645


@dataclass
class Tally:
    """Signed errors, one entry a reading, and costs, one entry a spool."""

    drumbo: list[float]
    habit: list[float]
    inside: list[bool]
    grams: list[float]
    minutes: list[float]

    def summary(self, unit: str) -> dict[str, object]:
        return {
            "unit": unit,
            "drumbo": _spread(self.drumbo),
            "habit": _spread(self.habit),
            "coverage90": round(float(np.mean(self.inside)), 3),
            "prints": 1,
            "grams": round(float(np.mean(self.grams)), 1),
            "minutes": round(float(np.mean(self.minutes)), 1),
        }


def _spread(errors: list[float]) -> dict[str, object]:
    sizes = np.abs(errors)
    return {
        "median": round(float(np.median(sizes)), 3),
        "p90": round(float(np.quantile(sizes, 0.9)), 3),
        "deciles": [round(float(v), 2) for v in np.quantile(sizes, DECILES)],
    }


def printed(gcode: str) -> Geometry:
    """What the stand-in makes of a file, up to the melting."""
    machine = Machine()
    for line in gcode.splitlines():
        machine.run(line)
    return geometry(machine.moves)


def drawn_context(rng: np.random.Generator) -> Context:
    """A printer and a labelled spool, as they come."""
    kin = FAMILIES[int(rng.integers(len(FAMILIES)))]
    printer = Printer(
        "bench", drive=str(rng.choice(["direct", "bowden"])), nozzle_max_c=310, bed_max_c=120,
        accel_mm_s2=float(rng.choice([1000, 2000, 4000])),
    )  # fmt: skip
    material = Material("-", "-", kin.key, "-", "#808080", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    return Context(printer, material, start("bench", material, printer))


def true_best_c(spool: Spool, context: Context, aspects: list[str], weights: np.ndarray) -> float:
    """Where the exact quality peaks, °C, from one rung printed ever again without noise."""
    temperature = kind("temperature")
    low, high = context.material.nozzle_low_c, context.material.nozzle_high_c
    plan = {**temperature.suggest(context), "hot_c": low + 10.0, "cold_c": low, "step_c": 5.0}
    rung = temperature.piece(plan, context).places[1]
    height = (rung.low[2], rung.high[2])
    shape = band(printed(temperature.print_file(plan, context).gcode), *height)

    def best(heats: np.ndarray) -> float:
        things = (melt(shape, spool, nozzle_c=float(c)) for c in heats)
        quality = [eye.exact_scores(thing, [height], aspects)[0] @ weights for thing in things]
        return float(heats[int(np.argmax(quality))])

    coarse = best(np.arange(low - 5, high + 5.1, 1.0))
    return best(np.arange(coarse - 1, coarse + 1.05, 0.1))


def temperature_trial(seed: int, spools: int, readers: int) -> Tally:
    tally = Tally([], [], [], [], [])
    trial = kind("temperature")
    for number in range(spools):
        rng = np.random.default_rng([seed, number])
        context = drawn_context(rng)
        spool = draw_spool(context.material.family, seed * 10_000 + number, context.printer.drive)
        plan = trial.suggest(context)
        aspects = [a.key for a in trial.readings(plan)]
        aim = next(a for a in AIMS if a.key == plan["aim"])
        weights = np.array([aim.weights[a] for a in aspects])
        truth = true_best_c(spool, context, aspects, weights)
        file = trial.print_file(plan, context)
        thing = melt(printed(file.gcode), spool, digest=crc32(file.gcode.encode()))
        places = trial.piece(plan, context).places
        bands = [(p.low[2], p.high[2]) for p in places]
        for session in range(readers):
            scores = eye.look(thing, bands, aspects, seed=number * readers + session)
            readings = Readings(
                {a: {str(i): int(scores[i, k]) for i in range(len(places))} for k, a in enumerate(aspects)}
            )
            result = trial.evaluate(plan, readings)
            total = scores @ weights
            ties = np.flatnonzero(total >= total.max() - 1e-9)
            tally.habit.append(places[int(ties[len(ties) // 2])].value - truth)
            tally.drumbo.append(float(round(result.value)) - truth)
            tally.inside.append(abs(result.value - truth) <= INTERVAL_90 * result.error)
        tally.grams.append(file.grams)
        tally.minutes.append(file.seconds / 60)
    return tally


TRIALS: dict[str, Callable[[int, int, int], Tally]] = {"nozzle_c": temperature_trial}


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--spools", default=20, show_default=True)
@click.option("--readers", default=1, show_default=True, help="Makers who read each print; more steady the deciles.")
@click.option("--only", multiple=True, help="A catalogue key; may be given again.")
@click.option("--json", "as_json", is_flag=True)
def main(seed: int, spools: int, readers: int, only: tuple[str, ...], as_json: bool) -> None:
    """Accuracy of every trial against hidden truths."""
    unknown = set(only) - set(TRIALS)
    if unknown:
        raise click.UsageError(f"no benchmark for {', '.join(sorted(unknown))}; there are {', '.join(TRIALS)}")
    table = {key: TRIALS[key](seed, spools, readers).summary(BY_KEY[key].unit) for key in only or TRIALS}
    if as_json:
        json.dump(table, sys.stdout, indent=2)
        print()
        return
    for key, row in table.items():
        print(f"{BY_KEY[key].name} ({row['unit']}), {spools} spools, seed {seed}")
        for who in ("drumbo", "habit"):
            spread = row[who]
            print(f"  {who:7} median {spread['median']:6} p90 {spread['p90']:6}  deciles {spread['deciles']}")
        print(f"  inside the 90 % interval: {row['coverage90']:.0%}; {row['grams']} g, {row['minutes']} min a print")


if __name__ == "__main__":
    main()
