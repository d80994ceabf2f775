"""The speed planner: what a set of print settings asks of the hot end, and what each change of it is worth in time.

Times come from the roads of a real part and the motion of the head along them, never from a rule of thumb. One thing is
changed after the other, always in the same order, and the time that each change takes off is its own share.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Field, Scalar, read_all
from drumbo.core.piece import block, union
from drumbo.core.printer import Printer
from drumbo.core.profile import Profile
from drumbo.core.toolpath import PrintSettings, Role, Toolpath, build, path_motion, settings_for
from drumbo.core.toolpath.pace import at_pace

TOLERANCE_MM = 0.03
"""Outlines of a planned part depart from its solid by no more; nobody sees it, and it halves the work."""
MANY_TRIANGLES, COARSER_MM = 100_000, 0.05
"""A part of so many triangles is full of detail that its time does not depend on."""

PLANNED: tuple[tuple[Role, str, str], ...] = (
    (Role.OUTER, "outer", "Outer walls"),
    (Role.INNER, "inner", "Inner walls"),
    (Role.INFILL, "infill", "Infill"),
    (Role.SOLID, "solid", "Solid layers"),
    (Role.TOP, "top", "Tops"),
    (Role.BRIDGE, "bridge", "Bridges"),
)
"""Role, key of its speed field, name; in the order in which they are shown."""

STAGES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Layer height", ("layer_mm",)),
    ("Line widths, walls", ("outer_width_mm", "width_mm", "walls")),
    ("Tops, infill", ("top_layers", "bottom_layers", "infill_percent")),
    ("Speeds", (*(f"speed_{key}" for _, key, _ in PLANNED), "speed_first", "speed_travel")),
    ("Junction speed", ("junction_mm_s",)),
    ("Acceleration", ("accel_mm_s2",)),
    ("Temperature", ("nozzle_c",)),
)
"""What is changed one after the other, and the fields that belong to each."""

Wish = Mapping[str, float]


def fields(printer: Printer) -> tuple[Field, ...]:
    """Everything that a set of print settings holds, bounded by what the printer can do."""
    nozzle, top = printer.nozzle_mm, printer.speed_max_mm_s
    speeds = tuple(Field(f"speed_{key}", name, "mm/s", low=3, high=top, step=5) for _, key, name in PLANNED)
    return (
        Field("layer_mm", "Layer height", "mm", low=round(nozzle * 0.1, 2), high=round(nozzle * 0.8, 2), step=0.02),
        Field(
            "outer_width_mm",
            "Outer walls' width",
            "mm",
            low=round(nozzle * 0.8, 2),
            high=round(nozzle * 2, 2),
            step=0.02,
        ),
        Field("width_mm", "Other lines' width", "mm", low=round(nozzle * 0.8, 2), high=round(nozzle * 2, 2), step=0.02),
        Field("walls", "Walls", low=1, high=8, step=1, whole=True),
        Field("top_layers", "Top layers", low=0, high=12, step=1, whole=True),
        Field("bottom_layers", "Bottom layers", low=0, high=12, step=1, whole=True),
        Field("infill_percent", "Infill share", "%", low=0, high=100, step=5),
        *speeds,
        Field("speed_first", "First layer", "mm/s", low=3, high=top, step=5),
        Field("speed_travel", "Travels", "mm/s", low=20, high=top, step=10),
        Field("junction_mm_s", "Junction speed", "mm/s", low=0.5, high=60, step=1),
        Field("accel_mm_s2", "Acceleration", "mm/s²", low=100, high=50_000, step=500),
        Field("nozzle_c", "Nozzle", "°C", low=150, high=printer.nozzle_max_c, step=5),
    )


def as_now(profile: Profile, printer: Printer) -> dict[str, float]:
    """The settings with which Drumbo prints now: what every change is measured against."""
    s = settings_for(profile.numbers(), printer)
    return {
        "layer_mm": s.layer_mm,
        "outer_width_mm": s.width_mm,
        "width_mm": s.width_mm,
        "walls": float(s.walls),
        "top_layers": float(s.top_layers),
        "bottom_layers": float(s.bottom_layers),
        "infill_percent": round(s.infill * 100, 3),
        **{f"speed_{key}": s.speeds[role] for role, key, _ in PLANNED},
        "speed_first": s.first_layer_speed,
        "speed_travel": s.speeds[Role.TRAVEL],
        "junction_mm_s": s.junction_mm_s,
        "accel_mm_s2": s.accel_mm_s2,
        "nozzle_c": profile.number("nozzle_c"),
    }


def read_wish(typed: Mapping[str, Scalar], profile: Profile, printer: Printer) -> dict[str, float]:
    """A whole set from what was typed; what is missing or empty stays as now. InvalidInput gathers every problem."""
    now = as_now(profile, printer)
    given: dict[str, Scalar] = {key: now[key] if typed.get(key) in (None, "") else typed[key] for key in now}
    numbers = {key: float(value) for key, value in read_all(fields(printer), given).items() if value is not None}
    for width in ("outer_width_mm", "width_mm"):
        if numbers["layer_mm"] > 0.85 * numbers[width]:
            most = 0.85 * numbers[width]
            raise InvalidInput("layer_mm", f"is too high for a line of {numbers[width]:g} mm; {most:.2f} is the most")
    return numbers


def limit_at(profile: Profile, nozzle_c: float) -> tuple[float, bool]:
    """Max volumetric speed at a temperature, mm³/s, and whether a measured curve says so.

    Without a curve it is the profile's own value, whatever the temperature.
    """
    value = profile.values["max_flow_mm3_s"]
    if value.dependency is None or value.dependency.key != "nozzle_c":
        return value.number, nozzle_c == profile.number("nozzle_c")
    return value.dependency.of(nozzle_c), value.dependency.holds(nozzle_c)


def settings_of(wish: Wish, profile: Profile, printer: Printer) -> PrintSettings:
    """Print settings of a wish, with the limit that its temperature has."""
    usual = settings_for(profile.numbers(), printer)
    speeds = {
        **usual.speeds,
        **{role: wish[f"speed_{key}"] for role, key, _ in PLANNED},
        Role.OVERHANG: min(usual.speeds[Role.OVERHANG], wish["speed_outer"]),
        Role.TRAVEL: wish["speed_travel"],
    }
    return replace(
        usual, layer_mm=wish["layer_mm"], first_layer_mm=max(usual.first_layer_mm, wish["layer_mm"]),
        width_mm=wish["width_mm"], outer_width_mm=wish["outer_width_mm"], walls=int(wish["walls"]),
        top_layers=int(wish["top_layers"]), bottom_layers=int(wish["bottom_layers"]),
        infill=wish["infill_percent"] / 100, speeds=speeds, first_layer_speed=wish["speed_first"],
        junction_mm_s=wish["junction_mm_s"], accel_mm_s2=wish["accel_mm_s2"],
        max_flow_mm3_s=limit_at(profile, wish["nozzle_c"])[0],
    )  # fmt: skip


ROADS = ("layer_mm", "outer_width_mm", "width_mm", "walls", "top_layers", "bottom_layers", "infill_percent")
"""What decides where roads lie; all else is only how fast they are driven."""

SecondsOf = Callable[[Wish], float]
"""Gives a part's time under a wish, s; whoever calls may keep what was reckoned before."""


