"""How a piece is printed, apart from its material: layers, widths, walls, speeds."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.catalogue import PARAMETERS
from drumbo.core.printer import Printer
from drumbo.core.toolpath.columns import Role

Floats = NDArray[np.float64]

_SPEEDS = {
    Role.TRAVEL: 150.0,
    Role.PURGE: 20.0,
    Role.SKIRT: 30.0,
    Role.OUTER: 35.0,
    Role.INNER: 60.0,
    Role.SOLID: 60.0,
    Role.TOP: 45.0,
    Role.INFILL: 70.0,
    Role.BRIDGE: 30.0,
    Role.OVERHANG: 25.0,
}
_OUTSIDE = frozenset({Role.OUTER, Role.OVERHANG})
_FILLS = frozenset({Role.SOLID, Role.TOP, Role.INFILL, Role.BRIDGE})


@dataclass(frozen=True, slots=True)
class PrintSettings:
    """Lengths in mm, speeds in mm/s, shares 0 to 1. `speeds` is by role; the first layer has its own: its
    outlines are drawn slowly, and what fills them `first_fill_times` as fast.

    An `outer_width_mm` of 0 makes outer walls as wide as the others. Outlines are moved outwards by `outline_mm`;
    the head runs `raise_mm` higher than the piece's layers say.
    """

    layer_mm: float = 0.2
    first_layer_mm: float = 0.24
    raise_mm: float = 0.0
    width_mm: float = 0.45
    outer_width_mm: float = 0.0
    outline_mm: float = 0.0
    walls: int = 2
    top_layers: int = 4
    bottom_layers: int = 3
    infill: float = 0.15
    first_layer_speed: float = 22.0
    first_fill_times: float = 1.6
    speeds: Mapping[Role, float] = field(default_factory=lambda: dict(_SPEEDS))
    accel_mm_s2: float = 2000.0
    junction_mm_s: float = 8.0
    purge: bool = True
    skirt_loops: int = 2
    skirt_gap_mm: float = 4.0
    long_travel_mm: float = 20.0
    flow_ratio: float = 1.0
    flow_outer_share: float = 1.0
    flow_first_share: float = 1.0
    filament_mm: float = 1.75
    max_flow_mm3_s: float = 12.0
    retraction_mm: float = 0.8
    retraction_speed: float = 35.0
    restart_extra_mm: float = 0.0
    coasting_mm: float = 0.0
    min_travel_mm: float = 1.5
    z_hop_mm: float = 0.0
    fan: float = 1.0
    fan_short: float = 0.0
    fan_normal_layer_s: float = 15.0
    fan_bridge: float = 1.0
    fan_overhang: float = 0.0
    overhang_from_deg: float = 48.0
    fan_off_layers: int = 1
    fan_full_layer: int = 2
    layer_time_min_s: float = 8.0
    speed_floor: float = 12.0

    def road_area(self, height_mm: float, width_mm: float | None = None) -> float:
        """Cross-section of a road with half-round sides, mm²: h·(w − h) + π·h²/4.

        0.2 mm high and 0.45 mm wide: 0.2·0.25 + π·0.04/4 = 0.0814 mm².
        """
        width = self.width_mm if width_mm is None else width_mm
        return height_mm * (width - height_mm) + math.pi * height_mm**2 / 4

    def road_area_of(self, heights_mm: Floats) -> Floats:
        """(n,) `road_area` of many heights, mm²."""
        return heights_mm * (self.width_mm - heights_mm) + math.pi * heights_mm**2 / 4

    def spacing(self, height_mm: float) -> float:
        """Distance between neighbouring roads that together fill their layer, mm: area / height.

        Roads have round sides, so they must lie closer than they are wide: 0.0814 / 0.2 = 0.407 mm.
        """
        return self.road_area(height_mm) / height_mm

    def width_of(self, role: Role) -> float:
        """Width of a road, mm."""
        return self.outer_width_mm if role in _OUTSIDE and self.outer_width_mm else self.width_mm

    def wall_insets(self, height_mm: float) -> tuple[float, ...]:
        """How far inside of the outline the middle of every wall lies, the outermost first, mm.

        0.2 mm high and 0.45 mm wide: 0.225, 0.632, 1.039.
        """
        outer, spacing = self.width_of(Role.OUTER), self.spacing(height_mm)
        to_second = (self.road_area(height_mm, outer) / height_mm + spacing) / 2
        return tuple(outer / 2 + (to_second + (k - 1) * spacing if k else 0.0) for k in range(self.walls))

    def speed_of(self, role: Role, layer: int, height_mm: float) -> float:
        """Speed of a road, mm/s: as asked, but no faster than the first layer or max volumetric speed allow."""
        speed = self.speeds[role]
        if layer == 0 and role != Role.PURGE:
            speed = min(speed, self.first_layer_speed * (self.first_fill_times if role in _FILLS else 1.0))
        flow = self.road_area(height_mm, self.width_of(role)) * self.flow_of(role, layer)
        return min(speed, self.max_flow_mm3_s / flow)

    def flow_of(self, role: Role, layer: int) -> float:
        """The flow ratio of a road: outer walls and the first layer may have their own share of it."""
        outer = self.flow_outer_share if role in _OUTSIDE else 1.0
        return self.flow_ratio * outer * (self.flow_first_share if layer == 0 else 1.0)

    @property
    def filament_area(self) -> float:
        """Cross-section of the filament, mm²."""
        return math.pi * self.filament_mm**2 / 4

    def fan_on_layer(self, layer: int) -> float:
        """Fan share 0..1 on a layer counted from 0: off, then rising, then full."""
        number = layer + 1
        if number <= self.fan_off_layers:
            return 0.0
        if number >= self.fan_full_layer:
            return self.fan
        return self.fan * (number - self.fan_off_layers) / (self.fan_full_layer - self.fan_off_layers)

    def fan_in_time(self, layer: int, seconds: float) -> float:
        """Fan share on a layer that takes so long: quick layers get more, as far as their number allows any.

        30 % normally from 20 s on and 100 % at 10 s or less: 65 % at 15 s.
        """
        number = layer + 1
        if self.fan_short <= self.fan or number <= self.fan_off_layers:
            return self.fan_on_layer(layer)
        span = self.fan_normal_layer_s - self.layer_time_min_s
        late = min(max((seconds - self.layer_time_min_s) / span, 0.0), 1.0) if span > 0 else float(seconds > 0)
        ramp = max(min((number - self.fan_off_layers) / max(self.fan_full_layer - self.fan_off_layers, 1), 1.0), 0.0)
        return (self.fan_short + (self.fan - self.fan_short) * late) * ramp


def _speeds(numbers: Mapping[str, float], top: float) -> dict[Role, float]:
    """Speeds by role, no faster than the printer may go, nor than the material wants; 0 is no wish."""
    outer, most = (numbers.get(key) or math.inf for key in ("speed_outer_mm_s", "speed_max_mm_s"))
    laid = {role: min(speed, top, most if role != Role.TRAVEL else math.inf) for role, speed in _SPEEDS.items()}
    return {role: min(speed, outer) if role in _OUTSIDE else speed for role, speed in laid.items()}


def _own_speeds(numbers: Mapping[str, float], top: float) -> dict[Role, float]:
    """Of the roles that have a parameter of their own, with a setting like `speeds.BRIDGE`."""
    held = {p.setting.removeprefix("speeds."): numbers[p.key] for p in _SPEED_PLACES if p.key in numbers}
    return {Role[name]: min(speed, top) for name, speed in held.items()}


def settings_for(numbers: Mapping[str, float], printer: Printer) -> PrintSettings:
    """Settings from a profile's numbers (catalogue keys) on a printer; widths follow the nozzle."""
    top = printer.speed_max_mm_s
    nozzle = printer.nozzle_mm
    return PrintSettings(
        layer_mm=round(min(0.2, nozzle / 2), 2),
        first_layer_mm=round(min(0.24, nozzle * 0.6), 2),
        purge=printer.primes != "skirt",
        skirt_loops=0 if printer.primes == "line" else 2,
        width_mm=round(nozzle * 1.125, 3),
        speeds=_speeds(numbers, top) | _own_speeds(numbers, top),
        accel_mm_s2=printer.accel_mm_s2,
        junction_mm_s=printer.junction_mm_s,
        **_of_profile(numbers),
    )


_SPEED_PLACES = tuple(p for p in PARAMETERS if p.setting.startswith("speeds."))
_PLACES = tuple(p for p in PARAMETERS if p.setting and p not in _SPEED_PLACES)
_WHOLE = frozenset(f.name for f in fields(PrintSettings) if f.type == "int")


def _of_profile(numbers: Mapping[str, float]) -> dict[str, Any]:
    """Setting → number, for every parameter that has a place here."""
    held = {p.setting: numbers[p.key] / p.per for p in _PLACES if p.key in numbers}
    return {name: int(number) if name in _WHOLE else number for name, number in held.items()}
