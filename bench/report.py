"""Every answer in every world, as the tables of docs/accuracy.md.

    python -m bench.report --seed 7 --spools 18 [--only nozzle_c …]

A key goes through all worlds before the next one, so that files which repeat are laid once (see `rig.enter`). Figures
are kept in docs/accuracy.json; `--only` makes those of some keys anew.
"""

from __future__ import annotations

import json
import os
from concurrent.futures import ProcessPoolExecutor
from itertools import repeat
from pathlib import Path
from typing import Any

import click

from bench.accuracy import BOTTLES, one, summary
from bench.rig import Tally
from bench.sequences import ALONG, BY_EYE, BY_WEIGHT, SEQUENCES
from drumbo.core.catalogue import BY_KEY
from drumbo.standins.worlds import HOME, VARIED, WORLDS

PATH = Path(__file__).parents[1] / "docs" / "accuracy.md"
FIGURES = PATH.with_suffix(".json")
EYES = ("strict", "mild", "tails", "mixed")
TOUCHED = {
    "first_layer_z_mm": ("uneven",), "nozzle_c": (*EYES, "asymmetric", "wet"),
    "flow_ratio": (*EYES, "asymmetric", "uneven"), "flow_outer_share": ("blunt", "uneven"),
    "retraction_mm": (*EYES, "asymmetric", "wet"), "pressure_advance_s": (*EYES, "asymmetric"),
    **dict.fromkeys(("max_flow_mm3_s", BY_EYE), (*EYES, "early-slip", "late-slip")),
    BY_WEIGHT: ("early-slip", "late-slip", "uneven"),
    ALONG: ("early-slip", "late-slip", "uneven"), "fan_percent": (*EYES, "asymmetric"), "shrinkage_percent": ("blunt",),
    "offset_mm": ("blunt", "uneven"), "clearance_turn_mm": ("strict", "mild"), "penetration_um": ("blunt", "uneven"),
    "critical_s": ("blunt", "uneven"), "exposure_s": ("blunt", "uneven"),
    "bottom_exposure_s": ("strict", "mild", "uneven"),
}  # fmt: skip
"""Worlds besides home and varied in which an answer has reason to differ."""
SLOW = ("lift_speed_mm_min", "rest_before_s")
"""Hours of towers: of these the varied world has to do."""
NO_WORSE = 1.15

HEAD = """\
# How close the answers come, and how sure they are

Made by `python -m bench.report --seed {seed} --spools N`: hidden spools, bottles, printers and readers are
drawn, every trial is planned, printed on the stand-in, read with a person's noise, and its answer held against the
truth, which is computed from the stand-in's physics without noise. `docs/physics.md` tells what differs in each
world; *varied* draws all of it at once, as wide as the trade knows it. An answer is shown in the worlds in which it
has reason to differ.

Each row has the median distance from the truth: of Drumbo; of a careful maker without a program, who takes the same
readings and the usual rules (`bench/habits.py`); and of who prints nothing and keeps the starting value. *Inside* is
how often the truth lay within what stood after ±, which is meant to be 90 of 100; ± is half of that interval on
average. Where there was no answer the starting value stays and counts, and the number of those stands beside; only
what was told can lie inside.

What these tables cannot say: **no real printer was measured.** They show that answers hold where melts, resins,
filaments, tools and people differ from what the fits were made with; not how far the world differs from all of that.
Under each table stands how many spools, bottles or printers a row has: with 14 of them a share of 90 of 100 comes out
between 78 and 100 by chance alone, with 42 between 81 and 98. Readers here are met for the first time; a workshop that
knows its readers does better, above all where they are strict or mild.
"""


def rows_of(pool: ProcessPoolExecutor, key: str, seed: int, spools: int) -> dict[str, dict[str, Any]]:
    """World → figures of one answer."""
    found = {}
    for world in WORLDS:
        if world not in {VARIED.name, *(() if key in SLOW else (HOME.name, *TOUCHED.get(key, ())))}:
            continue
        tally = Tally()
        asked = (repeat(key), repeat(seed), repeat(1), repeat(world), repeat(True), range(spools))
        for part in pool.map(one, *asked):
            tally.join(part)
        found[world] = {**summary(key, tally), "spools": spools}
        now: dict[str, Any] = found[world]
        print(key, world, now["coverage90"], now["drumbo"]["median"], flush=True)
    return found


def table(key: str, rows: dict[str, dict[str, Any]]) -> str:
    """One answer's table."""
    first = next(iter(rows.values()))
    lines = [
        f"\n## {_name(key)}, {first['unit'] or 'ratio'}\n",
        "| world | Drumbo | careful maker | nothing printed | inside | ± | no answer |",
        "|---|---|---|---|---|---|---|",
    ]
    for world, row in rows.items():
        failed = row["failed"]["drumbo"]
        medians = " | ".join(_short(row[who]["median"]) for who in ("drumbo", "habit", "nothing"))
        lines.append(f"| {world} | {medians} | {row['coverage90']:.0%} | {_short(row['width90'])} | {failed or ''} |")
    drawn = " to ".join(str(n) for n in sorted({row["spools"] for row in rows.values()}))
    cost = f"{drawn} a row; {first['prints']} prints, {first['grams']} g and {first['minutes']:.0f} minutes on average."
    return "\n".join([*lines, "", cost])


def _name(key: str) -> str:
    name, _, how = key.partition(" ")
    return f"{BY_KEY[name].name} {how}".strip()


def _short(number: float | None) -> str:
    return "" if number is None else f"{number:.3g}"


def ending(everything: dict[str, dict[str, dict[str, Any]]]) -> str:
    """What all rows come to."""
    cells = [(key, world, row) for key, rows in everything.items() for world, row in rows.items()]
    better = [row["drumbo"]["median"] <= row["habit"]["median"] for _, _, row in cells]
    worse = [
        f"{_name(key)} in *{world}*"
        for key, world, row in cells
        if row["drumbo"]["median"] > NO_WORSE * row["habit"]["median"]
    ]
    low = [
        f"{_name(key)} in *{world}* ({row['coverage90']:.0%})"
        for key, world, row in cells
        if row["coverage90"] < (0.85 if world == VARIED.name else 0.8)
    ]
    return "\n".join([
        "\n## All in all\n",
        f"Of {len(cells)} rows Drumbo's median is no larger than the careful maker's in {sum(better)}.",
        f"It is more than {NO_WORSE - 1:.0%} larger in: {', '.join(worse) or 'none'}.\n",
        f"Inside less often than 80 of 100, or than 85 in *varied*: {', '.join(low) or 'none'}.",
    ])  # fmt: skip


@click.command()
@click.option("--seed", default=7, show_default=True)
@click.option("--spools", default=18, show_default=True)
@click.option("--only", multiple=True, help="A catalogue key; may be given again.")
def main(seed: int, spools: int, only: tuple[str, ...]) -> None:
    """Write docs/accuracy.md."""
    everything = json.loads(FIGURES.read_text()) if FIGURES.exists() else {}
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for key in only or (*SEQUENCES, *BOTTLES):
            everything[key] = rows_of(pool, key, seed, spools)
            FIGURES.write_text(json.dumps(everything, indent=1) + "\n")
    everything = {key: everything[key] for key in (*SEQUENCES, *BOTTLES) if key in everything}
    text = HEAD.format(seed=seed)
    text += "\n".join([table(key, rows) for key, rows in everything.items()]) + "\n" + ending(everything) + "\n"
    PATH.write_text(text)


if __name__ == "__main__":
    main()
