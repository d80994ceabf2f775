"""The pen: takes roads in order and writes rows, with travels, retractions and events in between."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from drumbo.core.toolpath.columns import Event, Role, Set, Toolpath
from drumbo.core.toolpath.pace import CLIMB_MM_S
from drumbo.core.toolpath.plane import crosses, cut_end, lay_rows
from drumbo.core.toolpath.settings import PrintSettings

Floats = NDArray[np.float64]

ABOVE_MM = 5.0
"""Height above the plate at which the head waits before its first road."""


class ToolpathBuilder:
    """Collects a toolpath. Positions given to it are piece coordinates; rows are bed coordinates."""

    def __init__(self, settings: PrintSettings, offset: tuple[float, float], start: tuple[float, float]) -> None:
        self._settings = settings
        self._offset = np.array(offset, dtype=float)
        self._table = np.empty((4096, 8))
        self._count = 0
        self._lift = 0.0
        self._base = self._next_z = 0.0
        self._events: list[Event] = []
        self._layer = 0
        self._z = 0.0
        self._height = settings.first_layer_mm
        self._fan = 0.0
        self._layer_fan = 0.0
        self._pulled = 0.0
        self._new_layer = True
        self._start = (start[0], start[1], ABOVE_MM)
        self.at: tuple[float, float] = (start[0] - offset[0], start[1] - offset[1])
        self._speeds: dict[tuple[Role, bool, float], float] = {}

    @property
    def layer(self) -> int:
        """The layer that roads are drawn on now, counted from 0."""
        return self._layer

    def use(self, settings: PrintSettings) -> None:
        """The roads that follow are drawn with these settings."""
        if settings is not self._settings:
            self._settings = settings
            self._speeds = {}

    def begin_layer(self, index: int, bottom: float, height: float) -> None:
        """The roads that follow lie on this layer."""
        self._layer, self._height = index, height
        self._base = self._next_z = round(bottom + height, 4)
        self._new_layer = True

    def raise_by(self, mm: float) -> None:
        """The roads that follow are drawn so much above their layer."""
        z = round(self._base + mm, 4)
        if abs(z - self._next_z) > 1e-6:
            self._next_z, self._new_layer = z, True

    def event(self, what: Set, value: float = 0.0, text: str = "", of: int = 0) -> None:
        """Something is set before the next row."""
        self._events.append(Event(self._count, what, value, text, of))

    def fan(self, share: float) -> None:
        """The fan's share for this layer; bridges have their own."""
        self._layer_fan = share
        self._blow(share)

    def _blow(self, share: float) -> None:
        if abs(share - self._fan) > 1e-9:
            self._fan = share
            self.event(Set.FAN, share)

    def draw(self, points: Floats, role: Role, island: Floats | None) -> None:
        """Print along points (k, 2). A travel that stays on `island` (edges, (m, 4)) needs no retraction."""
        self._travel(float(points[0, 0]), float(points[0, 1]), island)
        s = self._settings
        hanging = {Role.BRIDGE: s.fan_bridge, Role.OVERHANG: s.fan_overhang}.get(role, 0.0)
        self._blow(max(hanging, self._layer_fan) if self._layer >= s.fan_off_layers else self._layer_fan)
        feed = s.road_area(self._height, s.width_of(role)) * s.flow_of(role, self._layer) / s.filament_area
        self._grow(len(points) + 1)
        row = (self._z + self._lift, feed, self._speed(role), float(role), float(self._layer), self._height)
        coasts = s.coasting_mm if role == Role.OUTER and self._layer else 0.0
        laid, rest = cut_end(points, coasts) if coasts > 0 else (points, points[:0])
        self._count = lay_rows(self._table, self._count, laid, self._offset[0], self._offset[1], row)
        for x, y in rest.tolist():
            self._move(x, y, 0.0, row[2], Role.TRAVEL)
        self.at = (float(points[-1, 0]), float(points[-1, 1]))

    def climb(self, points: Floats, heights: Floats, role: Role, index: int) -> None:
        """Print along points (k, 3) that rise, on from the road before; `heights` (k − 1,) are the road's, mm.

        The roads count as layer `index`.
        """
        self._layer, self._height = index, float(heights[-1])
        self._next_z = float(points[0, 2])
        self._new_layer = abs(self._next_z - self._z) > 1e-6
        self._travel(float(points[0, 0]), float(points[0, 1]), None)
        s = self._settings
        area = s.road_area_of(heights) * s.flow_of(role, index)
        ways = np.hypot(*np.diff(points[:, :2], axis=0).T)
        count = len(heights)
        self._grow(count + 1)
        rows = self._table[self._count : self._count + count]
        rows[:, :2] = points[1:, :2] + self._offset
        rows[:, 2] = points[1:, 2]
        rows[:, 3] = ways * area / s.filament_area
        rows[:, 4], rows[:, 5], rows[:, 6], rows[:, 7] = self._speed(role), role, index, heights
        self._count += count
        self._z = float(points[-1, 2])
        self.at = (float(points[-1, 0]), float(points[-1, 1]))

    def _speed(self, role: Role) -> float:
        key = (role, self._layer == 0, self._height)
        if key not in self._speeds:
            self._speeds[key] = self._settings.speed_of(role, self._layer, self._height)
        return self._speeds[key]

    def _travel(self, x: float, y: float, island: Floats | None) -> None:
        way = math.hypot(x - self.at[0], y - self.at[1])
        if way < 0.005 and not self._new_layer:
            return
        if self._must_pull(x, y, way, island):
            self._pull()
        # Down only where it is to go on: what was just laid stands higher.
        down = self._new_layer and self._count > 0 and self._next_z < self._z
        if self._new_layer and not down:
            self._to_height()
        if way >= 0.005:
            self._move(x, y, 0.0, self._settings.speeds[Role.TRAVEL], Role.TRAVEL)
        self.at = (x, y)
        if down:
            self._to_height()
        if self._pulled:
            self._push()

    def _to_height(self) -> None:
        self._z = self._next_z
        self._new_layer = False
        self._move(*self.at, 0.0, min(CLIMB_MM_S, self._settings.speeds[Role.TRAVEL]), Role.TRAVEL)

    def _must_pull(self, x: float, y: float, way: float, island: Floats | None) -> bool:
        s = self._settings
        if self._count == 0 or s.retraction_mm <= 0 or way < s.min_travel_mm or self._pulled > 0:
            return False
        if island is None or way > s.long_travel_mm:
            return True
        return bool(crosses(self.at[0], self.at[1], x, y, island))

    def _pull(self) -> None:
        self._pulled = self._settings.retraction_mm
        self._filament(-self._pulled, Role.RETRACT)
        if self._settings.z_hop_mm:
            self._lift = self._settings.z_hop_mm
            self._move(*self.at, 0.0, min(CLIMB_MM_S, self._settings.speeds[Role.TRAVEL]), Role.TRAVEL)

    def _push(self) -> None:
        if self._lift:
            self._lift = 0.0
            self._move(*self.at, 0.0, min(CLIMB_MM_S, self._settings.speeds[Role.TRAVEL]), Role.TRAVEL)
        self._filament(max(self._pulled + self._settings.restart_extra_mm, 0.0), Role.RESTART)
        self._pulled = 0.0

    def _filament(self, length: float, role: Role) -> None:
        self._move(*self.at, length, self._settings.retraction_speed, role)

    def _move(self, x: float, y: float, feed: float, speed: float, role: Role) -> None:
        self._grow(1)
        self._table[self._count] = (
            x + self._offset[0], y + self._offset[1], self._z + self._lift, feed, speed, role, self._layer, self._height
        )  # fmt: skip
        self._count += 1

    def _grow(self, more: int) -> None:
        if self._count + more > len(self._table):
            self._table = np.concatenate([self._table, np.empty((max(more, len(self._table)), 8))])

    def finish(self) -> Toolpath:
        """Pull back a last time and hand over the columns. Positions are rounded to 1 µm."""
        if self._settings.retraction_mm > 0:
            self._pull()
        self.event(Set.FAN, 0.0)
        table = self._table[: self._count]
        s = self._settings
        return Toolpath(
            start=self._start,
            x=np.round(table[:, 0], 3),
            y=np.round(table[:, 1], 3),
            z=np.round(table[:, 2] + s.raise_mm, 3),
            e_mm=table[:, 3].copy(),
            speed=table[:, 4].copy(),
            role=table[:, 5].astype(np.uint8),
            layer=table[:, 6].astype(np.int32),
            height=table[:, 7].copy(),
            events=tuple(self._events),
            width_mm=s.width_mm,
            accel_mm_s2=s.accel_mm_s2,
            junction_mm_s=s.junction_mm_s,
        )