def roads(
    part: Manifold, wish: Wish, profile: Profile, printer: Printer, resting_on: Manifold | None = None
) -> Toolpath:  # fmt: skip
    """Roads of a part that stands on z = 0 around x = y = 0; or on another body of its print."""
    low_x, low_y = printer.bed_low
    settings = replace(settings_of(wish, profile, printer), layer_time_min_s=0.0)
    tolerance = COARSER_MM if part.num_tri() > MANY_TRIANGLES else TOLERANCE_MM
    purge = (low_x + 10, low_y + 8)
    return build(
        part, settings, middle=printer.bed_middle, purge_from=purge, tolerance_mm=tolerance, resting_on=resting_on
    )


@dataclass(frozen=True, slots=True)
class RoleRow:
    """One kind of road: its size in mm, the speed asked for and the one that can be had, mm/s; the flow that was asked
    for, mm³/s; and the time that it takes, s. `held` where the limit holds it back.
    """

    key: str
    name: str
    width_mm: float
    height_mm: float
    asked_mm_s: float
    had_mm_s: float
    flow_mm3_s: float
    seconds: float

    @property
    def held(self) -> bool:
        """Whether max volumetric speed holds it back, on a part that has such roads."""
        return self.seconds > 0 and self.had_mm_s < self.asked_mm_s - 1e-6


