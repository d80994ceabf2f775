"""Where a file departs from a profile: one small function a question."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.roles import NAMES
from drumbo.core.remark import BAD, ODD, Remark

FAR_C, FIRST_FAR_C = 2.5, 2.5
STEPS, STEP_MM = 3, 2.0
"""So many temperatures, each over so much height, are a test's."""
OVER_FLOW = 1.02
LEAST_SHARE = 0.002
RETRACTION_FAR, FEW_PULLS = 0.2, 5
FAN_APART = 12.0


def heat(case: FileAnalysis) -> Iterator[Remark]:
    wanted, first_wanted = case.numbers.get("nozzle_c"), case.numbers.get("nozzle_first_c")
    nozzle, laid, layer = case.program.nozzle_c, case.found.laid, case.found.layer
    if case.opening:
        # What a macro heated to is not known.
        laid = laid & (nozzle > 0)
    above, first = laid & (layer > 0), laid & (layer == 0)
    stepped = _stepping(case) if case.numbers else None
    if stepped is not None:
        yield stepped
    elif wanted is not None and above.any():
        usual = case.usual(nozzle, above)
        if abs(usual - wanted) > FAR_C:
            off = above & (np.abs(nozzle - wanted) > FAR_C)
            yield case.remark(BAD, off, f"prints mostly at {usual:g} °C; the profile says {wanted:g} °C",
                              "Slice it again with the profile's temperature.")  # fmt: skip
    if first_wanted is not None and first.any():
        usual = case.usual(nozzle, first)
        if abs(usual - first_wanted) > FIRST_FAR_C:
            yield case.remark(ODD, first, f"lays its first layer at {usual:g} °C; the profile says {first_wanted:g} °C",
                              "Check the first-layer temperature, and what the start G-code heats to.")  # fmt: skip
    bed = case.numbers.get("bed_first_c")
    if bed is not None and first.any():
        usual = case.usual(case.program.bed_c, first)
        if abs(usual - bed) > FAR_C and not (case.opening and usual == 0):
            yield case.remark(ODD, first, f"lays its first layer on a bed of {usual:g} °C; the profile says {bed:g} °C",
                              "Check the first-layer bed temperature.")  # fmt: skip


def _stepping(case: FileAnalysis) -> Remark | None:
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


def flow(case: FileAnalysis) -> Iterator[Remark]:
    limit = case.numbers.get("max_flow_mm3_s")
    if not limit:
        return
    over = case.found.laid & (case.found.flow > limit * OVER_FLOW)
    seconds = float(case.found.seconds[over].sum())
    share = case.at(over)[2] if over.any() else 0.0
    if share > LEAST_SHARE:
        high = float(np.quantile(case.found.flow[over], 0.9))
        times = np.bincount(case.role[over], case.found.seconds[over], len(NAMES))
        most = int(times.argmax())
        where = (
            f", {times[most] / seconds:.0%} of it in {NAMES[most]}"
            if times[most] < 0.995 * seconds
            else f" of {NAMES[most]}"
        )
        text = f"asks for up to {high:.1f} mm³/s, for {_clock(seconds)}{where}; the profile's limit is {limit:g}"
        yield case.remark(BAD, over, text, "Slow those lines down, or set the limit in the slicer.")


def _clock(seconds: float) -> str:
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"


def retraction(case: FileAnalysis) -> Iterator[Remark]:
    wanted = case.numbers.get("retraction_mm")
    if wanted is None:
        return
    found = case.between
    if found.pulls.sum() < FEW_PULLS:
        return
    usual = found.usual(found.pulled_mm)
    if abs(usual - wanted) > max(RETRACTION_FAR, 0.15 * wanted):
        row = int(found.first[found.pulls.argmax()])
        line, layer = int(case.program.line[row]), int(case.found.layer[row]) + 1
        yield Remark(ODD, line, f"retracts {usual:.2g} mm; the profile says {wanted:g} mm", layer, 1.0,
                     "Check the retraction length; firmware retraction is set by M207.")  # fmt: skip


def fan(case: FileAnalysis) -> Iterator[Remark]:
    layers, laid = int(case.numbers.get("fan_off_layers", 0)), case.found.laid
    if layers:
        early = laid & (case.found.layer < layers) & (case.program.fan > 0.05)
        if early.any() and case.found.seconds[early].sum() > 0.2 * case.found.seconds[
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
        strong = laid & (case.program.fan * 100 > most + FAN_APART)
        if strong.any() and case.at(strong)[2] > 0.05:
            text = (
                f"the fan runs at {float(case.program.fan[strong].max()):.0%}; the profile never goes above {most:g} %"
            )
            yield case.remark(ODD, strong, text, "Check the fan settings: this polymer may part between layers.")


def pressure(case: FileAnalysis) -> Iterator[Remark]:
    wanted = case.numbers.get("pressure_advance_s")
    if not wanted:
        return
    held = case.program.pressure_advance
    usual = case.usual(held, case.found.laid)
    if case.opening and not usual:
        return
    if abs(usual - wanted) > max(0.006, 0.15 * wanted):
        what = f"runs with a pressure advance of {usual:g} s" if usual else "never sets a pressure advance"
        yield Remark(ODD, 0, f"{what}; the profile says {wanted:g} s", 0, 1.0,
                     "Set it in the slicer, or in the printer's configuration.")  # fmt: skip


QUESTIONS = (heat, flow, retraction, fan, pressure)
