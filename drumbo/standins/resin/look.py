"""The practised eye on what has set: fine features that stand, gaps that are open, a bottom that holds.

It knows no trial: what is a pin, a gap or a support is told from the pictures of the layers. The curves are set once
per aspect on ordinary grounds.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from drumbo.standins import eye
from drumbo.standins.eye import Box
from drumbo.standins.resin import physics
from drumbo.standins.resin.bottle import Bottle
from drumbo.standins.resin.slung import sloped_safety
from drumbo.standins.resin.spots import COARSE_MM, FINE_MM, LitSpot, gaps, islands, numbered, spots, windows
from drumbo.standins.resin.thing import Cured
from drumbo.standins.resin.tools import TOOLS, measure
from drumbo.standins.tools import JawsOnBed

FOOT_MM = 0.09
"""A flare of so much halves the score."""
STUCK = 2.6
"""At so many times the light that half holds, a bottom wants a chisel."""
MOST_LAYERS = 9
MARK_MM = 0.45
"""A tip so wide leaves a mark that is plainly seen, and sanded off."""
PRESS_MM, PLAY_MM = 0.02, 0.07
"""A plug so much smaller than its socket presses in; so much looser or tighter is no fit."""
ALIKE = 0.25


def _layers(thing: Cured, box: Box) -> list[int]:
    """Layers to look at within a box's height: one of each sort, and of many sorts some, evenly from below to above."""
    low, high = thing.layer_at(box[0][2] + 1e-6), thing.layer_at(box[1][2] - 1e-6)
    chosen: dict[tuple[int, float, float], int] = {}
    for number in range(low, high + 1):
        layer = thing.layer(number)
        chosen.setdefault((thing.which[number], layer.lift.mm_min, layer.rest_before_s), number)
    sorts = list(chosen.values())
    return [sorts[k] for k in np.unique(np.linspace(0, len(sorts) - 1, MOST_LAYERS).astype(int))]


def _firm(thing: Cured, number: int, spot: LitSpot) -> float:
    return physics.green(thing.through(number, spot.x, spot.y), thing.bottle.greens)


def _stands(thing: Cured, number: int, spot: LitSpot) -> bool:
    lift = thing.layer(number).lift
    least = physics.thinnest_mm(thing.bottle.thin_mm, _firm(thing, number, spot), lift.mm_min, thing.bottle.tears)
    return spot.width_mm >= least


def lost(thing: Cured, number: int) -> list[LitSpot]:
    """Fine pins and fins of a layer that did not stand."""
    (wide, deep), top = thing.screen.size_mm, float(thing.tops_mm[-1])
    whole: Box = ((-wide / 2, -deep / 2, 0.0), (wide / 2, deep / 2, top))
    return [spot for spot in islands(thing, number, whole) if not _stands(thing, number, spot)]


def share_standing(thing: Cured, box: Box) -> float:
    """Share of fine pins and fins that stand."""
    seen = [_stands(thing, number, spot) for number in _layers(thing, box) for spot in islands(thing, number, box)]
    return float(np.mean(seen)) if seen else 1.0


def share_open(thing: Cured, box: Box) -> float:
    """Share of fine holes and slots that are open."""
    seen = [_is_open(thing, number, gap) for number in _layers(thing, box) for gap in gaps(thing, number, box)]
    return float(np.mean(seen)) if seen else 1.0


def width_left(thing: Cured, box: Box) -> float:
    """Share of fine gaps' widths that is left, on average: one that runs shut is seen before it closes."""
    seen = [_left_mm(thing, number, gap) / gap.width_mm for number in _layers(thing, box)
            for gap in gaps(thing, number, box)]  # fmt: skip
    return float(np.mean(np.clip(seen, 0, 1))) if seen else 1.0


def _is_open(thing: Cured, number: int, gap: LitSpot) -> bool:
    middle = float(thing.beside(number, np.array([gap.x]), np.array([gap.y]))[0])
    return middle < 1 and _left_mm(thing, number, gap) > thing.bottle.clogs_mm


def _left_mm(thing: Cured, number: int, gap: LitSpot) -> float:
    """What is left of a gap once its sides have grown and smeared."""
    smear = physics.smear_mm(thing.layer(number).rest_before_s, thing.bottle.settles_s)
    # How far its sides have grown, by the dose a good way into them.
    aside = gap.width_mm / 2 + 4 * thing.bottle.bleed_mm
    deep = float(thing.beside(number, np.array([gap.x + aside, gap.x - aside]), np.array([gap.y, gap.y])).max())
    grown = physics.growth_mm(deep, thing.bottle.bleed_mm, thing.bottle.tail)
    return gap.width_mm - 2 * grown - smear


def _stand(thing: Cured, box: Box) -> float:
    return 4.0 * share_standing(thing, box)


