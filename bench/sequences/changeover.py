"""Two fields begun right after a change, with both profiles calibrated as far as flow. The truth is how much has to be
pushed, after it comes out, until the colour is so near to the pure one that it counts as clean: what Drumbo looks for,
by how the two really mix. Read by an eye, by a photo, or by both; the photo is of the piece on a sheet of paper, held
askew under a lamp. The habit pushes portions until one looks clean.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PIL import Image

from bench.rig import Drawn, Tally, file_of, here, moves_of, once, read, with_values
from bench.sequences.rising_wall import limit
from drumbo.core.colours import lab
from drumbo.core.families import FAMILIES
from drumbo.core.filament_change import PORTION_MM, USUAL_PURGE_MM
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.profile import start
from drumbo.sight.rectify import View, by_corners
from drumbo.sight.thinning import CLEAN
from drumbo.standins.filament import physics
from drumbo.standins.filament.above import PAPER, top_picture
from drumbo.standins.filament.by_turns import Load, printed_by_turns
from drumbo.standins.filament.feeding import PAST_MM
from drumbo.standins.filament.mixing import Mixing, draw_mixing, unpacked
from drumbo.standins.filament.printing import PrintedObject
from drumbo.standins.phone import photo_of
from drumbo.standins.strips import LOOK_SD
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.readings import Readings

SLUG = "changeover"
LEAST_APART = 25.0
"""L*a*b*: a pair of colours that are closer needs no purge to speak of."""
MARK_PX = 3.0
"""Whoever marks a corner is off by so much, of some two thousand from one side to the other."""
LABEL_OFF = 25.0
"""By how much a label's red, green and blue are off, of 255."""
SHARE, FLOW_SURE, LIMIT_SURE = 0.85, 0.005, 0.1


@dataclass(frozen=True)
class _Print:
    """What came off the bed, and the truths, there and back, mm."""

    plan: Any
    context: Context
    thing: PrintedObject
    truths: tuple[float, float]
    file: Any


def there(spool: Drawn, readers: int) -> Tally:
    """From the first to the second by eye, a share of the truth."""
    return _tallies(spool, readers, _by_eye)[0]


def back(spool: Drawn, readers: int) -> Tally:
    """From the second to the first by eye."""
    return _tallies(spool, readers, _by_eye)[1]


def there_by_photo(spool: Drawn, readers: int) -> Tally:
    """From the first to the second by a photo, a share of the truth."""
    return _tallies(spool, readers, _by_photo)[0]


def back_by_photo(spool: Drawn, readers: int) -> Tally:
    """From the second to the first by a photo."""
    return _tallies(spool, readers, _by_photo)[1]


def there_by_both(spool: Drawn, readers: int) -> Tally:
    """From the first to the second by eye and photo, a share of the truth."""
    return _tallies(spool, readers, _by_both)[0]


def back_by_both(spool: Drawn, readers: int) -> Tally:
    """From the second to the first by eye and photo."""
    return _tallies(spool, readers, _by_both)[1]


def _tallies(spool: Drawn, readers: int, way: Callable[[Drawn, _Print, int], Readings]) -> tuple[Tally, Tally]:
    return once(("changeover", way, spool.seed, spool.number, readers), lambda: _both(spool, readers, way))


def _both(spool: Drawn, readers: int, way: Callable[[Drawn, _Print, int], Readings]) -> tuple[Tally, Tally]:
    made = once(("changeover", spool.seed, spool.number), lambda: _printed(spool))
    rng = np.random.default_rng([spool.seed, spool.number, 62])
    trial, tallies = kind(SLUG), (Tally(), Tally())
    for reader in range(readers):
        result = trial.evaluate(made.plan, way(spool, made, spool.number * readers + reader))
        assert result.also is not None
        found = ((result.value, result.error), (result.also["back"], result.also["back_error"]))
        new = trial.changes(made.plan, result, made.context, 1)
        for tally, (value, error), truth in zip(tallies, found, made.truths, strict=True):
            tally.found(value, error, _by_portions(truth, rng), truth, USUAL_PURGE_MM, shares=True, new=new)
    for tally in tallies:
        tally.cost([made.file])
    return tallies


