"""What three stairs say of a batch: is the middle one, printed as the profile has it, still right?

Three looks cannot find a value anew. They can tell whether it moved by about a step: then its own trial says where to.
One look in some slips, and there are eighteen: what seems to have moved is looked at again before it sends anybody to a
trial.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from drumbo.core.catalogue import BY_KEY, GROUPS
from drumbo.core.fit.quality import fit_quality
from drumbo.core.fit.vee import fit_vee
from drumbo.trials.batch_check.plan import Plan
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.toolkit.checklist import LOOK_AGAIN, ONCE

Floats = NDArray[np.float64]

CHECKED = ("nozzle_c", "flow_ratio", "retraction_mm")
HEAT_WEIGHTS = {"bridge": 0.35, "surface": 0.3, "bond": 0.35}
BALANCE, C_PER_POINT, BALANCE_SD_C = 4.2, 1.0, 5.0
BURNS, WISPS, COLD = 2.0, 1.0, 2.25
"""What heat gives to bond and faces it takes from bridges, and it draws strings. Bridges and strings tell how near too
hot is, bond and faces of the two cooler stairs how near too cold: `balance` of their scores where the heat is right, °C
for a point away from it, how well that tells, and the weights, which make up for whoever scores everything higher. Set
once, on stand-in spools whose heat was right and up to 20 °C off; bench/batch.py shows how it does on others.
"""
TELLS = {
    "nozzle_c": (*HEAT_WEIGHTS, "strings"), "flow_ratio": ("gaps", "ridges"), "retraction_mm": ("strings", "bridge"),
}  # fmt: skip
"""Which scores tell of which value."""
MOVED_C = 7.0
MOVED_STEPS = 1.05
"""A flow whose best lies more than so much of a step away counts as moved, if that is more than its error."""
SURE = 0.7
CLEAN, BETTER, WORSE = 3, 2, 3
"""Strings on the middle stair that are fine whatever the others show. Where there are more, the retraction counts as
moved if the longer one does so much better, or leaves too many too; and if strings got so many points less than
bridges, all stairs together: somebody strict is strict with both.
"""


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings, names: Mapping[str, str]) -> Result:
    """Same or moved, each of the three; few while the stairs are not all scored. `names` are the aspects'."""
    keys = (*HEAT_WEIGHTS, "gaps", "ridges", "strings")
    columns = {key: readings.column(key, steps) for key in keys}
    missing = sum(int(np.isnan(column).sum()) for column in columns.values())
    if missing:
        return Result("few", says=f"{missing} of {len(keys) * len(steps)} scores are open.")
    wants_c = C_PER_POINT * (balance(columns) - BALANCE)
    curve = _curve(steps, columns)
    flow, flow_error = _flow(plan, columns)
    moved = {
        "nozzle_c": abs(wants_c) > MOVED_C,
        "flow_ratio": _far(
            flow - plan.flow_ratio,
            flow_error,
            plan.flow_percent / 100 * plan.flow_ratio,
        ),
        "retraction_mm": _too_short(columns),
    }
    same = [key for key in CHECKED if not moved[key]]
    if len(same) < len(CHECKED) and plan.looked == ONCE:
        says = f"{LOOK_AGAIN}: {', '.join(names[key].lower() for key in to_look_at(moved))}."
        notes: tuple[str, ...] = (
            "Score these again on all three stairs. If they still say so, choose “looked at again” below.",
        )
    else:
        says, notes = _words(moved, same, wants_c, flow, columns)
    value = plan.nozzle_c + wants_c
    low, high = value - BALANCE_SD_C, value + BALANCE_SD_C
    return Result(
        "good" if len(same) == len(CHECKED) else "edge", value, BALANCE_SD_C, low, high, says, notes, curve,
        also={key: float(key in same) for key in CHECKED}, headline=f"{len(same)} of {len(CHECKED)}",
    )  # fmt: skip


def to_look_at(moved: Mapping[str, bool]) -> tuple[str, ...]:
    """The aspects that tell of what seems to have moved."""
    return tuple(dict.fromkeys(aspect for key in CHECKED if moved[key] for aspect in TELLS[key]))


def balance(columns: dict[str, Floats]) -> float:
    """How much better off bridges and strings are than bond and faces, in scores: above `BALANCE` it wants more heat.

    Bridges 4 3 3, strings 3 4 4, faces 4 4 3 and bond 4 4 3 from the hottest stair on: 2·10 + 11 − 2.25·(7 + 7) = −0.5.
    """
    bridge, surface, bond = (columns[key] for key in HEAT_WEIGHTS)
    warm = BURNS * bridge.sum() + WISPS * columns["strings"].sum()
    return float(warm - COLD * (surface[1:].sum() + bond[1:].sum()))


def _too_short(columns: dict[str, Floats]) -> bool:
    longer, strings, _ = columns["strings"]
    poor = strings < CLEAN and (longer < CLEAN or longer - strings >= BETTER)
    return bool(poor and columns["bridge"].sum() - columns["strings"].sum() >= WORSE)


def _curve(steps: Sequence[Step], columns: dict[str, Floats]) -> Curve:
    x = np.array([step.value for step in steps])[::-1]
    scores = np.column_stack([columns[key][::-1] for key in HEAT_WEIGHTS])
    found = fit_quality(x, scores, np.array(list(HEAT_WEIGHTS.values())))
    return Curve.of(found.x, found.mean, found.sd, x, found.points)


def _flow(plan: Plan, columns: dict[str, Floats]) -> tuple[float, float]:
    middle, by = plan.flow_ratio, plan.flow_percent / 100
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
        strings = columns["strings"]
        helps = strings[0] - strings[1] >= BETTER
        notes.append(
            "A longer retraction leaves fewer strings."
            if helps
            else "Strings are left, and a longer retraction does no better: dry the spool first."
        )
    elif columns["strings"][1] < CLEAN:
        notes.append("A few strings are left; a dry spool may do without.")
    return says, tuple(notes)
