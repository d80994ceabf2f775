"""What three stairs say of a batch: is the middle one, printed as the profile has it, still right?

Three looks cannot find a value anew. They can tell whether it moved by about a step: then its own trial says where to.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drumbo.core.catalogue import BY_KEY, GROUPS
from drumbo.core.fit.quality import fit_quality
from drumbo.core.fit.vee import fit_vee
from drumbo.trials.base import Plan, Readings, Result, Step, number
from drumbo.trials.pictures import Curve

Floats = NDArray[np.float64]

CHECKED = ("nozzle_c", "flow_ratio", "retraction_mm")
HEAT_WEIGHTS = {"bridge": 0.35, "surface": 0.3, "bond": 0.35}
MOVED_STEPS = 0.8
"""A value whose best lies more than so much of a step away counts as moved, if that is more than its error."""
SURE = 0.7
PLAINLY = 0.6
"""By so many scores, on the mean, another stair must do better to say that the heat has moved."""
CLEAN, BETTER = 3, 1
"""Strings on the middle stair that are fine whatever the others show; and by how much a longer pull must do better."""


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """Same or moved, each of the three; few while the stairs are not all scored."""
    keys = (*HEAT_WEIGHTS, "gaps", "ridges", "strings")
    columns = {key: readings.column(key, steps) for key in keys}
    missing = sum(int(np.isnan(column).sum()) for column in columns.values())
    if missing:
        return Result("few", says=f"{missing} of {len(keys) * len(steps)} scores are open.")
    heat = _heat(steps, columns)
    flow, flow_error = _flow(plan, columns)
    hotter, middle, cooler = (float(np.mean([columns[key][k] for key in HEAT_WEIGHTS])) for k in range(3))
    plainly = max(hotter, cooler) - middle >= PLAINLY
    moved = {
        "nozzle_c": plainly or _far(heat[0] - number(plan, "nozzle_c"), heat[1], number(plan, "heat_c")),
        "flow_ratio": _far(
            flow - number(plan, "flow_ratio"),
            flow_error,
            number(plan, "flow_percent") / 100 * number(plan, "flow_ratio"),
        ),
        "retraction_mm": bool(
            columns["strings"][1] < CLEAN and columns["strings"][0] - columns["strings"][1] >= BETTER
        ),
    }
    same = [key for key in CHECKED if not moved[key]]
    away = hotter - cooler if plainly else heat[0] - number(plan, "nozzle_c")
    says, notes = _words(moved, same, away, flow, columns)
    return Result(
        "good" if len(same) == len(CHECKED) else "edge", heat[0], heat[1], heat[0] - heat[1], heat[0] + heat[1], says,
        notes, heat[2], also={key: float(key in same) for key in CHECKED},
        headline=f"{len(same)} of {len(CHECKED)}",
    )  # fmt: skip


def _heat(steps: Sequence[Step], columns: dict[str, Floats]) -> tuple[float, float, Curve]:
    x = np.array([step.value for step in steps])[::-1]
    scores = np.column_stack([columns[key][::-1] for key in HEAT_WEIGHTS])
    found = fit_quality(x, scores, np.array(list(HEAT_WEIGHTS.values())))
    return found.best, max(found.error, 1.0), Curve.of(found.x, found.mean, found.sd, x, found.points)


def _flow(plan: Plan, columns: dict[str, Floats]) -> tuple[float, float]:
    middle, by = number(plan, "flow_ratio"), number(plan, "flow_percent") / 100
    x = middle * (1 + by * np.array([-1.0, 0.0, 1.0]))
    found = fit_vee(x, columns["gaps"], columns["ridges"])
    return found.best, found.error


def _far(away: float, error: float, step: float) -> bool:
    return abs(away) > max(MOVED_STEPS * step, SURE * error)


def _words(
    moved: dict[str, bool], same: Sequence[str], heat: float, flow: float, columns: dict[str, Floats]
) -> tuple[str, tuple[str, ...]]:
    names = {key: BY_KEY[key].name.split(",")[0].lower() for key in CHECKED}
    if len(same) == len(CHECKED):
        says = "The same as before, as far as three stairs can tell: print it with the profile as it is."
    else:
        groups = [g.name.lower() for g in GROUPS if any(BY_KEY[k].group == g.key for k in CHECKED if moved[k])]
        says = f"Not the same: repeat {' and '.join(groups)}."
    notes = []
    if same and len(same) < len(CHECKED):
        notes.append(f"The same as before: {', '.join(names[key] for key in same)}.")
    if moved["nozzle_c"]:
        notes.append(f"It wants to be {'hotter' if heat > 0 else 'cooler'}.")
    if moved["flow_ratio"]:
        notes.append(f"Its tops close nearer to a flow of {flow:.2f}.")
    if moved["retraction_mm"]:
        notes.append("A longer pull-back leaves fewer strings.")
    elif columns["strings"][1] < CLEAN:
        notes.append("Strings are left, but a longer pull-back does no better: dry the spool.")
    return says, tuple(notes)
