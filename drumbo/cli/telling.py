"""What was found of a file, in lines of words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from drumbo.cli.common import long_words
from drumbo.core.remark import Remark

if TYPE_CHECKING:
    from drumbo.core.gcode.against import Against
    from drumbo.core.gcode.inspect import Inspection
    from drumbo.exchange.package_check import LitLayers

MOST_BANDS = 24
"""Stretches of one temperature that are listed; a file put together of many has thousands."""


def told_lines(found: Inspection, held: Against) -> list[str]:
    """A G-code file."""
    low, high = found.low, found.high
    accel = f"as on {held.printer.name}" if held.printer else "at the default acceleration"
    cost = held.material.cost(found.grams) if held.material else None
    price = "" if cost is None or held.material is None else f", {held.material.currency} {cost:.2f}"
    lines = [
        f"{found.lines:,} lines, {found.moves:,} moves, words of the dialect {found.dialect}",
        "lines within  " + "   ".join(f"{n} {a:.1f} to {b:.1f}" for n, a, b in zip("XYZ", low, high, strict=True)),
        f"time          {long_words(found.seconds)}, {accel} where the file sets none",
        f"filament      {found.filament_mm / 1000:.2f} m, {found.grams:.1f} g at {held.density_g_cm3:g} g/cm³{price}",
        f"flow          {found.flow_median:.1f} mm³/s usual, {found.flow_high:.1f} at most (99 %)",
        f"bed           {found.bed_c:g} °C",
    ]
    if len(found.tools) > 1:
        lines.append(f"tools         {len(found.tools)}, changed {found.tool_changes} times")
    if found.dwell_s:
        lines.append(f"waits (G4)    {found.dwell_s:.1f} s in all")
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
    lines += [f"at the end    {', '.join(found.ends)}"] * bool(found.ends)
    lines += [f"unknown       {word} × {count}" for word, count in found.unknown.items()]
    return [*lines, *_remarks(found.remarks)]


def _remarks(remarks: Iterable[Remark]) -> Iterator[str]:
    for r in remarks:
        place = [f"line {r.line}"] * bool(r.line) + [f"layer {r.layer}"] * bool(r.layer)
        place += [f"{r.share:.0%} of the print"] * (r.share >= 0.005)
        yield f"{r.weight:13} {', '.join(place)}{': ' if place else ''}{r.text}"
        if r.do:
            yield f"{'':13} {r.do}"


def package_lines(found: LitLayers) -> list[str]:
    """A layer package: layers, times, pictures."""
    lines = [
        f"layers        {found.layers}, {found.height_mm:g} mm, {found.pictures} different pictures",
        f"screen        {found.pixels[0]} × {found.pixels[1]} pixels of {found.pixel_um:g} µm",
        f"time          {long_words(found.seconds)}",
    ]
    for first, last, low, high in found.runs:
        upto = f" to {high:g}" if high > low else ""
        lines.append(f"light         {low:g}{upto} s on layers {first} to {last}")
    return [*lines, *_remarks(found.remarks)]
