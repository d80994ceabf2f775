"""What a design of a trial is worth: error, interval, grams and minutes of plans for one kind, on the same spools.

Candidates stand beside the plan that is suggested and the one that the quick way takes. Coarse and fine are one thing
here: what is printed twice today is a candidate like the others.

What the suggested plan and the quick one lead to is written into `drumbo/trials/toolkit/expect.json`, from where ways
tell what to expect.

    python -m bench.designs --only nozzle_c --spools 24 [--world varied] [--seed 61] [--fixed] [--write]
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from itertools import repeat
from pathlib import Path
from typing import Any

import click
import numpy as np

from bench.rig import Tally, drawn, enter, print_as
from bench.sequences import SEQUENCES, UNITS
from bench.widen import KINDS

EXPECT = Path(__file__).parents[1] / "drumbo" / "trials" / "toolkit" / "expect.json"
SLUGS = {**{key: kind.split(": ")[0] for key, kind in KINDS.items()}, "shrinkage_percent": "dimensions"}
Design = Callable[[Any, Any], Any]


def _with(**values: float | str) -> Design:
    return lambda kind, context: replace(kind.suggest(context), **values)


def _tower(half_c: float, step_c: float, step_mm: float = 8.0) -> Design:
    """About the profile's temperature."""

    def plan(kind: Any, context: Any) -> Any:
        most, here = context.printer.nozzle_max_c, context.profile.number("nozzle_c")
        hot = min(round(here + half_c), most)
        return replace(kind.suggest(context), hot_c=hot, cold_c=hot - 2 * half_c, step_c=step_c, step_mm=step_mm)

    return plan


def _strip(pads: int, step: float) -> Design:
    """About the profile's flow."""

    def plan(kind: Any, context: Any) -> Any:
        middle = round(context.profile.number("flow_ratio") / 0.005) * 0.005
        return replace(kind.suggest(context), pads=pads, step_ratio=step, low_ratio=round(middle - pads // 2 * step, 4))

    return plan


def _sheet(legs: int) -> Design:
    """Of so many legs over the same range."""

    def plan(kind: Any, context: Any) -> Any:
        coarse = kind.suggest(context)
        steps = kind.steps(coarse)
        times = (steps[-1].value / steps[0].value) ** (1 / (legs - 1))
        return replace(
            coarse, roads=legs, step_s=round(coarse.low_s * (times - 1), 4), grows_percent=round(100 * (times - 1), 1)
        )

    return plan


def _posts(every: float, step_mm: float) -> Design:
    def plan(kind: Any, context: Any) -> Any:
        usual = kind.suggest(context)
        return replace(usual, step_length_mm=round(usual.step_length_mm * every, 2), step_mm=step_mm)

    return plan


CANDIDATES: Mapping[str, Mapping[str, Design]] = {
    "nozzle_c": {
        "5 of 8": _tower(16, 8), "5 of 10": _tower(20, 10), "6 of 8": _tower(20, 8), "7 of 6": _tower(18, 6),
        "5 of 7": _tower(14, 7),
    },
    "flow_ratio": {
        "11 of 1.25 %": _strip(11, 0.0125), "9 of 1.5 %": _strip(9, 0.015), "11 of 1.5 %": _strip(11, 0.015),
        "9 of 2.5 %": _strip(9, 0.025), "7 of 2 %": _strip(7, 0.02), "on 2 layers": _with(beneath=2),
    },
    "pressure_advance_s": {"13": _sheet(13), "17": _sheet(17), "25": _sheet(25)},
    "retraction_mm": {
        "4 mm": _posts(1, 4.0), "every 1.5": _posts(1.5, 5.0), "every 1.5, 4 mm": _posts(1.5, 4.0),
        "every second, 4 mm": _posts(2, 4.0),
    },
    "max_flow_mm3_s": {"3 mm": _with(band_mm=3.0)},
    "fan_percent": {
        "25 %": _with(step_percent=25.0, step_mm=7.5), "20 %, 7.5": _with(step_mm=7.5), "20 %, 6.5": _with(step_mm=6.5),
    },
    "shrinkage_percent": {
        "20 45 80": _with(middle_mm=45.0, long_mm=80.0), "20 40 60": _with(middle_mm=40.0, long_mm=60.0),
        "slim": _with(tells="lengths"),
    },
}  # fmt: skip


def _quick(kind: Any, context: Any) -> Any:
    return kind.quick(context)


def one(key: str, names: tuple[str, ...], seed: int, world: str, number: int) -> dict[str, Tally]:
    """One spool printed as each design has it; runs in a process of its own."""
    enter(world)
    found = {}
    for name in names:
        print_as({"suggested": None, "quick": _quick, **CANDIDATES[key]}[name])
        found[name] = SEQUENCES[key](drawn(seed, number), 1)
    return found


@click.command()
@click.option("--only", multiple=True, help="A catalogue key; may be given again.")
@click.option("--spools", default=24, show_default=True)
@click.option("--seed", default=61, show_default=True)
@click.option("--world", default="varied", show_default=True)
@click.option("--fixed", is_flag=True, help="Only the suggested plan and the quick one.")
@click.option("--write", is_flag=True, help="Keep what these two lead to.")
def main(only: tuple[str, ...], spools: int, seed: int, world: str, fixed: bool, write: bool) -> None:
    """Print a line a design."""
    kept: dict[str, Any] = json.loads(EXPECT.read_text()) if EXPECT.exists() else {"made": "", "half": {}}
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for key in only or CANDIDATES:
            click.echo(
                f"{key}: median and mean error, 9 of 10 below; inside 90 %; half interval; grams, minutes, prints"
            )
            names = ("suggested", "quick", *(() if fixed else CANDIDATES[key]))
            tallies = {name: Tally() for name in names}
            for part in pool.map(one, repeat(key), repeat(names), repeat(seed), repeat(world), range(spools)):
                for name, tally in part.items():
                    tallies[name].join(tally)
            for name, tally in tallies.items():
                click.echo(_line(name, tally))
            kept["half"][SLUGS[key]] = {
                "suggested": _widths(tallies["suggested"], key), "quick": _widths(tallies["quick"], key),
                "share": key in UNITS,
            }  # fmt: skip
    if write:
        kept["made"] = f"python -m bench.designs --seed {seed} --spools {spools} --world {world} --fixed --write"
        EXPECT.write_text(json.dumps(kept, indent=1) + "\n")


def _widths(tally: Tally, key: str) -> dict[str, float]:
    """Half of the interval at the median, by drive where that decides; in shares it does not."""
    widths, drives = np.array(tally.width), np.array(tally.drives)[~np.array(tally.failed)]
    if key in UNITS or not drives.astype(bool).all():
        return {"any": round(float(np.median(widths)), 4)}
    return {str(drive): round(float(np.median(widths[drives == drive])), 4) for drive in np.unique(drives)}


def _line(name: str, tally: Tally) -> str:
    off = np.abs(tally.drumbo)
    inside = float(np.mean(np.array(tally.inside)[~np.array(tally.failed)]))
    return (
        f"  {name:20s} {np.median(off):8.4f} {off.mean():8.4f} {np.quantile(off, 0.9):8.4f}  {inside:4.0%} "
        f"{np.median(tally.width):8.4f}  {np.mean(tally.grams):5.1f} g {np.mean(tally.minutes):5.0f} min "
        f"{np.mean(tally.prints):4.1f}"
    )


if __name__ == "__main__":
    main()
