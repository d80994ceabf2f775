"""Two fields begun right after a change. The truth is how much has to be pushed, after it comes out, until what is left
of the other is not told from nothing by an ordinary look. The habit pushes portions until one looks clean.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.rig import Drawn, Tally, file_of, here, moves_of, once, read
from drumbo.core.families import FAMILIES
from drumbo.core.filament_change import PORTION_MM, USUAL_PURGE_MM
from drumbo.core.pair import Partner
from drumbo.core.profile import start
from drumbo.core.workshop import Material
from drumbo.standins.filament.by_turns import Load, printed_by_turns
from drumbo.standins.filament.device import PAST_MM
from drumbo.standins.filament.mixing import Mixing, draw_mixing, unpacked
from drumbo.standins.strips import FARTHEST, LOOK_SD, SEEN
from drumbo.trials import kind

SLUG = "changeover"
LEAST_APART = 0.25
"""Of the way from black to white: a pair of colours that are closer needs no purge to speak of."""


def there(spool: Drawn, readers: int) -> Tally:
    """From the first to the second, a share of the truth."""
    return once(("changeover", spool.seed, spool.number, readers), lambda: _both(spool, readers))[0]


def back(spool: Drawn, readers: int) -> Tally:
    """From the second to the first."""
    return once(("changeover", spool.seed, spool.number, readers), lambda: _both(spool, readers))[1]


def _both(spool: Drawn, readers: int) -> tuple[Tally, Tally]:
    rng = np.random.default_rng([spool.seed, spool.number, 61])
    kin = FAMILIES[(spool.number + 3) % len(FAMILIES)]
    material = Material("-", "other", kin.key, "-", "#000000", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    other = Partner(material, start("other", material, spool.context.printer))
    context = replace(spool.context, other=other)
    colours = _two_colours(rng)
    first = (spool.spool.family, spool.spool.seed, colours[0])
    second = (kin.key, spool.seed * 10_000 + spool.number + 5_000, colours[1])
    trial, tallies = kind(SLUG), (Tally(), Tally())
    plan = replace(trial.suggest(context), most_mm=240)
    file = file_of(trial, plan, context)
    thing = printed_by_turns(
        moves_of(file.gcode), spool.spool, [first, second, first], trial.pauses(plan, context), here()
    )
    truths = [_truth(old, new) for old, new in ((first, second), (second, first))]
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        assert result.also is not None
        found = ((result.value, result.error), (result.also["back"], result.also["back_error"]))
        new = trial.changes(plan, result, context, 1)
        for tally, (value, error), truth in zip(tallies, found, truths, strict=True):
            tally.found(value, error, _by_portions(truth, rng), truth, USUAL_PURGE_MM, shares=True, new=new)
    for tally in tallies:
        tally.cost([file])
    return tallies


def _two_colours(rng: np.random.Generator) -> tuple[str, str]:
    while True:
        one, other = (int(rng.integers(1 << 24)) for _ in range(2))
        if _apart(one, other) > LEAST_APART:
            return f"#{one:06x}", f"#{other:06x}"


def _apart(one: int, other: int) -> float:
    two = unpacked([one, other])
    return float(np.linalg.norm(two[0] - two[1]) / FARTHEST)


def _truth(old: Load, new: Load) -> float:
    mixing: Mixing = draw_mixing(old[:2], new[:2], here())
    apart, pushed = _apart(int(old[2][1:], 16), int(new[2][1:], 16)), np.arange(0.0, 400.0, 0.1)
    left = np.array([mixing.old_share(PAST_MM + p) for p in pushed]) * apart
    return float(pushed[np.argmax(left <= SEEN)])


def _by_portions(truth: float, rng: np.random.Generator) -> float:
    """Whoever pushes portions stops after the first whose end looks clean."""
    return float(np.ceil(max(truth * np.exp(rng.normal(0, LOOK_SD)), 1.0) / PORTION_MM) * PORTION_MM)