def _open(thing: Cured, box: Box) -> float:
    return 4.0 * share_open(thing, box)


def _carried(thing: Cured, box: Box) -> list[tuple[int, list[LitSpot], float]]:
    """Roofs that stand on fine supports within a box: the last layer of these, where they are, and the roof's area."""
    key = ("carried", *box)
    if key not in thing.seen:
        thing.seen[key] = _find_carried(thing, box)
    return thing.seen[key]


def _find_carried(thing: Cured, box: Box) -> list[tuple[int, list[LitSpot], float]]:
    low, high = thing.layer_at(box[0][2] + 1e-6), thing.layer_at(box[1][2] - 1e-6)
    found = []
    for number in range(low, high):
        if thing.which[number] == thing.which[number + 1]:
            continue
        (below, above), left, rear = windows(thing, [number, number + 1], box)
        roof = above & ~below
        labels, count = ndimage.label(above)
        places = np.arange(1, count + 1)
        above_px, roof_px = (ndimage.sum_labels(mask, labels, places) for mask in (above, roof))
        for place in places[(roof_px >= 4 * (above_px - roof_px)) & (roof_px > 0)]:
            mine = labels == place
            posts = spots(below & mine, left, rear, thing.screen.pixel_mm)
            if not posts or max(s.width_mm for s in posts) > FINE_MM:
                continue
            found.append((number, posts, float(mine.sum()) * thing.screen.pixel_mm**2))
    return found


def safety(thing: Cured, box: Box) -> float:
    """How safely the worst of the supported roofs in a box was held: 1 is just enough; infinite where there is none."""
    worst = math.inf
    for number, posts, area in _carried(thing, box):
        held = thing.bottle.holds * sum(s.area_mm2 * _firm(thing, number, s) for s in posts)
        worst = min(worst, physics.carried(held, 1.0, area, thing.layer(number + 1).lift.mm_min))
    return worst


def _supports(thing: Cured, box: Box) -> float:
    """Supports beneath a roof: 4 where they hold twice what they must, 0 where they hold half of it."""
    return _held(safety(thing, box))


def _slopes(thing: Cured, box: Box) -> float:
    """The same beneath what slopes."""
    return _held(sloped_safety(thing, box))


def _held(worst: float) -> float:
    return float(4.0 / (1 + max(worst, 1e-3) ** -3.2)) if math.isfinite(worst) else 4.0


def _marks(thing: Cured, box: Box) -> float:
    """What supports leave where they were taken off: 2 for tips of `MARK_MM`."""
    widths = [2 * math.sqrt(s.area_mm2 / math.pi) for _, posts, _ in _carried(thing, box) for s in posts]
    return float(4.0 / (1 + (float(np.mean(widths)) / MARK_MM) ** 2.5)) if widths else 4.0


def _fit(thing: Cured, box: Box) -> float:
    """A plug in the socket drawn for it: 4 where it goes in by hand and holds, less the looser or tighter it is."""
    play = _play_mm(thing, box)
    return 4.0 if play is None else float(4.0 * math.exp(-(((play - PRESS_MM) / PLAY_MM) ** 2)))


def _play_mm(thing: Cured, box: Box) -> float | None:
    """By how much the widest hole within a box is wider than what stands by itself and is nearest to it in width."""
    number, pixel = (thing.layer_at((box[0][2] + box[1][2]) / 2)), thing.screen.pixel_mm
    (bits,), left, rear = windows(thing, [number], box)
    holes, count = ndimage.label(~bits)
    closed = [s for s in numbered(holes, left, rear, pixel) if FINE_MM < s.width_mm < COARSE_MM] if count > 1 else []
    plugs = [s for s in spots(bits, left, rear, pixel) if FINE_MM < s.width_mm < COARSE_MM]
    pairs = [(abs(hole.width_mm - plug.width_mm), hole, plug) for hole in closed for plug in plugs
             if abs(hole.area_mm2 - plug.area_mm2) < ALIKE * hole.area_mm2]  # fmt: skip
    if not pairs:
        return None
    _, hole, plug = min(pairs, key=lambda pair: pair[0])
    grown = [
        physics.growth_mm(_deep(thing, number, spot, out), thing.bottle.bleed_mm, thing.bottle.tail)
        for spot, out in ((hole, 1), (plug, 0))
    ]
    return math.sqrt(hole.area_mm2) - math.sqrt(plug.area_mm2) - 2 * sum(grown)


def _deep(thing: Cured, number: int, spot: LitSpot, out: int) -> float:
    """Dose a good way within what stands: of a plug itself, or beside a hole."""
    aside = out * (spot.width_mm / 2 + 6 * thing.bottle.bleed_mm)
    return float(thing.beside(number, np.array([spot.x + aside]), np.array([spot.y]))[0])


