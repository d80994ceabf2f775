"""`drumbo check`: what a file will really do, in lines of words."""

from __future__ import annotations

import json
import sys
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click

from drumbo.cli.common import long_words, open_workshop

MOST_BANDS = 24
"""Stretches of one temperature that are listed; a file put together of many has thousands."""


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--json", "as_json", is_flag=True)
@click.option(
    "--beside",
    "other",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Another G-code file: say what differs, and from which command on. Exit code 1 if anything does.",
)
@click.option("--profile", "profile", metavar="NAME", help="Hold it against this profile of the workshop (--data).")
@click.pass_obj
def check(folder: Path, file: Path, as_json: bool, other: Path | None, profile: str | None) -> None:
    """Say what a G-code file or a layer package will really do, and what is odd about it."""
    from drumbo.core.gcode.inspect import inspect  # noqa: PLC0415
    from drumbo.core.gcode.reader import read  # noqa: PLC0415
    from drumbo.services.check import Against, is_package, unpacked  # noqa: PLC0415

    data = file.read_bytes()
    if is_package(data):
        if profile or other:
            raise click.UsageError(f"{file} is a layer package; --profile and --beside are for G-code")
        _check_package(data, as_json=as_json)
        return
    data = unpacked(data)
    held = _against(folder, profile) if profile else Against()
    if other is not None:
        _check_beside(data, unpacked(other.read_bytes()), held, as_json=as_json)
        return
    found = inspect(
        read(data), printer=held.printer, numbers=held.numbers, filament_mm=held.filament_mm,
        density_g_cm3=held.density_g_cm3,
    )  # fmt: skip
    if as_json:
        json.dump(asdict(found), sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
    else:
        for line in _told(found, held):
            click.echo(line)
    if any(remark.weight == "bad" for remark in found.remarks):
        sys.exit(1)


def _against(folder: Path, name: str) -> Any:
    """The profile of that name, as what a file is held against."""
    from drumbo.services.check import against  # noqa: PLC0415
    from drumbo.services.shelf import named  # noqa: PLC0415

    with closing(open_workshop(folder)) as workshop:
        return against(workshop, named(workshop, name))


def _check_beside(data: bytes, other: bytes, held: Any, *, as_json: bool) -> None:
    """What differs between two files, and where they part."""
    from drumbo.core.gcode.beside import pairs, parting  # noqa: PLC0415
    from drumbo.core.gcode.inspect import analyse, summary  # noqa: PLC0415
    from drumbo.core.gcode.reader import read  # noqa: PLC0415

    first, second = (
        analyse(read(each), printer=held.printer, numbers=held.numbers, filament_mm=held.filament_mm)
        for each in (data, other)
    )
    sums = [(case, summary(case, held.filament_mm, held.density_g_cm3)) for case in (first, second)]
    found, part = pairs(*sums), parting(first, second)
    if as_json:
        told = {"pairs": [asdict(p) for p in found], "parting": asdict(part) if part else None}
        json.dump(told, sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
    else:
        for p in (p for p in found if p.differs):
            click.echo(f"{p.name:20} {p.first:.{p.digits}f} and {p.second:.{p.digits}f} {p.unit}".rstrip())
        if part is None:
            click.echo("They do the same from the first command to the last.")
        else:
            ends = [f"line {line}" if line else "its end" for line in (part.first_line, part.second_line)]
            click.echo(f"They part after {part.same:,} moves: at {ends[0]} of the first, {ends[1]} of the second.")
    if part is not None:
        sys.exit(1)


def _check_package(data: bytes, *, as_json: bool) -> None:
    """What a layer package will do: layers, times, pictures."""
    from drumbo.services.check import check_package  # noqa: PLC0415

    found = check_package(data)
    if as_json:
        json.dump(asdict(found), sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
        return
    click.echo(f"layers        {found.layers}, {found.height_mm:g} mm, {found.pictures} different pictures")
    click.echo(f"screen        {found.pixels[0]} × {found.pixels[1]} pixels of {found.pixel_um:g} µm")
    click.echo(f"time          {long_words(found.seconds)}")
    for first, last, low, high in found.runs:
        upto = f" to {high:g}" if high > low else ""
        click.echo(f"light         {low:g}{upto} s on layers {first} to {last}")


def _told(found: Any, held: Any) -> list[str]:
    low, high = found.low, found.high
    accel = f"as on {held.printer.name}" if held.printer else "at the default acceleration"
    cost = held.material.cost(found.grams) if held.material else None
    price = "" if cost is None else f", {held.material.currency} {cost:.2f}"
    lines = [
        f"{found.lines:,} lines, {found.moves:,} moves",
        "roads within  " + "   ".join(f"{n} {a:.1f} to {b:.1f}" for n, a, b in zip("XYZ", low, high, strict=True)),
        f"time          {long_words(found.seconds)}, {accel} where the file sets none",
        f"filament      {found.filament_mm / 1000:.2f} m, {found.grams:.1f} g at {held.density_g_cm3:g} g/cm³{price}",
        f"flow          {found.flow_median:.1f} mm³/s usual, {found.flow_high:.1f} at most (99 %)",
        f"bed           {found.bed_c:g} °C",
    ]
    lines += [
        f"{part.name:13} {long_words(part.seconds)}"
        + (f", {part.grams:.1f} g, {part.flow_usual:.1f} mm³/s usual" if part.grams else "")
        for part in found.parts
    ]
    if found.retractions:
        speed = f" at {found.retraction_mm_s:.0f} mm/s" if found.retraction_mm_s else ""
        lines.append(f"retraction    {found.retraction_mm:.2f} mm{speed}, {found.retractions:,} times")
    lines += [f"waits for     {w.what} {w.heat_c:g} °C, line {w.line}" for w in found.waits]
    lines += [f"nozzle        {b.nozzle_c:g} °C from z {b.low:.2f} to {b.high:.2f}" for b in found.bands[:MOST_BANDS]]
    lines += [f"nozzle        … and {len(found.bands) - MOST_BANDS} more stretches"] * (len(found.bands) > MOST_BANDS)
    lines += [f"unknown       {word} × {count}" for word, count in found.unknown.items()]
    for r in found.remarks:
        place = [f"line {r.line}"] * bool(r.line) + [f"layer {r.layer}"] * bool(r.layer)
        place += [f"{r.share:.0%} of the print"] * (r.share >= 0.005)
        lines.append(f"{r.weight:13} {', '.join(place)}{': ' if place else ''}{r.text}")
        lines += [f"{'':13} {r.do}"] * bool(r.do)
    return lines
