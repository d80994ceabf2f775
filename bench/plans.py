"""Plans as nobody suggests them: does whatever a kind lets through print as it says, and without a finding?

    bench/plans.py --seed S --runs N [--only KIND]

Each plan has some fields as suggested, and others at a bound, between, or at a share of what was suggested. What a kind
refuses counts as refused; what it takes is written, read back by the file check and held against what was promised.
"""

from __future__ import annotations

import math
import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from random import Random
from typing import Any

os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / ".cache" / "numba"))

import click

from drumbo.core.catalogue import RESIN
from drumbo.core.errors import DrumboError, InvalidInput
from drumbo.core.families import family
from drumbo.core.fields import Field, Scalar
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.reader import read
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.core.remark import BAD
from drumbo.core.resin import Resin, ResinPrinter
from drumbo.exchange.layer_package import package_bytes, read_package
from drumbo.trials import kinds
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.toolkit.layered import ResinContext

KEPT, SHARES = 0.45, (0.5, 0.7, 0.9, 1.1, 1.4, 2.0)
FILAMENT_CASES: tuple[tuple[str, dict[str, Any]], ...] = (
    ("pla", {}), ("petg", {"drive": "bowden", "origin": "centre"}), ("tpu", {"nozzle_mm": 0.6}),
    ("asa", {"bed_x_mm": 120.0, "bed_y_mm": 120.0, "height_mm": 120.0}), ("pla", {"nozzle_mm": 0.25}),
)  # fmt: skip
RESIN_CASES: tuple[tuple[str, float, dict[str, Any]], ...] = (
    ("resin-standard", 50.0, {}), ("resin-clear", 100.0, {"lights_apart": "no"}), ("resin-standard", 25.0, {}),
)  # fmt: skip
TIME_SHARE, TIME_S, GRAMS_SHARE, GRAMS = 0.08, 20.0, 0.02, 0.05
"""How far time and filament may be from what was promised."""
MOST_LAYERS = 3000


@dataclass(frozen=True, slots=True)
class Drawn:
    """A kind with what was typed, and what came of it: refused, or what is wrong with its file."""

    slug: str
    typed: Mapping[str, Scalar]
    refused: bool = False
    wrong: tuple[str, ...] = ()


def drawn(seed: int, runs: int, only: str = "") -> Iterator[Drawn]:
    """So many plans of every kind."""
    rng = Random(seed)
    for slug, kind in kinds().items():
        for _ in range(runs if only in {"", slug} else 0):
            context = _context(kind, rng)
            if kind.hindered(context):
                continue
            suggested = kind.suggest(context).to_json()
            typed = {field.key: _value(field, suggested[field.key], rng) for field in kind.fields(context)}
            yield _held(kind, typed, context)


def _context(kind: SomeKind, rng: Random) -> Any:
    if kind.process == RESIN:
        key, layer_um, more = rng.choice(RESIN_CASES)
        bottle = Resin("Skerry", "any", key, "grey", "#808080", exposure_s=3.4)
        screen = ResinPrinter("Gannet Light", **{"pixels_x": 1900, "pixels_y": 800, "pixel_um": 50.0,
                                                 "intensity_mw_cm2": 4.0, "lights_apart": "yes", **more})  # fmt: skip
        return ResinContext(screen, bottle, start("any", bottle, screen, {"layer_um": layer_um}))
    key, more = rng.choice(FILAMENT_CASES)
    machine = Printer("Petrel One", **{"nozzle_max_c": 300.0, **more})
    spool, other = (_spool(each) for each in (key, "tpu"))
    return Context(machine, spool, start("any", spool, machine), other=Partner(other, start("other", other, machine)))


def _spool(key: str) -> Material:
    kin = family(key)
    return Material("Skerry", "any", key, "grey", "#808080", kin.nozzle_low_c, kin.nozzle_high_c,
                    density_g_cm3=kin.density_g_cm3)  # fmt: skip


def _value(field: Field, suggested: Scalar, rng: Random) -> Scalar:
    if rng.random() < KEPT or field.kind not in {"choice", "number"}:
        return suggested
    if field.kind == "choice":
        return rng.choice([key for key, _ in field.choices])
    if isinstance(suggested, float | int) and rng.random() < 0.7:
        value = suggested * rng.choice(SHARES)
    elif math.isfinite(field.low) and math.isfinite(field.high):
        value = rng.choice([field.low, field.high, rng.uniform(field.low, field.high)])
    else:
        return suggested
    value = min(max(value, field.low), field.high)
    return float(round(value)) if field.whole else round(value, 3)


def _held(kind: SomeKind, typed: Mapping[str, Scalar], context: Any) -> Drawn:
    try:
        plan = kind.read_plan(typed, context)
    except InvalidInput:
        return Drawn(kind.slug, typed, refused=True)
    try:
        file = kind.print_file(plan, context)
    except DrumboError as error:
        return Drawn(kind.slug, typed, wrong=(f"was taken, and refused when it was to be written: {error}",))
    wrong = _package(file) if kind.process == RESIN else _gcode(file, context)
    return Drawn(kind.slug, typed, wrong=tuple(wrong))


def _gcode(file: Any, context: Context) -> Iterator[str]:
    found = inspect(read(file.gcode.encode()), printer=context.printer,
                    density_g_cm3=context.material.density_g_cm3)  # fmt: skip
    yield from (remark.text for remark in found.remarks if remark.weight == BAD)
    if abs(found.grams - file.grams) > GRAMS_SHARE * file.grams + GRAMS:
        yield f"weighs {found.grams:.2f} g; {file.grams:.2f} were promised"
    if abs(found.seconds - file.seconds) > TIME_SHARE * file.seconds + TIME_S:
        yield f"takes {found.seconds:.0f} s; {file.seconds:.0f} were promised"


def _package(file: Any) -> Iterator[str]:
    if len(file.layers) > MOST_LAYERS:
        return
    package = read_package(package_bytes(file))
    if [layer.seconds for layer in package.layers] != [layer.seconds for layer in file.layers]:
        yield "is lit for other times than was planned"


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--runs", default=4, show_default=True, help="Plans of each kind.")
@click.option("--only", default="", help="One kind.")
def main(seed: int, runs: int, only: str) -> None:
    """Print what is wrong, and how many were."""
    found = list(drawn(seed, runs, only))
    for each in found:
        for wrong in each.wrong:
            click.echo(f"{each.slug} {dict(each.typed)}: {wrong}")
    taken = [each for each in found if not each.refused]
    click.echo(f"{len(taken)} printed, {len(found) - len(taken)} refused; {sum(bool(d.wrong) for d in taken)} wrong")


if __name__ == "__main__":
    main()
