"""Heat and air: temperatures that a printer, a material or a print does not bear, and a fan that does not fit."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.command import What
from drumbo.core.remark import BAD, ODD, Remark

NEVER_NOZZLE_C, NEVER_BED_C = 500.0, 200.0
"""No printer for filament is meant to be hotter."""
BEYOND_C = 10.0
LEAST_REST, LEAST_LAYERS = 0.05, 3
"""So much of the print, and so many layers, must be to come for a bed that goes off to matter."""
DROP_C, FIRST_DROP_C = 15.0, 30.0
TOWER_STEPS = 3
FEW_LAYERS = 5
BLOWS, NEEDS, BEARS = 0.5, 40.0, 20.0
"""A fan runs from this share on; a polymer that wants so many per cent needs it, and one that wants less bears none."""
FAN_APART = 50.0


def too_hot(case: FileAnalysis) -> Iterator[Remark]:
    """Beyond the printer's limits, or anybody's."""
    printer = case.printer
    limits = (
        (What.NOZZLE, "nozzle", printer.nozzle_max_c if printer else NEVER_NOZZLE_C),
        (What.BED, "bed", printer.bed_max_c if printer else NEVER_BED_C),
    )
    for what, name, limit in limits:
        over = [(command, effect) for command, effect in case.program.set_by(what) if effect.value > limit]
        if over:
            whose = f"{printer.name} may run {limit:g} °C" if printer else "no printer is built for that"
            text = f"sets the {name} to {over[0][1].value:g} °C; {whose}"
            yield case.of(BAD, over[0][0], text, "Slice it for this printer.")


def beyond_label(case: FileAnalysis) -> Iterator[Remark]:
    """Lines at temperatures far from the label's range."""
    if case.material is None:
        return
    nozzle, laid = case.program.nozzle_c, case.found.laid
    low, high = case.material.nozzle_low_c - BEYOND_C, case.material.nozzle_high_c + BEYOND_C
    off = laid & (nozzle > 0) & ((nozzle < low) | (nozzle > high))
    if off.any() and case.at(off)[2] > 0.001:
        value = float(nozzle[int(off.argmax())])
        text = f"prints at {value:g} °C; the label of {case.material.name} says {case.material.label_says}"
        yield case.remark(ODD, off, text, "Is it sliced for another material?")


def bed_off(case: FileAnalysis) -> Iterator[Remark]:
    """The bed goes off, or nearly, long before the end."""
    held = 0.0
    for command, effect in case.program.set_by(What.BED):
        if held > 0 and effect.value < 0.5 * held and case.first < command.row <= case.last:
            rest = case.from_row(command.row)
            layer = int(case.found.layer[command.row])
            if rest > LEAST_REST and case.found.layers - layer > LEAST_LAYERS:
                what = "goes off" if effect.value == 0 else f"goes down to {effect.value:g} °C"
                yield case.of(BAD, command, f"the bed {what} with {rest:.0%} of the print to come; parts come loose",
                              "Switch it off after the last layer.", rest)  # fmt: skip
                return
        held = effect.value


def nozzle_drop(case: FileAnalysis) -> Iterator[Remark]:
    """The nozzle falls by much from one line to the next, in the middle of a print. Where the printer is told to wait
    for it, it is meant: another material comes.
    """
    changes = _changes(case)
    waited = {c.row for c, _ in case.program.set_by(What.NOZZLE) if c.word == "M109"}
    steps = [after - before for _, before, after in changes]
    if len(steps) >= TOWER_STEPS and (min(steps) > 0 or max(steps) < 0):
        return
    rows = [row for row, _, _ in changes]
    for k, (row, before, after) in enumerate(changes):
        layer = int(case.found.layer[row])
        since = rows[k - 1] if k else case.first
        if any(since < told <= row for told in waited):
            continue
        if before - after >= (FIRST_DROP_C if layer <= 1 else DROP_C):
            share = case.from_row(row) - (case.from_row(rows[k + 1]) if k + 1 < len(rows) else 0.0)
            text = f"the nozzle drops from {before:g} to {after:g} °C on layer {layer + 1}"
            do = "Take this temperature change out; layers part where it is too cold."
            yield case.at_row(BAD, row, text, do, share)
            return


def _changes(case: FileAnalysis) -> list[tuple[int, float, float]]:
    """(row of the first line after it, °C before, °C after) for each change of the nozzle between two lines that one
    tool lays.
    """
    program, laid = case.program, case.found.laid
    nozzle, tool = program.nozzle_c, program.tool if len(program.tools) > 1 else None
    rows = sorted({c.row for c, _ in program.set_by(What.NOZZLE, What.TOOL) if case.first < c.row <= case.last})
    told: list[tuple[int, float, float]] = []
    last, held = case.first, float(nozzle[case.first])
    for row in rows:
        here = row + int(laid[row:].argmax())
        if here == last:
            continue
        now = float(nozzle[here])
        if now != held and (tool is None or tool[here] == tool[last]):
            told.append((here, held, now))
        last, held = here, now
    return told


def _mean(case: FileAnalysis, values: NDArray[np.float64], rows: NDArray[np.bool_]) -> float:
    """Of a column over the time of some moves."""
    seconds = case.found.seconds[rows]
    return float(values[rows] @ seconds) / max(float(seconds.sum()), 1e-9)


def fan_for_polymer(case: FileAnalysis) -> Iterator[Remark]:
    """The fan against what the polymer commonly wants, where no profile says it."""
    kin, found = case.polymer, case.found
    if kin is None or found.layers - int(found.on_bed.sum()) < FEW_LAYERS or "fan_percent" in case.numbers:
        return
    fan, laid = case.program.fan, found.laid
    first, above = laid & (found.layer == 0), laid & (found.layer > 0)
    on_first = _mean(case, fan, first)
    how = "is" if case.material else "looks like"
    any_fan = any(effect.value > 0 for _, effect in case.program.set_by(What.FAN))
    if kin.fan_percent >= NEEDS and not any_fan and not case.opening:
        yield case.remark(ODD, above, f"the fan never runs; this {how} {kin.name}, which commonly wants "
                          f"{kin.fan_percent:g} %", "Switch the fan on from the second layer.")  # fmt: skip
    elif on_first > BLOWS:
        yield case.remark(ODD, first, f"the fan runs at {on_first:.0%} from the first layer on; corners lift",
                          "Leave the fan off on the first layer.")  # fmt: skip
    elif kin.fan_percent <= BEARS and (on_above := _mean(case, fan, above)) * 100 > kin.fan_percent + FAN_APART:
        yield case.remark(ODD, above, f"the fan runs at {on_above:.0%}; this {how} {kin.name}, which parts between "
                          "layers in so much air", f"{kin.fan_percent:g} % is common.")  # fmt: skip


QUESTIONS = (too_hot, beyond_label, bed_off, nozzle_drop, fan_for_polymer)