def _printed(spool: Drawn) -> _Print:
    rng = np.random.default_rng([spool.seed, spool.number, 61])
    kin = FAMILIES[(spool.number + 3) % len(FAMILIES)]
    material = Material("-", "other", kin.key, "-", "#000000", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    hot = spool.context.profile.number("nozzle_c")
    right = {
        "nozzle_c": (hot, 1.0),
        "flow_ratio": (round(1 / physics.fed_share(spool.spool), 3), FLOW_SURE),
        "max_flow_mm3_s": (round(SHARE * limit(spool, hot), 1), LIMIT_SURE),
    }
    plain = start("other", material, spool.context.printer)
    second = with_values(replace(spool.context, profile=plain), right).profile
    colours = _two_colours(rng)
    context = replace(
        with_values(spool.context, right),
        material=replace(spool.context.material, colour_hex=_as_labelled(colours[0], rng)),
        other=Partner(replace(material, colour_hex=_as_labelled(colours[1], rng)), second),
    )  # fmt: skip
    first = (spool.spool.family, spool.spool.seed, colours[0])
    last = (kin.key, spool.seed * 10_000 + spool.number + 5_000, colours[1])
    trial = kind(SLUG)
    plan = replace(trial.suggest(context), most_mm=240)
    file = file_of(trial, plan, context)
    thing = printed_by_turns(
        moves_of(file.gcode), spool.spool, [first, last, first], trial.pauses(plan, context), here()
    )
    return _Print(plan, context, thing, (_truth(first, last), _truth(last, first)), file)


def _by_eye(spool: Drawn, made: _Print, seed: int) -> Readings:
    del spool
    return read(kind(SLUG), made.plan, made.context, made.thing, seed)


def _by_photo(spool: Drawn, made: _Print, seed: int) -> Readings:
    trial, readings = kind(SLUG), Readings()
    for one in trial.read_photo(made.plan, made.context, _photo(spool, made, seed)):
        readings = readings.with_photo(one.measure, one.step, one.site, one.number, one.error)
    return readings


def _by_both(spool: Drawn, made: _Print, seed: int) -> Readings:
    return replace(_by_eye(spool, made, seed), photographed=_by_photo(spool, made, seed).photographed)


def _photo(spool: Drawn, made: _Print, seed: int) -> View:
    """Somebody's photo of the piece, with its corners marked by hand."""
    rng = np.random.default_rng([spool.seed, seed, 63])
    picture, frame = once(("picture", spool.seed, spool.number), lambda: top_picture(made.thing, on=PAPER))
    photo, marks = photo_of(picture, rng), kind(SLUG).photo_marks(made.plan, made.context)
    assert marks is not None
    places = np.array([place for _, *place in marks.corners])
    on_bed = places + made.context.printer.bed_middle
    camera = (on_bed - [frame.left_mm, frame.bottom_mm]) * frame.px_per_mm * [1, -1] + [0, frame.height]
    marked = photo.places(camera) + rng.normal(0, MARK_PX, camera.shape)
    with Image.open(io.BytesIO(photo.jpeg)) as image:
        return by_corners(np.asarray(image), places.tolist(), marked.tolist())


def _two_colours(rng: np.random.Generator) -> tuple[str, str]:
    while True:
        one, other = (int(rng.integers(1 << 24)) for _ in range(2))
        if np.linalg.norm(np.diff(lab(unpacked([one, other])), axis=0)) > LEAST_APART:
            return f"#{one:06x}", f"#{other:06x}"


def _as_labelled(colour: str, rng: np.random.Generator) -> str:
    """What somebody chooses for it by the words of a label."""
    told = unpacked([int(colour[1:], 16)])[0] + rng.normal(0, LABEL_OFF, 3)
    return "#" + bytes(np.clip(told, 0, 255).astype(np.uint8)).hex()


def _truth(old: Load, new: Load) -> float:
    mixing: Mixing = draw_mixing(old[:2], new[:2], here())
    ends = unpacked([int(each[2][1:], 16) for each in (old, new)])
    pushed = np.arange(0.0, 400.0, 0.1)
    share = np.array([mixing.old_share(PAST_MM + p) for p in pushed])[:, None]
    off = np.linalg.norm(lab(share * ends[0] + (1 - share) * ends[1]) - lab(ends[1:]), axis=1)
    return float(pushed[np.argmax(off <= CLEAN)])


def _by_portions(truth: float, rng: np.random.Generator) -> float:
    """Whoever pushes portions stops after the first whose end looks clean."""
    return float(np.ceil(max(truth * np.exp(rng.normal(0, LOOK_SD)), 1.0) / PORTION_MM) * PORTION_MM)
