"""What a file says of a material by using it: values for a profile, by catalogue key."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.kernel import RETRACT
from drumbo.core.gcode.move_columns import by_time
from drumbo.core.gcode.roles import OUTER, UNSUPPORTED

Bools = NDArray[np.bool_]

FEW_PULLS = 5
"""From fewer nothing is told."""
LEAST_AIR_S = 3.0
FAN_APART, LEAST_OWN = 0.1, 0.15
"""By how much a fan for bridges differs, and for what share of them it holds, if it is one of its own."""
FAN_OFF = 0.05


@dataclass(frozen=True, slots=True)
class InferredSetting:
    """A value as a file uses it: catalogue key, number in the parameter's unit, and where in the file it is seen."""

    key: str
    number: float
    says: str


def inferred_settings(case: FileAnalysis) -> tuple[InferredSetting, ...]:
    """What can be told, in catalogue order; of what the file never does, nothing."""
    if not case.found.laid.any():
        return ()
    return tuple(lesson for ask in (_heat, _pressure, _retraction, _flow, _speed, _fan) for lesson in ask(case))


def _where(case: FileAnalysis) -> tuple[Bools, Bools]:
    """Roads of the first layer, and those above; of a file with one layer the same."""
    laid, first = case.found.laid, case.found.laid & (case.found.layer == 0)
    above = laid & (case.found.layer > 0)
    return first, above if above.any() else first


def _usual(
    case: FileAnalysis, key: str, column: NDArray[np.floating], rows: Bools, what: str, scale: float = 1
) -> InferredSetting:
    """The value that holds longest over some roads, and for how much of their time."""
    kinds, which = np.unique(column[rows], return_inverse=True)
    times = np.bincount(which, case.found.seconds[rows])
    best = int(times.argmax())
    share = times[best] / max(times.sum(), 1e-9)
    says = f"for all of {what}" if share > 0.995 else f"for {share:.0%} of {what}"
    return InferredSetting(key, round(float(kinds[best]) * scale, 4), says)


def _heat(case: FileAnalysis) -> Iterator[InferredSetting]:
    (first, above), program = _where(case), case.program
    for key, first_key, column in (
        ("nozzle_c", "nozzle_first_c", program.nozzle_c),
        ("bed_c", "bed_first_c", program.bed_c),
    ):
        for each in (
            _usual(case, key, column, above, "the layers above the first"),
            _usual(case, first_key, column, first, "the first layer"),
        ):
            if each.number > 0:
                yield each


def _pressure(case: FileAnalysis) -> Iterator[InferredSetting]:
    held = case.program.pressure_advance
    if held.any():
        yield _usual(case, "pressure_advance_s", held, case.found.laid, "the lines")


def _retraction(case: FileAnalysis) -> Iterator[InferredSetting]:
    found = case.between
    count = int(found.pulls.sum())
    # How far firmware pulls is its own setting, unless the file says it.
    own = case.program.kind[found.first[found.pulls]] == RETRACT
    if count < FEW_PULLS or (own.mean() > 0.5 and not any(True for _ in case.program.found("M207"))):
        return
    says = f"usual of {count} pulls"
    yield InferredSetting("retraction_mm", round(found.usual(found.pulled_mm), 3), says)
    speed = found.usual(found.speed_mm_s)
    if speed > 0:
        yield InferredSetting("retraction_speed_mm_s", round(speed, 1), says)
    yield InferredSetting("restart_extra_mm", round(found.restart_mm, 3), "unretracted, less what was retracted")
    yield InferredSetting("z_hop_mm", round(found.usual(found.lift_mm), 3), says)


def _flow(case: FileAnalysis) -> Iterator[InferredSetting]:
    laid = case.found.laid
    most = by_time(case.found.flow[laid], case.found.seconds[laid], 0.99)
    yield InferredSetting("max_flow_mm3_s", round(most, 1), "99 % of the lines stay below: asked for, not tested")


def _speed(case: FileAnalysis) -> Iterator[InferredSetting]:
    feed, seconds = case.program.feed / 60, case.found.seconds
    above = case.found.layer > 0
    for key, of, what in (
        ("speed_outer_mm_s", case.role == OUTER, "outer walls"), ("speed_max_mm_s", case.found.laid, "lines")
    ):  # fmt: skip
        rows = of & above
        if rows.any():
            yield InferredSetting(
                key, round(by_time(feed[rows], seconds[rows], 0.98), 0), f"98 % of the {what} ask for no more"
            )


def _fan(case: FileAnalysis) -> Iterator[InferredSetting]:
    laid, fan, layer, seconds = case.found.laid, case.program.fan, case.found.layer, case.found.seconds
    on = np.bincount(layer[laid], seconds[laid] * (fan[laid] > FAN_OFF), case.found.layers)
    whole = np.maximum(np.bincount(layer[laid], seconds[laid], case.found.layers), 1e-9)
    blown = on / whole > 0.5
    off = int(blown.argmax()) if blown.any() else 0
    rows = laid & (layer >= off) if blown.any() else laid
    usual = _usual(case, "fan_percent", fan, rows, "the layers with fan" if off else "the lines", 100)
    yield usual
    if blown.any():
        yield InferredSetting("fan_off_layers", float(off), "layers until it starts")
    yield from _bridge_fan(case, rows, usual.number / 100)


def _bridge_fan(case: FileAnalysis, rows: Bools, usual: float) -> Iterator[InferredSetting]:
    """The fan of what hangs in the air, where that has one of its own: much of it, and little else."""
    air, fan, seconds = rows & (case.role == UNSUPPORTED), case.program.fan, case.found.seconds
    whole, rest = float(seconds[air].sum()), rows & ~air
    if whole < LEAST_AIR_S:
        return
    kinds, which = np.unique(fan[air], return_inverse=True)
    shares = np.bincount(which, seconds[air]) / whole
    elsewhere = np.array([float(seconds[rest & (fan == each)].sum()) for each in kinds])
    elsewhere /= max(float(seconds[rest].sum()), 1e-9)
    own = (np.abs(kinds - usual) > FAN_APART) & (shares > LEAST_OWN) & (shares > 3 * elsewhere)
    if own.any():
        best = int(np.where(own, shares, 0).argmax())
        says = f"for {shares[best]:.0%} of what hangs in the air, and little else"
        yield InferredSetting("fan_bridge_percent", round(float(kinds[best]) * 100, 1), says)