def overdose(thing: Cured, box: Box) -> float:
    """Dose of the first layer at the middle of a box's largest part, in units of the critical energy."""
    (bits,), left, rear = windows(thing, [0], box)
    found = max(spots(bits, left, rear, thing.screen.pixel_mm), key=lambda s: s.width_mm, default=None)
    if found is None:
        return 0.0
    return float(thing.light(0, np.array([found.x]), np.array([found.y]))[0]) / thing.critical


def sticks(over: float, bottle: Bottle) -> float:
    """0..4: a bottom that was given so many times the critical energy holds to the plate."""
    return 4.0 * physics.hold(over, bottle.sticks)


def clean(over: float, bottle: Bottle) -> float:
    """0..4: its foot is not flared, and comes off by hand."""
    flare = max(bottle.flares * physics.growth_mm(over, bottle.bleed_mm, bottle.tail), 0.0)
    return float(4.0 / (1 + (flare / FOOT_MM) ** 2.5) / (1 + (over / (STUCK * bottle.sticks)) ** 4))


def _sticks(thing: Cured, box: Box) -> float:
    return sticks(overdose(thing, box), thing.bottle)


def _clean(thing: Cured, box: Box) -> float:
    return clean(overdose(thing, box), thing.bottle)


ASPECTS: dict[str, Callable[[Cured, Box], float]] = {
    "stand": _stand, "open": _open, "supports": _supports, "slopes": _slopes, "sticks": _sticks, "clean": _clean,
    "marks": _marks, "fit": _fit,
}  # fmt: skip
SIGNS: dict[str, Callable[[Cured, Box], float]] = {"missing": share_standing, "smeared": width_left}
"""What may begin at one box of many, by the share that is free of it."""


def exact_scores(thing: Cured, boxes: Sequence[Box], aspects: Sequence[str]) -> NDArray[np.float64]:
    """(boxes, aspects) scores 0..4 without any noise."""
    return np.array([[ASPECTS[aspect](thing, box) for aspect in aspects] for box in boxes])


def look(thing: Cured, boxes: Sequence[Box], aspects: Sequence[str], seed: int) -> NDArray[np.int64]:
    """(boxes, aspects) whole scores 0..4 as a person gives them."""
    return eye.as_seen(exact_scores(thing, boxes, aspects), np.random.default_rng([seed, thing.digest]))


def first_seen(thing: Cured, boxes: Sequence[Box], signs: Sequence[str], seed: int | None = None) -> dict[str, int]:
    """The box from which on each sign is there, or the number of boxes where none shows it. Without a seed nobody errs.

    A sign is plain once a good quarter of what was whole on the best box beneath is not.
    """
    shares = np.array([[SIGNS[sign](thing, box) for sign in signs] for box in boxes])
    exact = 4.0 * (shares / np.maximum(np.maximum.accumulate(shares, axis=0), 1e-6)) ** 2
    scores = np.rint(exact) if seed is None else eye.as_seen(exact, np.random.default_rng([seed, thing.digest, 3]))
    return {sign: eye.begins(scores[:, column] <= eye.PLAIN) for column, sign in enumerate(signs)}


def measure_all(thing: Cured, places: Sequence[JawsOnBed], seed: int) -> list[float | None]:
    """What a person reads off the tool at every place, None where there is nothing to measure."""
    rng = np.random.default_rng([seed, thing.digest, 2])
    numbers = (measure(thing, jaws, rng) for jaws in places)
    return [None if number is None else eye.read_off(number, DIGITS.get(jaws.tool, 0.1), rng)
            for number, jaws in zip(numbers, places, strict=True)]  # fmt: skip


def pins(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """How many fine pins stand within a box."""
    number, box = _within(thing, jaws)
    return _counted([_stands(thing, number, spot) for spot in islands(thing, number, box)], rng)


def slits(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """How many fine gaps within a box light comes through."""
    number, box = _within(thing, jaws)
    return _counted([_is_open(thing, number, gap) for gap in gaps(thing, number, box)], rng)


def _within(thing: Cured, jaws: JawsOnBed) -> tuple[int, Box]:
    (x0, y0), (x1, y1) = jaws.a, jaws.b
    return thing.layer_at(jaws.z), ((x0, y0, 0.0), (x1, y1, float(thing.tops_mm[-1])))


def _counted(each: Sequence[bool], rng: np.random.Generator) -> float | None:
    """As somebody counts who is one off now and then."""
    slips = int(rng.choice((-1, 1))) if rng.random() < MISCOUNTED else 0
    return float(min(max(sum(each) + slips, 0), len(each))) if each else None


TOOLS.update({"pins": pins, "slits": slits})
DIGITS = {"skin": 0.01, "pins": 1.0, "slits": 1.0}
MISCOUNTED = 0.08
