"""What is odd about a file, and what to do: one small function a question, most serious first.

Each says where it begins (line and layer) and how much of the print it touches.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.reader import PAUSES, Command, Program
from drumbo.core.gcode.roles import roles
from drumbo.core.gcode.traits import Traits
from drumbo.core.workshop import Printer

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

BAD, ODD = "bad", "odd"
COLD_C = 150.0
FAR_C, FIRST_FAR_C = 2.5, 2.5
STEPS, STEP_MM = 3, 2.0
"""So many temperatures, each over so much height, are a test's."""
OVER_FLOW = 1.02
RETRACTION_FAR = 0.2
GULP_MM = 40.0
"""No road feeds so much filament at once; a file that mixes up its extrusion modes does."""
LEAST_SHARE = 0.002


@dataclass(frozen=True, slots=True)
class Remark:
    """Something odd. `weight` is "bad" (may spoil a print or a printer) or "odd"; `line` 0 is the whole file, `layer`
    counts from 1, 0 where it is of none; `share` is how much of the time of all roads it touches; `do` is the remedy.
    """

    weight: str
    line: int
    text: str
    layer: int = 0
    share: float = 0.0
    do: str = ""


@dataclass(frozen=True)
class Case:
    """A file looked at: its columns, and what it is held against."""

    program: Program
    found: Traits
    printer: Printer | None
    numbers: Mapping[str, float]

    @cached_property
    def role(self) -> NDArray[np.uint8]:
        """(n,) what each move is for, see `roles`."""
        return roles(self.program, self.found)

    def at(self, where: Bools) -> tuple[int, int, float]:
        """Line and layer of the first of some moves, and their share of the time that roads take."""
        first = int(where.argmax())
        seconds = self.found.motion.seconds
        whole = float(seconds[self.found.laid].sum())
        share = float(seconds[where & self.found.laid].sum()) / whole if whole else 0.0
        return int(self.program.line[first]), int(self.found.layer[first]) + 1, share

    def remark(self, weight: str, where: Bools, text: str, do: str = "") -> Remark:
        """One about these moves."""
        line, layer, share = self.at(where)
        return Remark(weight, line, text, layer, share, do)

    def of(self, weight: str, command: Command, text: str, do: str = "", share: float = 0.0) -> Remark:
        """One about a command."""
        row = min(command.row, len(self.program) - 1)
        layer = int(self.found.layer[row]) + 1 if row >= 0 and self.found.laid[: row + 1].any() else 0
        return Remark(weight, command.line, text, layer, share, do)


def findings(case: Case) -> list[Remark]:
    """All that is odd: bad before odd, then by how much of the print it touches, then by line."""
    told = []
    if not case.found.laid.any() and not (case.program.e_mm > 0).any():
        do = "Is it the right file? A start or end sequence alone is fine."
        told.append(Remark(ODD, 0, "lays no road at all", do=do))
    asked = QUESTIONS if case.found.laid.any() else WITHOUT_ROADS
    told += [remark for ask in asked for remark in ask(case)]
    return sorted(told, key=lambda r: (r.weight != BAD, -round(r.share, 2), r.line))


def _homing(case: Case) -> Iterator[Remark]:
    first = int(case.found.laid.argmax())
    if not any(c.word == "G28" and c.row <= first for c in case.program.commands):
        yield case.remark(BAD, case.found.laid, "prints before homing (no G28 above)",
                          "Add G28 to the start G-code.")  # fmt: skip


def _cold(case: Case) -> Iterator[Remark]:
    cold = case.found.laid & (case.program.nozzle_c < COLD_C)
    if cold.any():
        yield case.remark(BAD, cold, f"feeds filament with the nozzle below {COLD_C:.0f} °C; the drive will grind",
                          "Heat and wait (M109) before the first road.")  # fmt: skip


def _left_on(case: Case) -> Iterator[Remark]:
    for words, what, off in ((("M104", "M109"), "nozzle", "M104 S0"), (("M140", "M190"), "bed", "M140 S0")):
        last = [c for c in case.program.found(*words) if c.heat is not None]
        if last and (last[-1].heat or 0) > 0:
            yield case.of(BAD, last[-1], f"the {what} is left at {last[-1].heat:g} °C at the end",
                          f"End the file with {off}.")  # fmt: skip
    fan = list(case.program.found("M106", "M107"))
    if fan and fan[-1].word == "M106" and fan[-1].values.get("S", 255) > 0:
        yield case.of(ODD, fan[-1], "the fan is left running at the end", "End the file with M107.")


