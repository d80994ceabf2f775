"""The practised eye: an object in, the scores out that an experienced maker would give, with human noise.

The curves are set once per aspect on ordinary grounds: 0.3 mm of sag is seen, 0.05 mm is not.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.filament.physics import openness, ridging
from drumbo.standins.filament.printing import PrintedObject
from drumbo.standins.fits import gap_round
from drumbo.standins.tools import JawsOnBed, NothingThere, measure
from drumbo.standins.worlds import who_looks

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
Box = tuple[tuple[float, float, float], tuple[float, float, float]]
"""Lowest and highest corner of what belongs to a step, mm on the bed."""


@dataclass(frozen=True, slots=True)
class Around:
    """What else belongs to a step: its travels, and where its roads start after a pull-back and end before one."""

    travels: Mask
    starts: Mask
    ends: Mask


LOOK_NOISE, SESSION_BIAS, WRONG_LOOKS = 0.45, 0.3, 1 / 30
MISREAD = 1 / 200


def _bridge(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Sag of the longest bridges in the band, mm → score; 0.35 mm halves it."""
    spans = thing.geometry.span_mm
    long = band & (spans > 0.6 * spans[band].max(initial=0.0)) & (spans > 5)
    if not long.any():
        return 4.0
    return 4.0 * _falls(float(np.quantile(thing.sag_mm[long], 0.9)), 0.42, 2.2)


