"""How close Drumbo's results come to the hidden truth of spools, against the plain habit on the same prints.

For every hidden spool: plan → G-code → stand-in → readings with human noise → result, read by one maker or several.
The plain habit takes the same readings and the usual formula. The truth is computed from the stand-in's physics
without noise. This file holds no figure of its own: it computes. One module a parameter: `bench/sequences/`. At the end
stands one table of whole profiles, start to proof, each trial on what the ones before have left: `bench/whole.py`.

    python bench/accuracy.py --seed 1 --spools 20 [--world varied] [--quick] [--json]
        [--only nozzle_c … | --only batch | --only proof | --only vat | --only whole]
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from itertools import repeat
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

import click
import numpy as np

from bench import batch, proofs, vat
from bench.bottles import BOTTLES as CURES
from bench.bottles import drawn as drawn_bottle
from bench.failing import FAILING
from bench.rig import Tally, drawn, enter
from bench.sequences import SEQUENCES, UNITS
from bench.whole import ORDER, Whole, whole
from drumbo.core.catalogue import BY_KEY
from drumbo.standins.worlds import VARIED, WORLDS

WHOLE, BATCH, PROOF, VAT, BOTTLE = "whole", "batch", "proof", "vat", "bottle"
SHARES: dict[str, Callable[[Any, int], Tally]] = {**CURES, **FAILING}
BOTTLES: dict[str, Callable[[Any, int], Tally]] = {**SHARES, **vat.VAT}
SHARE = "share of the truth"


def one(key: str, seed: int, readers: int, world: str, quick: bool, number: int) -> Tally:
    """One spool's or bottle's whole sequence; runs in a process of its own."""
    enter(world, quick)
    if key in BOTTLES:
        told: Tally = BOTTLES[key](drawn_bottle(seed, number), readers)
        return told
    return SEQUENCES[key](drawn(seed, number), readers)


def summary(key: str, tally: Tally) -> dict[str, object]:
    """The figures of one parameter."""
    return {
        "unit": SHARE
        if key in SHARES or key == BOTTLE
        else UNITS[key]
        if key in UNITS
        else BY_KEY[key.split(maxsplit=1)[0]].unit,
        "drumbo": _spread(tally.drumbo),
        "habit": _spread(tally.habit),
        "nothing": _spread(tally.nothing),
        "failed": {"drumbo": int(np.sum(tally.failed)), "habit": int(np.sum(tally.habit_failed))},
        "coverage90": round(float(np.mean(np.array(tally.inside)[~np.array(tally.failed)])), 3),
        "width90": round(float(np.mean(tally.width)), 4) if tally.width else None,
        "prints": round(float(np.mean(tally.prints)), 2),
        "grams": round(float(np.mean(tally.grams)), 1),
        "minutes": round(float(np.mean(tally.minutes)), 1),
        "by_drive": {drive: _of_drive(tally, drive) for drive in sorted(set(tally.drives)) if drive},
    }


def _of_drive(tally: Tally, drive: str) -> dict[str, object]:
    mine = np.array(tally.drives) == drive
    return {who: _spread(np.array(getattr(tally, who))[mine]) for who in ("drumbo", "habit")}


def _spread(errors: list[float] | np.ndarray) -> dict[str, object]:
    sizes = np.abs(errors)
    return {
        "median": round(float(np.median(sizes)), 4),
        "p90": round(float(np.quantile(sizes, 0.9)), 4),
    }


def one_whole(seed: int, world: str, number: int) -> Whole:
    """One spool, start to proof; runs in a process of its own."""
    enter(world)
    return whole(drawn(seed, number))


def one_batch(seed: int, world: str, number: int) -> batch.Called:
    """One spool and batches that depart from it; runs in a process of its own."""
    enter(world)
    return batch.calls(drawn(seed, number))


def one_proof(seed: int, world: str, number: int) -> dict[str, list[bool]]:
    """One spool, and what its proof says of profiles that are right or not; runs in a process of its own."""
    enter(world)
    return proofs.calls(drawn(seed, number))


def whole_table(ways: list[Whole]) -> dict[str, object]:
    """Medians over all spools, a row a parameter, and what a profile costs."""
    rows = {}
    for key in ORDER:
        tally = Tally()
        for way in ways:
            tally.join(way.tallies[key])
        rows[key] = {
            "unit": UNITS[key] if key in UNITS else BY_KEY[key.split()[0]].unit,
            "truth": round(float(np.median(tally.truths)), 3),
            "found": round(float(np.median(tally.values)), 3),
            "error": round(float(np.median(np.abs(tally.drumbo))), 4),
            "habit": round(float(np.median(np.abs(tally.habit))), 4),
        }
    costs = {
        name: round(float(np.mean([getattr(way, name) for way in ways])), 1) for name in ("prints", "grams", "hours")
    }
    return {
        "rows": rows,
        "proven": round(float(np.mean([way.proof == "good" for way in ways])), 3),
        "percent": round(float(np.median([way.percent for way in ways])), 1),
        "not_yet": [way.proof for way in ways if way.proof != "good"],
        **costs,
    }


def one_vat(seed: int, world: str, number: int) -> dict[str, dict[float, list[bool]]]:
    """One bottle, and what its check and its proof say of light that is off; runs in a process of its own."""
    enter(world)
    return vat.calls(drawn_bottle(seed, number))


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--spools", default=20, show_default=True)
@click.option("--readers", default=1, show_default=True, help="Makers who read each print; more steady the deciles.")
@click.option(
    "--world",
    type=click.Choice(list(WORLDS)),
    default=VARIED.name,
    show_default=True,
    help="How spools, readers and jaws depart from what is usual.",
)
@click.option("--quick", is_flag=True, help="On few printers, so that files repeat: many spools in minutes.")
@click.option("--only", multiple=True, help="A catalogue key; may be given again.")
@click.option("--json", "as_json", is_flag=True)
def main(
    seed: int, spools: int, readers: int, world: str, quick: bool, only: tuple[str, ...], as_json: bool
) -> None:  # fmt: skip
    """Accuracy of every trial against hidden truths."""
    known = {**SEQUENCES, **BOTTLES}
    unknown = set(only) - set(known) - set(SUITES)
    if unknown:
        raise click.UsageError(f"no benchmark for {', '.join(sorted(unknown))}; there are {', '.join(known)}")
    table: dict[str, Any] = {}
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for key in [k for k in only if k in known] if only else known:
            tally = Tally()
            asked = (repeat(key), repeat(seed), repeat(readers), repeat(world), repeat(quick), range(spools))
            for part in pool.map(one, *asked):
                tally.join(part)
            table[key] = summary(key, tally)
            if not as_json:
                _print(key, table[key], spools, seed)
        for key, (one_spool, tabled, told) in SUITES.items():
            if not only or key in only:
                table[key] = tabled(list(pool.map(one_spool, repeat(seed), repeat(world), range(spools))))
                if not as_json:
                    told(table[key], spools, seed)
    if as_json:
        json.dump(table, sys.stdout, indent=2)
        print()


def _print(key: str, row: dict[str, Any], spools: int, seed: int) -> None:
    what = "bottles" if key in BOTTLES else "spools"
    name, _, how = key.partition(" ")
    print(f"{' '.join([BY_KEY[name].name, how]).strip()} ({row['unit'] or 'ratio'}), {spools} {what}, seed {seed}")
    for who in ("drumbo", "habit", "nothing"):
        spread = row[who]
        failed = f"  failed {row['failed'][who]}" if row["failed"].get(who) else ""
        print(f"  {who:7} median {spread['median']:7} p90 {spread['p90']:7}{failed}")
    for drive, both in row["by_drive"].items():
        figures = (f"{who} median {both[who]['median']} p90 {both[who]['p90']}" for who in ("drumbo", "habit"))
        print(f"  {drive}: {', '.join(figures)}")
    cost = f"{row['prints']} prints, {row['grams']} g, {row['minutes']} min each"
    width = "" if row["width90"] is None else f", ± {row['width90']} on average"
    print(f"  inside the 90 % interval: {row['coverage90']:.0%}{width}; {cost}", flush=True)


def _print_batch(table: dict[str, Any], spools: int, seed: int) -> None:
    print(f"Batch check, {spools} spools, seed {seed}: how often it says that a value moved, by how far it did")
    print(f"  nothing has moved       any of the three: {table[batch.ANY][0]:.0%}", flush=True)
    for key in batch.MOVES:
        told = "  ".join(f"{by:+g} {batch.MOVES[key][2]}: {share:.0%}" for by, share in table[key].items())
        print(f"  {BY_KEY[key].name:24}{told}", flush=True)
    told = "  ".join(f"{least:g}: {share:.0%}" for least, share in table[batch.COSTLY].items())
    print(f"  by what a move costs, from so many points of four on   {told}", flush=True)


def _print_proof(table: dict[str, float], spools: int, seed: int) -> None:
    print(f"Proof, {spools} spools, seed {seed}: how often the part is good, by what is off in the profile")
    for name, share in table.items():
        print(f"  {name:24}{share:.0%}", flush=True)


def _print_vat(table: dict[str, Any], spools: int, seed: int) -> None:
    print(f"Bottle check and proof, {spools} bottles, seed {seed}: how often they object, by how far the light is off")
    for name, row in table.items():
        told = "  ".join(f"{by:+g} %: {share:.0%}" for by, share in row.items())
        print(f"  {name:24}{told}", flush=True)


def _print_whole(table: dict[str, Any], spools: int, seed: int) -> None:
    print(f"Whole profiles, start to proof, {spools} spools, seed {seed}: medians")
    print(f"  {'':24}{'truth':>10}{'found':>10}{'error':>10}{'habit':>10}")
    for key, row in table["rows"].items():
        figures = "".join(f"{row[name]:10.3f}" for name in ("truth", "found", "error", "habit"))
        print(f"  {BY_KEY[key].name:24}{figures}  {row['unit'] or 'ratio'}")
    print(f"  {table['prints']} prints, {table['grams']} g, {table['hours']} h a profile;", end=" ")
    print(f"proofs that are good at once: {table['proven']:.0%}, {table['percent']} % at the median")
    for why in table["not_yet"]:
        print(f"    {why}")


SUITES: dict[str, tuple[Callable[..., Any], Callable[..., Any], Callable[..., None]]] = {
    BATCH: (one_batch, batch.table, _print_batch),
    PROOF: (one_proof, proofs.table, _print_proof),
    VAT: (one_vat, vat.table, _print_vat),
    WHOLE: (one_whole, whole_table, _print_whole),
}
"""What is counted otherwise than a value: a spool of it, the table of all, and how that is told."""

if __name__ == "__main__":
    main()