def _factors(case: Case) -> Iterator[Remark]:
    for word, name, factor in (
        ("M220", "speed", case.program.speed_factor), ("M221", "flow", case.program.flow_factor)
    ):  # fmt: skip
        off = case.found.laid & (np.abs(factor - 1) > 0.005)
        if off.any():
            _, layer, share = case.at(off)
            value, row = float(factor[int(off.argmax())]), int(off.argmax())
            setter = [c for c in case.program.found(word) if c.row <= row][-1]
            count = off.sum() / case.found.laid.sum()
            text = f"{name} factor {value:.0%} from here on, for {count:.0%} of all roads"
            yield Remark(BAD, setter.line, text, layer, share, f"Put {word} S100 where it should end, or take it out.")


def _beside(case: Case) -> Iterator[Remark]:
    printer, program, laid = case.printer, case.program, case.found.laid
    if printer is None:
        return
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    off = laid & ((program.x < x0 - 0.5) | (program.x > x1 + 0.5) | (program.y < y0 - 0.5) | (program.y > y1 + 0.5))
    if off.any():
        yield case.remark(BAD, off, f"prints beside the bed of {printer.name}",
                          "Check the slicer's bed size and its zero point.")  # fmt: skip
    high = float(program.z[laid].max())
    if high > printer.height_mm:
        text = f"is {high:.0f} mm high; {printer.name} has {printer.height_mm:g}"
        yield case.remark(BAD, laid & (program.z > printer.height_mm), text, "Lay it down, or cut it.")


def _too_hot(case: Case) -> Iterator[Remark]:
    if case.printer is None:
        return
    for words, limit, what in (
        (("M104", "M109"), case.printer.nozzle_max_c, "nozzle"), (("M140", "M190"), case.printer.bed_max_c, "bed")
    ):  # fmt: skip
        over = [c for c in case.program.found(*words) if c.heat is not None and c.heat > limit]
        if over:
            text = f"sets the {what} to {over[0].heat:g} °C; {case.printer.name} may run {limit:g} °C"
            yield case.of(BAD, over[0], text, "Slice it for this printer.")


def _mixed_up(case: Case) -> Iterator[Remark]:
    gulp = case.found.laid & (case.program.e_mm > GULP_MM) & (case.program.e_mm > case.found.way)
    if gulp.any():
        row = int(gulp.argmax())
        text = f"feeds {case.program.e_mm[row]:.0f} mm of filament on {case.found.way[row]:.1f} mm of road"
        do = "Absolute and relative extrusion are mixed up: look for M82, M83 and G92 E0 above this line."
        yield case.remark(BAD, gulp, text, do)


def _heat(case: Case) -> Iterator[Remark]:
    wanted, first_wanted = case.numbers.get("nozzle_c"), case.numbers.get("nozzle_first_c")
    nozzle, laid, layer = case.program.nozzle_c, case.found.laid, case.found.layer
    above, first = laid & (layer > 0), laid & (layer == 0)
    stepped = _stepping(case) if case.numbers else None
    if stepped is not None:
        yield stepped
    elif wanted is not None and above.any():
        usual = _usual(nozzle[above], case.found.motion.seconds[above])
        if abs(usual - wanted) > FAR_C:
            off = above & (np.abs(nozzle - wanted) > FAR_C)
            yield case.remark(BAD, off, f"prints mostly at {usual:g} °C; the profile says {wanted:g} °C",
                              "Slice it again with the profile's temperature.")  # fmt: skip
    if first_wanted is not None and first.any():
        usual = _usual(nozzle[first], case.found.motion.seconds[first])
        if abs(usual - first_wanted) > FIRST_FAR_C:
            yield case.remark(ODD, first, f"lays its first layer at {usual:g} °C; the profile says {first_wanted:g} °C",
                              "Check the first-layer temperature, and what the start G-code heats to.")  # fmt: skip
    bed = case.numbers.get("bed_first_c")
    if bed is not None and first.any():
        usual = _usual(case.program.bed_c[first], case.found.motion.seconds[first])
        if abs(usual - bed) > FAR_C:
            yield case.remark(ODD, first, f"lays its first layer on a bed of {usual:g} °C; the profile says {bed:g} °C",
                              "Check the first-layer bed temperature.")  # fmt: skip


def _usual(values: Floats, seconds: Floats) -> float:
    """The value that holds for the most time."""
    kinds, which = np.unique(values, return_inverse=True)
    return float(kinds[np.bincount(which, seconds).argmax()])


def _stepping(case: Case) -> Remark | None:
    """A temperature that goes up or down in steps with height."""
    laid = case.found.laid & (case.found.layer > 0)
    z, nozzle = case.program.z[laid], case.program.nozzle_c[laid]
    cuts = np.flatnonzero(np.diff(nozzle)) + 1
    if len(cuts) < STEPS - 1:
        return None
    starts = np.concatenate([[0], cuts])
    values, heights = nozzle[starts], z[starts]
    tall = np.diff(np.append(heights, z.max())) > STEP_MM
    steps = np.diff(values[tall])
    if len(steps) < STEPS - 1 or not ((steps > 0).all() or (steps < 0).all()):
        return None
    told = ", ".join(f"{v:g}" for v in values[tall][:4])
    rows = np.flatnonzero(laid)[cuts[0] :]
    where = np.zeros(len(case.program), dtype=bool)
    where[rows] = case.found.laid[rows]
    return case.remark(BAD, where, f"the nozzle steps with height ({told} … °C)",
                       "Left over from a test? Take the temperature changes out of the slicer's settings.")  # fmt: skip


