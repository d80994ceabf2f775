"""What a pair's page shows: the two windows of bed and nozzle drawn along one axis, and what follows in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from manifold3d import Manifold

from drumbo.core.catalogue import BY_KEY
from drumbo.core.pair import Bonds, Partner, Window
from drumbo.services.pairs import PairMember, PairSheet, PlannedOfTwo
from drumbo.trials import kinds_of
from drumbo.trials.base import Context
from drumbo.web.ledger import LedgerLine, transfer_sheet

WIDE, LEFT, TOP, ROW = 460.0, 16.0, 22.0, 34.0
"""Of a drawing of windows, in its own units."""
BOND_WORDS = {
    Bonds.STICKS: "They hold to each other",
    Bonds.WEAK: "They hold a little",
    Bonds.PARTS: "They do not hold to each other",
    Bonds.UNKNOWN: "Not known",
}


@dataclass(frozen=True, slots=True)
class WindowBar:
    """A window along the axis: from x, so wide; its colour, and where the profile's own value is."""

    x: float
    width: float
    y: float
    colour: str
    value_x: float
    name: str
    says: str


@dataclass(frozen=True, slots=True)
class WindowPicture:
    """Two windows and what they share. `shared` is None where that is nothing, `best_x` where both should run, None
    where each runs by itself; `ticks` are places and numbers.
    """

    name: str
    bars: tuple[WindowBar, WindowBar]
    shared: tuple[float, float] | None
    best_x: float | None
    best_says: str
    ticks: tuple[tuple[float, str], ...]
    height: float
    says: str


@dataclass(frozen=True, slots=True)
class FoundOfPair:
    """What a trial of the pair found; without its number it came in a file."""

    name: str
    value: str
    unit: str
    trial: int | None


@dataclass(frozen=True, slots=True)
class PairPage:
    """All that the page shows."""

    pictures: tuple[WindowPicture, ...]
    facts: tuple[tuple[str, str], ...]
    kept: tuple[tuple[str, str, str], ...]
    bond: str
    found: tuple[FoundOfPair, ...]
    kinds: tuple[Any, ...]


def pair_page(sheet: PairSheet) -> PairPage:
    """The page of a pair."""
    ground, members = sheet.ground, (sheet.one, sheet.other)
    bed = _windows(
        "Bed", members, (ground.bed.one, ground.bed.other), "bed_c",
        (ground.bed.low, ground.bed.high), ground.bed.best, _bed_says(ground.bed),
        ground.bed.says,
    )  # fmt: skip
    labels = [(m.partner.material.nozzle_low_c, m.partner.material.nozzle_high_c) for m in members]
    low, high = max(at for at, _ in labels), min(at for _, at in labels)
    apart = sheet.printer.by_nozzles
    nozzle = _windows(
        "Nozzle", members, labels, "nozzle_c", (low, high) if low <= high and not apart else (None, None),
        None if apart else ground.change_c,
        "Each in a nozzle of its own" if apart else f"Change at {ground.change_c:g} °C", _nozzle_says(sheet),
    )  # fmt: skip
    facts = (
        ("Plate", f"{ground.plate.capitalize()}. {ground.plate_says}"),
        ("Chamber", (f"{ground.chamber_c:g} °C. " if ground.chamber_c else "") + ground.chamber_says),
        ("Fan where they meet", f"{ground.fan_percent:g} %, the lower of the two"),
        ("Shrinkage", ground.pull_says),
        ("Drying", "; ".join(_drying(m.partner) for m in members)),
        (
            "A nozzle that waits" if apart else "With several nozzles",
            f"The one that waits rests at {ground.standby_c[0]:g} and {ground.standby_c[1]:g} °C.",
        ),
    )
    keys = ("max_flow_mm3_s", "speed_max_mm_s", "retraction_mm", "fan_percent", "pressure_advance_s")
    one, other = (m.partner for m in members)
    kept = tuple(
        (f"{BY_KEY[key].name}, {BY_KEY[key].unit}", _shown(key, one.number(key)), _shown(key, other.number(key)))
        for key in keys
    )
    bound = Context(sheet.printer, one.material, one.profile, other)
    return PairPage(
        (bed, nozzle), facts, kept, BOND_WORDS[ground.bond.how], _found(sheet),
        tuple(k for k in kinds_of("filament").values() if k.scope == "pair" and not k.hindered(bound)),
    )  # fmt: skip


def _bed_says(bed: Window) -> str:
    return f"{bed.best:g} °C for both" if bed.shared else f"No bed suits both; {bed.best:g} °C is nearest"


def _shown(key: str, number: float) -> str:
    zero = BY_KEY[key].zero
    return zero if zero and not number else BY_KEY[key].show(number)


def _found(sheet: PairSheet) -> tuple[FoundOfPair, ...]:
    return tuple(
        FoundOfPair(
            _directed(BY_KEY[key].name, sheet),
            BY_KEY[key].show(kept["number"])
            + (f" ± {BY_KEY[key].show_error(kept['error'])}" if kept.get("error") else ""),
            BY_KEY[key].unit, kept["trial"],
        )
        for key, kept in sheet.values.items()
        if key in BY_KEY
    )  # fmt: skip


def _directed(name: str, sheet: PairSheet) -> str:
    """A parameter's name with the two spools in it."""
    return name.replace("first", sheet.one.partner.name).replace("second", sheet.other.partner.name)


def _drying(partner: Partner) -> str:
    at_c, hours = partner.drying
    return f"{partner.name} at {at_c:g} °C for {hours:g} h"


