"""A whole profile as a way leads to it: trials that share jobs, in quick prints, with earlier spools to go by or not.

Errors stand beside those of the long way (`bench/whole.py`: each trial alone, coarse and fine), on the same spools.
Earlier spools are of the same polymer on the same printer, found with the errors that such trials have; a misleading
history is of spools that lie three times as far off as they differ.

    python -m bench.ways --seed 3 --spools 20 [--world varied]
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from itertools import repeat
from typing import Any

import click
import numpy as np

from bench.rig import (
    Drawn,
    Tally,
    drawn,
    enter,
    here,
    known,
    learn,
    looked_again,
    one_reader,
    print_as,
    printed,
    read_at,
    sure,
)
from bench.sequences import cooling, flow_surface, pressure_advance, retraction, rising_wall, temperature
from bench.whole import ORDER, PROOF, Whole, whole
from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.prior import Before, before
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.standins.filament.room import within
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.plate import PieceAsked, plate_file
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.way import FAMILIAR, QUICK, Jobs, Way, carried, is_unlike, plan_for, wanted

RIGHT: dict[str, Callable[[Drawn], float]] = {
    "nozzle_c": temperature.best_heat,
    "flow_ratio": flow_surface.right,
    "pressure_advance_s": pressure_advance.right,
    "retraction_mm": retraction.right,
    "max_flow_mm3_s": lambda spool: rising_wall.limit(spool, spool.context.profile.number("nozzle_c")),
    "fan_percent": cooling.right,
    "shrinkage_percent": lambda spool: 100 * spool.spool.shrink,
}
"""The truth of each value, from a spool and a profile as it stands when that is printed."""
IN_SHARES = {"pressure_advance_s", "max_flow_mm3_s"}
TYPICAL = {
    "nozzle_c": 2.5, "flow_ratio": 0.008, "pressure_advance_s": 0.05, "retraction_mm": 0.25, "max_flow_mm3_s": 0.1,
    "fan_percent": 10.0, "shrinkage_percent": 0.02,
}  # fmt: skip
"""How far off trials of earlier spools were, one standard error; of shares, of the value."""
NONE, THREE, MISLEADING = "none", "three", "misleading"
MOST_JOBS = 14


@dataclass(frozen=True)
class WayThere:
    """What a way came to, and how many scores and numbers it asked for."""

    whole: Whole
    readings: int


def by_way(seed: int, number: int, history: str) -> WayThere:
    """One spool by the quick way, or as the ones before where there were any."""
    print_as(lambda trial, context: trial.quick(context))
    spool = drawn(seed, number)
    told = {} if history == NONE else _history(spool, misleading=history == MISLEADING)
    context = replace(spool.context, before=told)
    way = FAMILIAR if carried(context) else QUICK
    if way is FAMILIAR:
        context = _carry(context)
    walk = _Walk(spool, context, way)
    with one_reader():
        while (left := wanted(way, walk.context)) and walk.jobs < MOST_JOBS:
            walk.go(Jobs(walk.context, quick=True).next(left))
    assert walk.proof is not None
    for key in ORDER:
        if key not in walk.tallies:
            walk.note(key, None)
    result = walk.proof
    assert result.value is not None
    came_to = Whole(walk.tallies, result.says if result.state == "edge" else "good", result.value, walk.jobs,
                  walk.grams, walk.seconds / 3600)  # fmt: skip
    return WayThere(came_to, walk.readings)


class _Walk:
    """One spool on its way."""

    def __init__(self, spool: Drawn, context: Context, way: Way) -> None:
        self.spool, self.context, self.way = spool, context, way
        self.tallies: dict[str, Tally] = {}
        self.jobs, self.grams, self.seconds, self.readings = 0, 0.0, 0.0, 0
        self.proof: Result | None = None

    def go(self, job: Sequence[SomeKind]) -> None:
        """Print a job, read and adopt each of its pieces, and go on where one ends too early."""
        asked = [PieceAsked(trial, plan_for(trial, self.context, quick=True)) for trial in job]  # type: ignore[arg-type]
        held = self.context
        further = []
        try:
            came_off = self._printed(asked, held)
        except InvalidInput as error:
            # What the page says a slow printer needs: a maker types it.
            if not any(key.endswith("layer_s") for key in error.problems):
                raise
            asked = [replace(p, plan=p.plan.with_value("layer_s", 30.0)) if "layer_s" in p.plan.to_json() else p
                     for p in asked]  # fmt: skip
            came_off = self._printed(asked, held)
        for piece, result in came_off:
            if result.state == "edge" and result.extend is not None and piece.kind.slug != PROOF:
                plan = piece.kind.plan_type.of(result.extend)
                try:
                    piece.kind.check(plan, held)
                    further.append(PieceAsked(piece.kind, plan))
                    continue
                except InvalidInput:
                    pass
            self._adopt(piece, result, held)
        for piece in further:
            ((_, result),) = self._printed([piece], held)
            self._adopt(piece, result, held)

    def _printed(self, asked: Sequence[PieceAsked], context: Context) -> list[tuple[PieceAsked, Result]]:
        spool = replace(self.spool, context=context)
        if len(asked) == 1:
            file: Any = asked[0].kind.print_file(asked[0].plan, context)
            things = [(printed(file, spool.spool), context.printer.bed_middle)]
        else:
            file = plate_file(asked, context)
            whole = printed(file, spool.spool)
            things = [(within(whole, share.standing.room), share.standing.middle) for share in file.shares]
        self.jobs += 1
        self.grams += file.grams
        self.seconds += file.seconds
        found = []
        for piece, (thing, middle) in zip(asked, things, strict=True):
            readings: Readings = known(read_at(piece.kind, piece.plan, context, thing, middle, spool.number * 100))
            self.readings += readings.count()
            _, result = looked_again(piece.kind, piece.plan, context, thing, spool.number * 100, readings, middle)
            learn(readings, result)
            found.append((piece, result))
        return found

    def _adopt(self, piece: PieceAsked, result: Result, printed_on: Context) -> None:
        if piece.kind.slug == PROOF:
            self.proof = result
            # Whatever it says, nothing comes after it.
            origin = Origin(OriginKind.TRIAL, "", 1)
            self._take({"proof_percent": Value(result.value or 0.0, origin, result.error)})
            return
        key = piece.kind.sets[0]
        new = piece.kind.changes(piece.plan, result, printed_on, 1)
        known = self.context.before.get(key)
        alone = None
        if known is not None and key in new and new[key].error:
            alone = new[key].number, new[key].error or 0.0
        if known is not None and alone is not None and not is_unlike(self.context, {key: alone}):
            joined = known.joined(*alone)
            moved = joined.value / new[key].number if new[key].number else 1.0
            value, error = sure(result)
            result = replace(result, value=value * moved, error=error * joined.error / (new[key].error or 1.0))
            new = piece.kind.changes(piece.plan, result, printed_on, 1)
        if key in ORDER:
            self.note(key, result, printed_on)
        if alone is not None:
            new[key] = replace(new[key], alone=alone)
        self._take(new or {key: Value(printed_on.profile.number(key), Origin(OriginKind.TRIAL, "", 1), None)})

    def _take(self, new: dict[str, Value]) -> None:
        self.context = replace(self.context, profile=changed(self.context.profile, new, {}))

    def note(self, key: str, result: Result | None, at: Context | None = None) -> None:
        """How far off a value is: as it was found, or as the profile has it where no trial looked for it."""
        right = RIGHT[key](replace(self.spool, context=at or self.context))
        value: float | None
        if result is None:
            held = self.context.profile.values[key]
            value, error = held.number, held.error
            if key == "max_flow_mm3_s" and held.origin.kind == OriginKind.COPY:
                value = held.number / 0.9  # what is adopted keeps a tenth back
        else:
            value, error = result.value, result.error
        tally = self.tallies[key] = Tally()
        tally.found(value, error, None, right, self.spool.context.profile.number(key), shares=key in IN_SHARES)


def _history(spool: Drawn, *, misleading: bool) -> dict[str, Before]:
    """Three earlier spools of the polymer on this printer, as their trials found them."""
    rng = np.random.default_rng([spool.seed, spool.number, 77])
    family, drive = spool.context.material.family, spool.context.printer.drive
    others = [
        replace(spool, number=1000 + 10 * spool.number + k,
                spool=draw_spool(family, spool.seed * 10_000 + 5000 + 10 * spool.number + k, drive, here()))
        for k in range(3)
    ]  # fmt: skip
    found = {}
    for key in ORDER:
        rights = np.array([RIGHT[key](other) for other in others])
        scale = TYPICAL[key] * (rights.mean() if key in IN_SHARES else 1.0)
        numbers = rights + rng.normal(0, scale, len(rights))
        if key == "max_flow_mm3_s":
            numbers = 0.9 * numbers
        if misleading:
            numbers = numbers + 3 * max(float(numbers.std(ddof=1)), scale) * float(rng.choice([-1, 1]))
        parameter = BY_KEY[key]
        numbers = np.round(numbers, parameter.decimals)
        told = before(numbers.tolist(), 10.0**-parameter.decimals, parameter.spread_at(float(numbers.mean())))
        if told is not None:
            found[key] = told
    return found


def _carry(context: Context) -> Context:
    new = {
        key: Value(round(told.mean, BY_KEY[key].decimals), Origin(OriginKind.COPY, "before"), told.error)
        for key, told in carried(context).items()
    }
    return replace(context, profile=changed(context.profile, new, {}))


def by_long_way(seed: int, number: int) -> Whole:
    """Every trial alone, as it is suggested, coarse and fine."""
    print_as(None)
    return whole(drawn(seed, number))


LONG = "long"


def one(seed: int, world: str, number: int) -> dict[str, tuple[Whole, int]]:
    """One spool by every way; runs in a process of its own."""
    enter(world)
    found: dict[str, tuple[Whole, int]] = {LONG: (by_long_way(seed, number), 0)}
    for history in (NONE, THREE, MISLEADING):
        there = by_way(seed, number, history)
        found[history] = there.whole, there.readings
    return found


def table(spools: list[dict[str, tuple[Whole, int]]]) -> dict[str, dict[str, Any]]:
    """By way: means of what it takes, share of proofs that are good at once, and by parameter the median error and the
    share of truths inside the 90 % interval.
    """
    out: dict[str, dict[str, Any]] = {}
    for way in (LONG, NONE, THREE, MISLEADING):
        wholes = [spool[way][0] for spool in spools]
        out[way] = {
            "jobs": np.mean([w.prints for w in wholes]), "grams": np.mean([w.grams for w in wholes]),
            "hours": np.mean([w.hours for w in wholes]), "readings": np.mean([spool[way][1] for spool in spools]),
            "proven": np.mean([w.proof == "good" for w in wholes]),
            "errors": {key: float(np.median([abs(w.tallies[key].drumbo[0]) for w in wholes])) for key in ORDER},
            "inside": {key: float(np.mean([w.tallies[key].inside[0] for w in wholes])) for key in ORDER},
        }  # fmt: skip
    return out


@click.command()
@click.option("--spools", default=20, show_default=True)
@click.option("--seed", default=3, show_default=True)
@click.option("--world", default="varied", show_default=True)
def main(spools: int, seed: int, world: str) -> None:
    """Whole profiles by the long way and by ways, on the same spools."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        told = table(list(pool.map(one, repeat(seed), repeat(world), range(spools))))
    for way, row in told.items():
        click.echo(
            f"{way:11s} {row['jobs']:4.1f} jobs {row['grams']:5.1f} g {row['hours']:4.2f} h, "
            f"{row['readings']:.0f} readings, proofs good at once {row['proven']:.0%}"
        )
        for key in ORDER:
            times = row["errors"][key] / max(told[LONG]["errors"][key], 1e-9)
            click.echo(f"    {key:20s} {row['errors'][key]:8.4f}  × {times:4.2f}  inside {row['inside'][key]:.0%}")


if __name__ == "__main__":
    main()