def _flow(case: Case) -> Iterator[Remark]:
    limit = case.numbers.get("max_flow_mm3_s")
    if not limit:
        return
    over = case.found.laid & (case.found.flow > limit * OVER_FLOW)
    seconds = float(case.found.motion.seconds[over].sum())
    share = case.at(over)[2] if over.any() else 0.0
    if share > LEAST_SHARE:
        high = float(np.quantile(case.found.flow[over], 0.9))
        text = f"asks for up to {high:.1f} mm³/s, for {_clock(seconds)}; the profile's limit is {limit:g}"
        yield case.remark(BAD, over, text, "Slow those roads down, or set the limit in the slicer.")


def _clock(seconds: float) -> str:
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"


def _retraction(case: Case) -> Iterator[Remark]:
    wanted = case.numbers.get("retraction_mm")
    if wanted is None:
        return
    inside = np.arange(len(case.program)) > int(case.found.laid.argmax())
    pulls = inside & (case.program.e_mm < -0.05) & ~case.found.laid
    if pulls.sum() < 5:
        return
    lengths = -case.program.e_mm[pulls]
    usual = float(np.median(lengths))
    if abs(usual - wanted) > max(RETRACTION_FAR, 0.15 * wanted):
        line, layer, _ = case.at(pulls)
        yield Remark(ODD, line, f"pulls back {usual:.2g} mm; the profile says {wanted:g} mm", layer, 1.0,
                     "Check the retraction length; firmware retraction is set by M207.")  # fmt: skip


def _fan(case: Case) -> Iterator[Remark]:
    layers, laid = int(case.numbers.get("fan_off_layers", 0)), case.found.laid
    if layers:
        early = laid & (case.found.layer < layers) & (case.program.fan > 0.05)
        if early.any() and case.found.motion.seconds[early].sum() > 0.2 * case.found.motion.seconds[
            laid & (case.found.layer < layers)
        ].sum():  # fmt: skip
            row = int(early.argmax())
            text = f"the fan runs at {case.program.fan[row]:.0%} on layer {case.found.layer[row] + 1}"
            yield case.remark(ODD, early, f"{text}; the profile leaves it off for the first {layers}",
                              "Set the layers without fan in the slicer.")  # fmt: skip
    most = max(
        (case.numbers[k] for k in ("fan_percent", "fan_short_percent", "fan_bridge_percent", "fan_overhang_percent")
         if k in case.numbers), default=None,
    )  # fmt: skip
    if most is not None and case.numbers:
        strong = laid & (case.program.fan * 100 > most + 12)
        if strong.any() and case.at(strong)[2] > 0.05:
            text = (
                f"the fan runs at {float(case.program.fan[strong].max()):.0%}; the profile never goes above {most:g} %"
            )
            yield case.remark(ODD, strong, text, "Check the fan settings: this polymer may part between layers.")


def _pressure(case: Case) -> Iterator[Remark]:
    wanted = case.numbers.get("pressure_advance_s")
    if not wanted:
        return
    held = case.program.pressure_advance
    usual = _usual(held[case.found.laid], case.found.motion.seconds[case.found.laid])
    if abs(usual - wanted) > max(0.006, 0.15 * wanted):
        what = f"runs with a pressure advance of {usual:g} s" if usual else "never sets a pressure advance"
        yield Remark(ODD, 0, f"{what}; the profile says {wanted:g} s", 0, 1.0,
                     "Set it in the slicer, or in the printer's configuration.")  # fmt: skip


def _limits_unset(case: Case) -> Iterator[Remark]:
    if case.numbers and not any(True for _ in case.program.found("M204", "M205", "M566", "M201")):
        do = "Times here are reckoned with the printer's page. If they differ from the real ones, set M204."
        yield Remark(ODD, 0, "sets no acceleration and no junction speed; the printer's own hold", do=do)


def _pauses(case: Case) -> Iterator[Remark]:
    for command in case.program.found(*PAUSES):
        yield case.of(ODD, command, f"pauses here ({command.word})", "Stay near, or take it out.")


QUESTIONS = (
    _homing, _cold, _left_on, _factors, _beside, _too_hot, _mixed_up, _heat, _flow, _retraction, _fan, _pressure,
    _limits_unset, _pauses,
)  # fmt: skip
WITHOUT_ROADS = (_left_on, _too_hot, _pauses)
"""What can be asked of a file that only feeds filament, or moves."""
