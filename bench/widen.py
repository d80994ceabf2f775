"""How much wider each kind's answers have to be told: from spools, bottles and readers of the varied world.

For every kind it takes how far answers lay from the truth, in the standard errors that were told, and finds the
factor with which nine of ten lie within 1.645; in worlds that depart in one thing alone, and far (`--also`), eight of
ten. What is printed belongs into `drumbo/trials/toolkit/wider.json`; `--write` puts it there. Seeds that had no say
in it tell whether it holds: `python bench/accuracy.py --quick`.

    python -m bench.widen --seed 101 --spools 90 [--only nozzle_c …] [--also strict …] [--write]
"""

from __future__ import annotations

import json
import math
import os
from concurrent.futures import ProcessPoolExecutor
from itertools import repeat
from pathlib import Path

import click
import numpy as np

from bench.accuracy import BOTTLES, one
from bench.rig import Tally
from bench.sequences import ALONG, BACK_BY_PHOTO, BY_EYE, BY_WEIGHT, ONE_SHEET, SEQUENCES, THERE_BY_PHOTO
from drumbo.standins.worlds import VARIED

KINDS = {
    "first_layer_z_mm": "first-layer", "nozzle_c": "temperature", "flow_ratio": "flow-surface",
    "flow_outer_share": "flow-wall", "retraction_mm": "retraction-length", "pressure_advance_s": "pressure-advance",
    ONE_SHEET: "pressure-advance",
    "max_flow_mm3_s": "rising-wall: measured", BY_EYE: "rising-wall",
    BY_WEIGHT: "weighed-blobs", ALONG: "weighed-blobs", "fan_percent": "fan-bands",
    "offset_mm": "dimensions: offset", "clearance_turn_mm": "clearance", "extruder_steps_mm": "extruder-steps",
    "purge_there_mm": "changeover", "purge_back_mm": "changeover",
    THERE_BY_PHOTO: "changeover: by photo", BACK_BY_PHOTO: "changeover: by photo",
    "joint_c": "bond-of-two",
    "critical_s": "cure-on-glass", "penetration_um": "cure-on-glass", "exposure_s": "exposure-coupon",
    "bottom_exposure_s": "bottom-feet",
    "lamp_uneven_percent": "lamp-map", "z_um": "print-through",
    "cure_shrink_percent": "cure-shrinkage", "tip_mm": "support-tips: level", "tip_slope_mm": "support-tips",
    "bottle": "bottle-check",
    "lift_speed_mm_min": "lift-speed", "rest_before_s": "rest-before-light",
}  # fmt: skip
"""Which kind tells what; where several answers are of one kind, the worst of them sets its factor."""
PATH = Path(__file__).parents[1] / "drumbo" / "trials" / "toolkit" / "wider.json"
WITHIN, ALSO_WITHIN = 0.9, 0.8


def factor(tally: Tally, within: float) -> float:
    """By how much errors must grow, or may shrink, for so many answers to hold."""
    told = ~np.array(tally.failed)
    ratios = np.sort(np.abs(np.array(tally.drumbo)[told]) / np.array(tally.width))
    # The next answer lies within as many of these as that with so much chance, whatever they are like; few spools give
    # a wider factor.
    rank = math.ceil(within * (len(ratios) + 1))
    return float(ratios[min(rank, len(ratios)) - 1])


def _tally(pool: ProcessPoolExecutor, key: str, seed: int, world: str, spools: int, few: bool) -> Tally:
    tally = Tally()
    for part in pool.map(one, repeat(key), repeat(seed), repeat(1), repeat(world), repeat(few), range(spools)):
        tally.join(part)
    return tally


@click.command()
@click.option("--seed", default=101, show_default=True)
@click.option("--spools", default=90, show_default=True)
@click.option("--only", multiple=True, help="A catalogue key; may be given again.")
@click.option("--also", multiple=True, help="Another world, in which eight of ten are to hold.")
@click.option("--every", is_flag=True, help="On printers of all sorts, not on nine: slower, where they matter.")
@click.option("--write", is_flag=True, help="Keep what was found.")
def main(seed: int, spools: int, only: tuple[str, ...], also: tuple[str, ...], every: bool, write: bool) -> None:
    """Print, by kind, the factor that stands now and the one that holds."""
    kept = json.loads(PATH.read_text())
    now, found = dict(kept["wider"]), dict[str, float]()
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for key in [k for k in only if k in KINDS] or KINDS:
            assert key in SEQUENCES or key in BOTTLES
            kind = KINDS[key]
            before = now.get(kind, 1.0)
            for world in (VARIED.name, *also):
                within = WITHIN if world == VARIED.name else ALSO_WITHIN
                tally = _tally(pool, key, seed, world, spools, not every)
                wanted = before * factor(tally, within)
                found[kind] = max(found.get(kind, 0.0), wanted)
                inside = float(np.mean(np.array(tally.inside)[~np.array(tally.failed)]))
                held = f"inside {inside:.0%} at {before:.2f}; holds at {wanted:.2f}"
                print(f"{kind:20} {key:34} {world:10} {held}", flush=True)
    if write:
        kept["wider"] = {kind: round(by, 2) for kind, by in sorted({**now, **found}.items())}
        told = ", ".join([f"seed {seed}", f"{spools} drawn", *["every printer"] * every, *also])
        kept["made"] = dict(sorted({**kept["made"], **dict.fromkeys(found, told)}.items()))
        PATH.write_text(json.dumps(kept, indent=2) + "\n")


if __name__ == "__main__":
    main()