def _nozzle_says(sheet: PairSheet) -> str:
    one, other = sheet.ground.nozzle_c
    if sheet.printer.by_nozzles:
        return (
            f"They run at {one:g} and {other:g} °C; nothing has to be purged, and each change primes the other nozzle."
        )
    if abs(one - other) < 1:
        return "Both are printed at the same temperature."
    cooler = sheet.other if one > other else sheet.one
    return (
        f"While plastic of both is in the nozzle it runs at {max(one, other):g} °C; then {cooler.partner.name} goes on "
        f"at {min(one, other):g} °C."
    )


def _windows(
    name: str, members: Sequence[PairMember], windows: Sequence[tuple[float, float]], key: str,
    shared: tuple[float | None, float | None], best: float | None, best_says: str, says: str,
) -> WindowPicture:  # fmt: skip
    values = [m.partner.number(key) for m in members]
    every: list[float] = [*(at for window in windows for at in window), *values, *(() if best is None else (best,))]
    low, high = 10 * round(min(every) / 10 - 1), 10 * round(max(every) / 10 + 1)
    per_c = (WIDE - 2 * LEFT) / (high - low)

    def x(at: float) -> float:
        return round(LEFT + (at - low) * per_c, 1)

    bars = tuple(
        WindowBar(
            x(window[0]), round((window[1] - window[0]) * per_c, 1), TOP + k * ROW, member.colour_hex, x(value),
            member.partner.name,
            f"{member.partner.name}: {window[0]:g} to {window[1]:g} °C, printed at {value:g}",
        )
        for k, (window, member, value) in enumerate(zip(windows, members, values, strict=True))
    )  # fmt: skip
    band = None if shared[0] is None or shared[1] is None else (x(shared[0]), round((shared[1] - shared[0]) * per_c, 1))
    step = 10 if high - low <= 100 else 20
    ticks = tuple((x(at), str(at)) for at in range(int(low), int(high) + 1, step))
    return WindowPicture(
        name, (bars[0], bars[1]), band, None if best is None else x(best), best_says, ticks, TOP + 2 * ROW + 8, says
    )


@dataclass(frozen=True, slots=True)
class BodyShape:
    """What is seen of one material: a path in mm, upright, its colour and whose it is."""

    path: str
    colour: str
    name: str
    says: str


@dataclass(frozen=True, slots=True)
class PartPicture:
    """A part from the front, to scale, and the plate below."""

    view: str
    looks: tuple[BodyShape, ...]
    plate: str


def part_picture(planned: PlannedOfTwo, sheet: PairSheet) -> PartPicture:
    """The part by its bodies, the nearest last; or as bands of layers."""
    wide, _, high = planned.part.size
    half = wide / 2
    members = {True: sheet.one, False: sheet.other}
    if planned.bodies:
        far_first = sorted(planned.bodies, key=lambda each: -each[0].solid.bounding_box()[1])
        looks = [_look(_outline(body.solid), members[first], body.name) for body, first in far_first]
    else:
        looks = [
            _look(f"M{-half:g} {-r.low_mm:g}H{half:g}V{-r.high_mm:g}H{-half:g}Z", members[r.first],
                  f"{r.low_mm:g} to {r.high_mm:g} mm")
            for r in planned.plan.ranges
        ]  # fmt: skip
    edge = max(wide, high) / 40
    view = f"{-half - edge:g} {-high - edge:g} {wide + 2 * edge:g} {high + 2 * edge:g}"
    return PartPicture(view, tuple(looks), f"M{-half - edge:g} {edge / 4:g}H{half + edge:g}")


def _look(path: str, member: PairMember, says: str) -> BodyShape:
    return BodyShape(path, member.colour_hex, member.partner.material.product, says)


def _outline(solid: Manifold) -> str:
    """A solid as it is seen from the front."""
    seen = solid.rotate((90.0, 0.0, 0.0)).project().simplify(0.05)
    return "".join(
        "M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in ring.tolist()) + "Z"
        for ring in map(np.asarray, seen.to_polygons())
    )


@dataclass(frozen=True, slots=True)
class BothLine:
    """A value of both: as printed, with their signs; empty where one has none."""

    name: str
    unit: str
    one: str
    other: str
    signs: tuple[str, str]


@dataclass(frozen=True, slots=True)
class BothSheets:
    """Two transfer sheets as one, by group."""

    groups: tuple[tuple[str, tuple[BothLine, ...]], ...]
    doubts: tuple[str, ...]


def both_sheets(sheet: PairSheet) -> BothSheets:
    """What a slicer wants to know of both materials."""
    one, other = (transfer_sheet(m.partner.profile, sheet.printer) for m in (sheet.one, sheet.other))
    groups = []
    for mine, its in zip(one.groups, other.groups, strict=True):
        theirs = {line.key: line for line in its.lines}
        groups.append((mine.group.name, tuple(_both(line, theirs.get(line.key)) for line in mine.lines)))
    names = (sheet.one.partner.name, sheet.other.partner.name)
    doubts = tuple(f"{name}: {each.doubts}" for name, each in zip(names, (one, other), strict=True) if each.doubts)
    return BothSheets(tuple(groups), doubts)


def _both(line: LedgerLine, its: LedgerLine | None) -> BothLine:
    other = ("", "") if its is None else (its.value, its.sign)
    return BothLine(line.name, line.unit, line.value, other[0], (line.sign, other[1]))