@dataclass(frozen=True, slots=True)
class Planned:
    """What a set of settings comes to: the limit, mm³/s, and whether it was measured; each kind of road; time in s
    and filament in g. `other_s` is travels, retractions and what is not listed. `carries_c` is the temperature that
    would carry everything asked for: None where nothing is held back or nobody measured the curve.
    """

    limit_mm3_s: float
    measured: bool
    rows: tuple[RoleRow, ...]
    seconds: float
    other_s: float
    grams: float
    carries_c: float | None


def planned(wish: Wish, path: Toolpath, profile: Profile, printer: Printer) -> Planned:
    """What a wish comes to along the roads of a part, which must be the wish's own."""
    settings = settings_of(wish, profile, printer)
    paced = at_pace(path, settings)
    motion = path_motion(paced)
    by_role = np.bincount(paced.role, motion.seconds, len(Role))
    limit, measured = limit_at(profile, wish["nozzle_c"])
    rows = tuple(_row(role, key, name, settings, float(by_role[role])) for role, key, name in PLANNED)
    grams = paced.grams(profile.number("density_g_cm3"), settings.filament_mm)
    total = motion.total_s
    return Planned(
        limit, measured, rows, total, total - sum(r.seconds for r in rows), grams, _carries(rows, profile, limit)
    )


def _row(role: Role, key: str, name: str, settings: PrintSettings, seconds: float) -> RoleRow:
    width, height = settings.width_of(role), settings.layer_mm
    area = settings.road_area(height, width) * settings.flow_of(role, 1)
    asked, had = settings.speeds[role], settings.speed_of(role, 1, height)
    return RoleRow(key, name, width, height, asked, had, area * asked, seconds)


def _carries(rows: Sequence[RoleRow], profile: Profile, limit: float) -> float | None:
    """Where the curve reaches the highest flow that is asked for, °C."""
    law = profile.values["max_flow_mm3_s"].dependency
    most = max((row.flow_mm3_s for row in rows if row.held), default=0.0)
    if law is None or law.rate <= 0 or most <= limit:
        return None
    return law.where(most)


@dataclass(frozen=True, slots=True)
class Stage:
    """One change of many: which fields, what is changed, in words, and the time before and after it, s."""

    keys: tuple[str, ...]
    name: str
    says: str
    before_s: float
    after_s: float


def stages(before: Wish, after: Wish, printer: Printer, seconds_of: SecondsOf) -> tuple[Stage, ...]:
    """The way from one set to another, one thing at a time in the order of `STAGES`; what is equal is left out."""
    names = {field.key: field for field in fields(printer)}
    wish, found = dict(before), []
    seconds = seconds_of(before)
    for name, keys in STAGES:
        moved = [key for key in keys if abs(before[key] - after[key]) > 1e-9]
        if not moved:
            continue
        wish |= {key: after[key] for key in moved}
        then = seconds_of(wish)
        found.append(Stage(keys, name, _in_words(moved, names, before, after), seconds, then))
        seconds = then
    return tuple(found)


def _in_words(moved: Sequence[str], names: Mapping[str, Field], before: Wish, after: Wish) -> str:
    words = [f"{names[key].label.lower()} {before[key]:g} → {after[key]:g} {names[key].unit}".strip() for key in moved]
    return ", ".join(words[:3]) + (f" and {len(words) - 3} more" if len(words) > 3 else "")


@cache
def reference_part() -> Manifold:
    """The part that times are told for where a maker brings none: a shelf bracket of our own, 60 × 30 × 18 mm.

    Walls, tops, infill, a rib and two screw holes are all in it.
    """
    holes = [Manifold.cylinder(40, 3, 3, 32).translate((x, -3, -5)) for x in (-18, 18)]
    plate = block((-30, -15, 0), (30, 15, 4))
    wall, rib = block((-30, 11, 0), (30, 15, 18)), block((-2, -15, 0), (2, 15, 12))
    return union([plate, wall, rib]) - union(holes)