def _overhang(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Droop and curl of overhanging edges, mm; 0.35 mm halves the score."""
    hanging = band & (thing.geometry.angle_deg > 50) & (thing.geometry.angle_deg < 85)
    if not hanging.any():
        return 4.0
    edge = thing.droop_mm[hanging] + 1.2 * thing.curl_mm[hanging]
    return 4.0 * _falls(float(np.quantile(edge, 0.75)), 0.38, 2.2)


def _strings(thing: PrintedObject, _band: Mask, around: Around) -> float:
    """Strings per travel through the air, mm³; a hair of 0.1 mm over 6 mm is 0.05 mm³."""
    crossing = around.travels & (thing.geometry.travel_air_mm > 1.0)
    if not crossing.any():
        return 4.0
    return 4.0 * _falls(float(thing.string_mm3[crossing].mean()), 0.012, 1.1)


def _surface(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Gaps, a matt or patchy face, browning."""
    gaps = float(thing.missing[band].mean())
    matt = 1.0 - float(thing.gloss[band].mean())
    burnt = float(thing.damage[band].mean())
    return 4.0 * _falls(gaps, 0.08, 1.5) * _falls(matt, 0.62, 3.0) * (1.0 - burnt)


def _bond(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """How hard a neck is to snap: share of the bulk's strength; a half is passable."""
    share = float(np.quantile(thing.bond[band], 0.25))
    return float(4.0 / (1.0 + np.exp(-(share - 0.5) / 0.13)))


def _tip(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """A small part that was still soft when its next layer came: a quarter of the time too little is plain."""
    layer = thing.geometry.layer[band]
    first = int(layer.min())
    pieces = np.bincount(layer - first)
    by_layer = np.bincount(layer - first, thing.slump[band]) / np.maximum(pieces, 1)
    return 4.0 * _falls(float(np.quantile(by_layer[pieces > 0], 0.8)), 0.25, 1.8)


def _joint(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """How a peg comes off what it was laid on: share of the plastic's own strength; at three quarters that breaks."""
    if thing.joint is None:
        return 0.0
    lowest = band & (thing.geometry.layer == thing.geometry.layer[band].min())
    share = float(thing.joint.strength(thing.nozzle_c[lowest], thing.geometry.fan[lowest]).mean())
    return float(4.0 / (1.0 + np.exp(-(share - 0.5) / 0.13)))


def _gaps(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Lines and pin-holes between the roads of a top: 3 % of it open is plain to see."""
    fill = _top_fill(thing, band)
    return 4.0 * _falls(float(openness(fill, thing.dead).mean()), 0.03, 1.3) if len(fill) else 0.0


def _ridges(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Ridges between the roads of a top: 4 % too much is plain to feel."""
    fill = _top_fill(thing, band)
    return 4.0 * _falls(float(ridging(fill, thing.dead, thing.leans).mean()), 0.04, 1.3) if len(fill) else 4.0


def _top_fill(thing: PrintedObject, band: Mask) -> Floats:
    """How full the roads seen from above lie, away from where they run into a wall."""
    pitch = thing.geometry.pitch_mm
    seen = band & thing.geometry.bare & np.isfinite(pitch)
    if not seen.any():
        return np.empty(0)
    usual = np.median(pitch[seen])
    return thing.fill[seen & (np.abs(pitch - usual) < 0.1 * usual)]


def _restart(thing: PrintedObject, _band: Mask, around: Around) -> float:
    """A blob or a gap where roads start again, mm of filament; 0.3 mm (a pin's head of 0.7 mm³) is plain."""
    return 4.0 * _falls(_mean(np.abs(thing.start_surplus_mm), around.starts), 0.32, 2.0)


def _start_gap(thing: PrintedObject, _band: Mask, around: Around) -> float:
    return 4.0 * _falls(_mean(np.clip(-thing.start_surplus_mm, 0, None), around.starts), 0.09, 1.5)


def _start_blob(thing: PrintedObject, _band: Mask, around: Around) -> float:
    return 4.0 * _falls(_mean(np.clip(thing.start_surplus_mm, 0, None), around.starts), 0.11, 1.5)


def _end_gap(thing: PrintedObject, _band: Mask, around: Around) -> float:
    return 4.0 * _falls(_mean(np.clip(-thing.end_surplus_mm, 0, None), around.ends), 0.12, 1.5)


def _end_blob(thing: PrintedObject, _band: Mask, around: Around) -> float:
    return 4.0 * _falls(_mean(np.clip(thing.end_surplus_mm, 0, None), around.ends), 0.14, 1.5)


def _mean(values: Floats, which: Mask) -> float:
    return float(values[which].mean()) if which.any() else 0.0


def _bulges(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """A road that is wider where the head brakes: 8 % of its width is plain to see from above."""
    return 4.0 * _falls(max(swelling(thing, band), 0.0), 0.08, 1.3)


def _thins(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """A road that is thinner where the head brakes and wider where it pulls away."""
    return 4.0 * _falls(max(-swelling(thing, band), 0.0), 0.08, 1.3)


def swelling(thing: PrintedObject, band: Mask) -> float:
    """How far the width departs where the head brakes or pulls away, as a share of it; above 0 where braking swells.

    An eye knows where on the sheet the head brakes: there an untuned nozzle gives too much.
    """
    top = band & (thing.geometry.z > thing.geometry.z[band].max() - 1e-3) if band.any() else band
    if not top.any():
        return 0.0
    where = thing.untuned[top] - 1.0
    width = thing.width_mm[top] / max(float(np.median(thing.width_mm[top])), 1e-6) - 1.0
    lean = float((where @ width) / max(float(where @ where), 1e-9))
    return lean * float(np.quantile(np.abs(where), 0.85))


def _corners(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """Walls that are wider or thinner where the head brakes and pulls away: 8 % of the width is plain."""
    where, width = thing.untuned[band] - 1.0, thing.lag[band] - 1.0
    lean = float((where @ width) / max(float(where @ where), 1e-9))
    return 4.0 * _falls(abs(lean) * float(np.quantile(np.abs(where), 0.9)), 0.08, 1.3)


def _fits(thing: PrintedObject, band: Mask, _around: Around) -> float:
    """How a pin goes into its hole: not at all, by force, by hand and holds, turns stiffly, turns freely."""
    return float(np.interp(gap_round(thing, band), (-0.06, -0.02, 0.02, 0.07, 0.14), (0, 1, 2, 3, 4)))


def _matt(thing: PrintedObject, bands: Sequence[Mask]) -> list[float]:
    """How much of its gloss a wall has lost against the glossiest part beneath: a loss of half is plain."""
    gloss = [float(thing.gloss[band].mean()) for band in bands]
    best = np.maximum.accumulate(gloss)
    return [4.0 * _falls(1.0 - here / beneath, 0.5, 3.5) for here, beneath in zip(gloss, best, strict=True)]


def _holes(thing: PrintedObject, bands: Sequence[Mask]) -> list[float]:
    """Share of a wall that is missing: one part in ten is plain to see."""
    return [4.0 * _falls(float(thing.missing[band].mean()), 0.10, 2.2) for band in bands]


def _parting(thing: PrintedObject, bands: Sequence[Mask]) -> list[float]:
    """Layers that part by themselves or when the wall is squeezed: they hold a third of what they could, or less."""
    return [4.0 * _falls(1.0 - float(((1.0 - thing.missing[band]) ** 2).mean()), 0.63, 4.0) for band in bands]


def _falls(measure: float, half: float, steep: float) -> float:
    return float(1.0 / (1.0 + (max(measure, 0.0) / half) ** steep))


ASPECTS: dict[str, Callable[[PrintedObject, Mask, Around], float]] = {
    "bridge": _bridge,
    "overhang": _overhang,
    "strings": _strings,
    "surface": _surface,
    "bond": _bond,
    "tip": _tip,
    "gaps": _gaps,
    "ridges": _ridges,
    "joint": _joint,
    "restart": _restart,
    "start-gap": _start_gap,
    "start-blob": _start_blob,
    "end-gap": _end_gap,
    "end-blob": _end_blob,
    "bulges": _bulges,
    "thins": _thins,
    "corners": _corners,
    "fits": _fits,
}
BEGINS: dict[str, Callable[[PrintedObject, Sequence[Mask]], list[float]]] = {
    "matt": _matt, "gaps": _holes, "splits": _parting,
}  # fmt: skip
"""What may begin at one band of many, by how plainly each band is free of it, 0..4."""
PLAIN = 2
"""A sign is there where its aspect gets no more than this."""


def exact_scores(thing: PrintedObject, boxes: Sequence[Box], aspects: Sequence[str]) -> NDArray[np.float64]:
    """(boxes, aspects) scores 0..4 without any noise."""
    shape = thing.geometry
    middle = np.column_stack([(shape.a + shape.b) / 2, shape.z])
    travel = np.column_stack([(shape.travel_a + shape.travel_b) / 2, shape.travel_z])
    start, end = (np.column_stack(c) for c in ((shape.start_at, shape.start_z), (shape.end_at, shape.end_z)))
    scores = np.empty((len(boxes), len(aspects)))
    for row, box in enumerate(boxes):
        band = within(middle, box)
        around = Around(within(travel, box), within(start, box), within(end, box))
        for column, aspect in enumerate(aspects):
            scores[row, column] = ASPECTS[aspect](thing, band, around) if band.any() else 0.0
    return 4.0 - (4.0 - scores) * thing.hides


def within(points: Floats, box: Box) -> Mask:
    """(n,) which points (n, 3) belong to a box. A road's z is its top, so a box holds what ends above its lower face
    and not above its upper one.
    """
    low, high = np.array(box[0]) + 1e-6, np.array(box[1]) + 1e-6
    return np.asarray(((points > low) & (points <= high)).all(axis=1))


def look(thing: PrintedObject, boxes: Sequence[Box], aspects: Sequence[str], seed: int) -> NDArray[np.int64]:
    """(boxes, aspects) whole scores 0..4 as a person gives them: noise per look, a bias per aspect, slips."""
    return as_seen(exact_scores(thing, boxes, aspects), np.random.default_rng([seed, thing.digest]))


def as_seen(scores: NDArray[np.float64], rng: np.random.Generator) -> NDArray[np.int64]:
    """Exact scores 0..4 (boxes, aspects) as a person gives them: whole, with noise, a bias per aspect, slips, and what
    the reader of now has as a habit.
    """
    who = who_looks()
    if who.mixed and scores.shape[1] > 1:
        taken = rng.random(scores.shape) < who.mixed
        scores = np.where(taken, np.roll(scores, 1, axis=1), scores)
    scores = scores + who.severity + rng.normal(0, SESSION_BIAS, (1, scores.shape[1]))
    noise = rng.standard_t(who.tails, scores.shape) if who.tails else rng.normal(0, 1, scores.shape)
    scores = scores + LOOK_NOISE * noise
    slips = rng.random(scores.shape) < WRONG_LOOKS
    scores = np.where(slips, scores + rng.choice([-2, -1, 1, 2], scores.shape), scores)
    return np.clip(np.rint(scores), 0, 4).astype(np.int64)


def first_seen(
    thing: PrintedObject, boxes: Sequence[Box], signs: Sequence[str], seed: int | None = None
) -> dict[str, int]:
    """The box from which on each sign is there, counted from 0, or the number of boxes where none shows it.

    A look that the next one does not bear out is passed over. Without a seed nobody errs.
    """
    shape = thing.geometry
    middle = np.column_stack([(shape.a + shape.b) / 2, shape.z])
    bands = [within(middle, box) for box in boxes]
    exact = np.array([BEGINS[sign](thing, bands) for sign in signs]).T
    exact = 4.0 - (4.0 - exact) * thing.hides
    scores = np.rint(exact) if seed is None else as_seen(exact, np.random.default_rng([seed, thing.digest, 3]))
    return {sign: begins(scores[:, column] <= PLAIN) for column, sign in enumerate(signs)}


def begins(there: Mask) -> int:
    """The first place at which a sign is there and borne out by the next; their number where there is none."""
    borne_out = there & np.append(there[1:], True)
    return int(np.argmax(borne_out)) if borne_out.any() else len(there)


def measure_all(thing: PrintedObject, places: Sequence[JawsOnBed], seed: int) -> list[float | None]:
    """What a person reads off the tool at every place, None where nothing is left to measure; once in two hundred a
    digit is misread.
    """
    rng = np.random.default_rng([seed, thing.digest, 2])
    return [_measured(thing, jaws, rng) for jaws in places]


def _measured(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    try:
        return read_off(measure(thing, jaws, rng), DIGITS.get(jaws.tool, 0.1), rng)
    except NothingThere:
        return None


DIGITS = {"scale": 0.01, "patch": 2.0, "corners": 1.0, "clean": 10.0}
"""The digit that is misread, by tool, where it is not a tenth."""


def read_off(number: float, digit: float, rng: np.random.Generator) -> float:
    """A number off a display: once in two hundred one digit is misread."""
    if rng.random() >= MISREAD:
        return number
    return round(number + digit * float(rng.choice([-3, -1, 1, 3])), 3)
